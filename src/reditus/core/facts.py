"""What is known of a host beside its counters: cores, memory, and how its devices stand to each other."""

import re
from collections.abc import Callable, Iterable, Mapping
from dataclasses import asdict, dataclass, field
from typing import Any, TypeVar

from reditus.core.fact_parts import (
    DiskFacts,
    DiskRole,
    GroupFacts,
    HardwareFacts,
    LinkFacts,
    ListeningFacts,
    ModuleFacts,
    MountFacts,
    SensorFacts,
    SwapFacts,
)
from reditus.core.fact_readers import (
    FactsError,
    read_disk,
    read_flag,
    read_group,
    read_hardware,
    read_link,
    read_listening,
    read_mount,
    read_name,
    read_object,
    read_sensor,
    read_swap,
    read_text,
    read_whole,
)
from reditus.core.outside import MOST_WHOLE, shown
from reditus.core.types import Json

__all__ = [
    "DiskFacts",
    "DiskRole",
    "FactsError",
    "GroupFacts",
    "HardwareFacts",
    "HostFacts",
    "LinkFacts",
    "ListeningFacts",
    "ModuleFacts",
    "MountFacts",
    "SensorFacts",
    "SwapFacts",
]
T = TypeVar("T")
MOST_CORES = 65_536

# Names by which the kernel's own drivers call things, for hosts that report no facts (a bare capture has no /sys).
_STACKED = re.compile(r"^(dm-|md|loop|drbd|bcache)\d+")
_MEMORY = re.compile(r"^(ram|zram|brd)\d+$")
_PARTITION = re.compile(r"^((?P<plain>(sd|vd|hd|xvd)[a-z]+)\d+|(?P<numbered>(nvme\d+n\d+|mmcblk\d+|nbd\d+))p\d+)$")


@dataclass(frozen=True, slots=True)
class HostFacts:
    """Facts of a host. What is unknown is None or absent."""

    cores: int | None = None
    memory_bytes: int | None = None
    kernel: str | None = None
    model: str | None = None
    virtual: bool | None = None
    """Whether it runs under a hypervisor."""
    boot: str | None = None
    """The kernel's id of this boot."""
    timezone: str | None = None
    """By which clock the host lives: a name of the IANA time zone database, such as Europe/Berlin."""
    disks: Mapping[str, DiskFacts] = field(default_factory=dict)
    links: Mapping[str, LinkFacts] = field(default_factory=dict)
    mounts: Mapping[str, MountFacts] = field(default_factory=dict)
    sensors: Mapping[str, SensorFacts] = field(default_factory=dict)
    swaps: Mapping[str, SwapFacts] = field(default_factory=dict)
    groups: Mapping[str, GroupFacts] = field(default_factory=dict)
    """Control groups that have a limit, by path."""
    hardware: HardwareFacts = field(default_factory=HardwareFacts)
    listening: tuple[ListeningFacts, ...] | None = None
    """The ports that are listened at; None where that is not known."""

    def disk_role(self, name: str) -> DiskRole:
        """The role as given, else as the name suggests."""
        if name in self.disks:
            return self.disks[name].role
        if _MEMORY.match(name):
            return DiskRole.MEMORY
        if _STACKED.match(name):
            return DiskRole.VOLUME
        return DiskRole.PARTITION if _PARTITION.match(name) else DiskRole.DISK

    def bottom_disks(self, names: Iterable[str]) -> list[str]:
        """Those devices whose bytes no other device repeats."""
        return [name for name in names if self.disk_role(name) is DiskRole.DISK]

    def outer_links(self, names: Iterable[str]) -> list[str]:
        """Interfaces that lead out of the machine: the physical ones where that is known, else all but the loopback."""
        outer = [name for name in names if name != "lo"]
        physical = [name for name in outer if name in self.links and self.links[name].physical]
        return physical or outer

    def as_json(self) -> Json:
        """The facts as the API and the database have them."""
        return {
            "cores": self.cores,
            "memory_bytes": self.memory_bytes,
            "kernel": self.kernel,
            "model": self.model,
            "virtual": self.virtual,
            "boot": self.boot,
            "timezone": self.timezone,
            "disks": {
                name: {**asdict(disk), "role": disk.role.value, "on": list(disk.on)}
                for name, disk in self.disks.items()
            },
            "links": {name: {**asdict(link), "addresses": list(link.addresses)} for name, link in self.links.items()},
            "mounts": {name: asdict(mount) for name, mount in self.mounts.items()},
            "sensors": {name: asdict(sensor) for name, sensor in self.sensors.items()},
            "swaps": {name: asdict(swap) for name, swap in self.swaps.items()},
            "groups": {name: {**asdict(group), "io": list(group.io)} for name, group in self.groups.items()},
            "hardware": {
                **asdict(self.hardware),
                "caches": list(self.hardware.caches),
                "modules": [asdict(module) for module in self.hardware.modules],
            },
            "listening": None if self.listening is None else [asdict(item) for item in self.listening],
        }

    @classmethod
    def from_json(cls, given: Any) -> "HostFacts":
        """Read what `as_json` wrote; unknown keys are ignored. Raise FactsError, naming what is wrong, otherwise."""
        data = read_object("facts", given)
        return cls(
            cores=read_whole("cores", data.get("cores"), 1, MOST_CORES),
            memory_bytes=read_whole("memory_bytes", data.get("memory_bytes"), 0, MOST_WHOLE),
            kernel=read_text("kernel", data.get("kernel")),
            model=read_text("model", data.get("model")),
            virtual=read_flag("virtual", data.get("virtual")),
            boot=read_text("boot", data.get("boot")),
            timezone=read_text("timezone", data.get("timezone")),
            disks=_each(data, "disks", read_disk),
            links=_each(data, "links", read_link),
            mounts=_each(data, "mounts", read_mount),
            sensors=_each(data, "sensors", read_sensor),
            swaps=_each(data, "swaps", read_swap),
            groups=_each(data, "groups", read_group),
            hardware=read_hardware("hardware", data.get("hardware") or {}),
            listening=read_listening("listening", data.get("listening")),
        )


def _each(data: Mapping[str, Any], part: str, read: Callable[[str, Any], T]) -> dict[str, T]:
    """The devices of one kind, each read by itself and named where it is wrong."""
    devices = read_object(part, data.get(part) or {})
    return {read_name(part, name): read(f"{part}.{shown(name)}", device) for name, device in devices.items()}
