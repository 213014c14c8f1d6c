"""What is known of a host beside its counters: cores, memory, and how its devices stand to each other."""

import re
from collections.abc import Iterable, Mapping
from dataclasses import asdict, dataclass, field
from enum import Enum
from typing import Any

from reditus.core.errors import CoreError
from reditus.core.outside import MOST_WHOLE, shown, text_problem, whole_problem
from reditus.core.types import Json

MOST_CORES = 65_536
MOST_DEVICES = 100_000
MOST_MODULES = 1_024
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
    model: str | None = None
    size_bytes: int | None = None
    scheduler: str | None = None
    """By which the kernel orders its requests."""


@dataclass(frozen=True, slots=True)
class LinkFacts:
    """What is known of an interface."""

    speed_bits_per_s: int | None = None
    physical: bool | None = None
    mtu_bytes: int | None = None
    driver: str | None = None
    duplex: str | None = None
    carrier: bool | None = None
    addresses: tuple[str, ...] = ()
    """IPv4 and IPv6, as they are written with the length of their networks."""


@dataclass(frozen=True, slots=True)
class MountFacts:
    """What is known of a mounted filesystem."""

    device: str | None = None
    kind: str | None = None
    options: str | None = None


@dataclass(frozen=True, slots=True)
class SensorFacts:
    """What is known of a sensor: how its maker calls it, and its limits in the unit of what it tells."""

    label: str | None = None
    high: float | None = None
    critical: float | None = None


@dataclass(frozen=True, slots=True)
class ModuleFacts:
    """A slot for memory; a size of 0 is an empty one."""

    slot: str
    size_bytes: int | None = None
    kind: str | None = None
    speed_per_s: int | None = None
    maker: str | None = None


@dataclass(frozen=True, slots=True)
class HardwareFacts:
    """What the machine is made of."""

    product: str | None = None
    """Maker and model."""
    board: str | None = None
    sockets: int | None = None
    physical_cores: int | None = None
    caches: tuple[str, ...] = ()
    """Of the first core, such as "L1 data 48 KiB"."""
    lowest_hz: int | None = None
    highest_hz: int | None = None
    modules: tuple[ModuleFacts, ...] = ()
    problem: str | None = None
    """Why the firmware's table could not be read to its end."""


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
    hardware: HardwareFacts = HardwareFacts()

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
            "hardware": {
                **asdict(self.hardware),
                "caches": list(self.hardware.caches),
                "modules": [asdict(module) for module in self.hardware.modules],
            },
        }

    @classmethod
    def from_json(cls, given: Any) -> "HostFacts":
        """Read what `as_json` wrote; unknown keys are ignored. Raise FactsError, naming what is wrong, otherwise."""
        data = _object("facts", given)
        disks, links, mounts, sensors = (
            _object(part, data.get(part) or {}) for part in ("disks", "links", "mounts", "sensors")
        )
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
            mounts={_name("mounts", name): _mount(f"mounts.{shown(name)}", mount) for name, mount in mounts.items()},
            sensors={
                _name("sensors", name): _sensor(f"sensors.{shown(name)}", sensor) for name, sensor in sensors.items()
            },
            hardware=_hardware("hardware", data.get("hardware") or {}),
        )


class FactsError(CoreError, ValueError):
    """Facts of a host that cannot be."""


def _disk(where: str, given: Any) -> DiskFacts:
    data = _object(where, given)
    on = _names(f"{where}.on", data.get("on"))
    try:
        role = DiskRole(data.get("role"))
    except ValueError:
        roles = ", ".join(item.value for item in DiskRole)
        raise FactsError(f"{where}.role: one of {roles}, not {shown(data.get('role'))}") from None
    return DiskFacts(
        role,
        on,
        _flag("rotational", data.get("rotational")),
        _text(f"{where}.model", data.get("model")),
        _whole(f"{where}.size_bytes", data.get("size_bytes"), 0, MOST_WHOLE),
        _text(f"{where}.scheduler", data.get("scheduler")),
    )


def _link(where: str, given: Any) -> LinkFacts:
    data = _object(where, given)
    speed = _whole(f"{where}.speed_bits_per_s", data.get("speed_bits_per_s"), 0, MOST_WHOLE)
    return LinkFacts(
        speed,
        _flag(f"{where}.physical", data.get("physical")),
        _whole(f"{where}.mtu_bytes", data.get("mtu_bytes"), 0, MOST_WHOLE),
        _text(f"{where}.driver", data.get("driver")),
        _text(f"{where}.duplex", data.get("duplex")),
        _flag(f"{where}.carrier", data.get("carrier")),
        _names(f"{where}.addresses", data.get("addresses")),
    )


def _mount(where: str, given: Any) -> MountFacts:
    data = _object(where, given)
    return MountFacts(*(_text(f"{where}.{part}", data.get(part)) for part in ("device", "kind", "options")))


def _sensor(where: str, given: Any) -> SensorFacts:
    data = _object(where, given)
    high, critical = (_number(f"{where}.{part}", data.get(part)) for part in ("high", "critical"))
    return SensorFacts(_text(f"{where}.label", data.get("label")), high, critical)


def _hardware(where: str, given: Any) -> HardwareFacts:
    data = _object(where, given)
    modules = data.get("modules") or []
    if not isinstance(modules, list) or len(modules) > MOST_MODULES:
        raise FactsError(f"{where}.modules: a list of at most {MOST_MODULES} slots, not {shown(modules)}")

    def text(part: str) -> str | None:
        return _text(f"{where}.{part}", data.get(part))

    def whole(part: str) -> int | None:
        return _whole(f"{where}.{part}", data.get(part), 0, MOST_WHOLE)

    return HardwareFacts(
        product=text("product"),
        board=text("board"),
        sockets=whole("sockets"),
        physical_cores=whole("physical_cores"),
        caches=_names(f"{where}.caches", data.get("caches")),
        lowest_hz=whole("lowest_hz"),
        highest_hz=whole("highest_hz"),
        modules=tuple(_module(f"{where}.modules[{at}]", module) for at, module in enumerate(modules)),
        problem=text("problem"),
    )


def _module(where: str, given: Any) -> ModuleFacts:
    data = _object(where, given)
    size, speed = (_whole(f"{where}.{part}", data.get(part), 0, MOST_WHOLE) for part in ("size_bytes", "speed_per_s"))
    kind, maker = (_text(f"{where}.{part}", data.get(part)) for part in ("kind", "maker"))
    return ModuleFacts(_name(f"{where}.slot", data.get("slot")), size, kind, speed, maker)


def _names(where: str, given: Any) -> tuple[str, ...]:
    listed = given or []
    if not isinstance(listed, list) or len(listed) > MOST_DEVICES:
        raise FactsError(f"{where}: a list of at most {MOST_DEVICES} names, not {shown(listed)}")
    return tuple(_name(where, item) for item in listed)


def _number(where: str, given: Any) -> float | None:
    if given is None:
        return None
    if isinstance(given, bool) or not isinstance(given, int | float) or not abs(given) <= MOST_WHOLE:
        raise FactsError(f"{where}: a number, not {shown(given)}")
    return float(given)


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
