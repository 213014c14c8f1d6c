"""What is known of a host beside its counters: cores, memory, and how its devices stand to each other."""

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from enum import Enum
from typing import Any

from reditus.core.errors import CoreError
from reditus.core.outside import MOST_WHOLE, shown, text_problem, whole_problem
from reditus.core.types import Json

MOST_CORES = 65_536
MOST_DEVICES = 100_000
MAX_TEXT = 500

# Names by which the kernel's own drivers call things, for hosts that report no facts (a bare capture has no /sys).
_STACKED = re.compile(r"^(dm-|md|loop|drbd|bcache)\d+")
_MEMORY = re.compile(r"^(ram|zram|brd)\d+$")
_PARTITION = re.compile(r"^((?P<plain>(sd|vd|hd|xvd)[a-z]+)\d+|(?P<numbered>(nvme\d+n\d+|mmcblk\d+|nbd\d+))p\d+)$")


class DiskRole(Enum):
    """Where a block device stands in the stack."""

    DISK = "disk"
    """A bottom device; machine totals add only these."""
    PARTITION = "partition"
    """A part of another device."""
    VOLUME = "volume"
    """Stands on other devices (device mapper, md, loop)."""
    MEMORY = "memory"
    """Lives in memory (RAM disk, compressed swap)."""


@dataclass(frozen=True, slots=True)
class DiskFacts:
    """What is known of a disk: its role, the devices below it, and whether it rotates."""

    role: DiskRole
    on: tuple[str, ...] = ()
    """The devices that it stands on or is a part of."""
    rotational: bool | None = None


@dataclass(frozen=True, slots=True)
class LinkFacts:
    """What is known of an interface."""

    speed_bits_per_s: int | None = None
    physical: bool | None = None


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
                name: {"role": disk.role.value, "on": list(disk.on), "rotational": disk.rotational}
                for name, disk in self.disks.items()
            },
            "links": {
                name: {"speed_bits_per_s": link.speed_bits_per_s, "physical": link.physical}
                for name, link in self.links.items()
            },
        }

    @classmethod
    def from_json(cls, given: Any) -> "HostFacts":
        """Read what `as_json` wrote; unknown keys are ignored. Raise FactsError, naming what is wrong, otherwise."""
        data = _object("facts", given)
        disks, links = _object("disks", data.get("disks") or {}), _object("links", data.get("links") or {})
        return cls(
            cores=_whole("cores", data.get("cores"), 1, MOST_CORES),
            memory_bytes=_whole("memory_bytes", data.get("memory_bytes"), 0, MOST_WHOLE),
            kernel=_text("kernel", data.get("kernel")),
            model=_text("model", data.get("model")),
            virtual=_flag("virtual", data.get("virtual")),
            boot=_text("boot", data.get("boot")),
            timezone=_text("timezone", data.get("timezone")),
            disks={_name("disks", name): _disk(f"disks.{shown(name)}", disk) for name, disk in disks.items()},
            links={_name("links", name): _link(f"links.{shown(name)}", link) for name, link in links.items()},
        )


class FactsError(CoreError, ValueError):
    """Facts of a host that cannot be."""


def _disk(where: str, given: Any) -> DiskFacts:
    data = _object(where, given)
    on = data.get("on") or []
    if not isinstance(on, list) or len(on) > MOST_DEVICES:
        raise FactsError(f"{where}.on: a list of at most {MOST_DEVICES} names, not {shown(on)}")
    try:
        role = DiskRole(data.get("role"))
    except ValueError:
        roles = ", ".join(item.value for item in DiskRole)
        raise FactsError(f"{where}.role: one of {roles}, not {shown(data.get('role'))}") from None
    return DiskFacts(
        role, tuple(_name(f"{where}.on", item) for item in on), _flag("rotational", data.get("rotational"))
    )


def _link(where: str, given: Any) -> LinkFacts:
    data = _object(where, given)
    speed = _whole(f"{where}.speed_bits_per_s", data.get("speed_bits_per_s"), 0, MOST_WHOLE)
    return LinkFacts(speed, _flag(f"{where}.physical", data.get("physical")))


def _object(where: str, given: Any) -> Mapping[str, Any]:
    if not isinstance(given, dict) or len(given) > MOST_DEVICES:
        raise FactsError(f"{where}: an object of at most {MOST_DEVICES} parts, not {shown(given)}")
    return given


def _whole(where: str, given: Any, least: int, most: int) -> int | None:
    if given is not None and (problem := whole_problem(given, least, most)):
        raise FactsError(f"{where}: {problem}")
    return given  # type: ignore[no-any-return]  # just checked


def _text(where: str, given: Any) -> str | None:
    return None if given is None else _name(where, given)


def _name(where: str, given: Any) -> str:
    if problem := text_problem(given, MAX_TEXT):
        raise FactsError(f"{where}: {problem}")
    return str(given)


def _flag(where: str, given: Any) -> bool | None:
    if given is not None and not isinstance(given, bool):
        raise FactsError(f"{where}: true, false or null, not {shown(given)}")
    return given
