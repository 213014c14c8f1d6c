"""The parts that facts of a host consist of. What is unknown is None or absent."""

from dataclasses import dataclass
from enum import Enum


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
class SwapFacts:
    """What is known of a place that memory is swapped out to."""

    kind: str | None = None
    """Partition or file."""
    size_bytes: int | None = None
    disk: str | None = None
    """The block device that it lies on."""


@dataclass(frozen=True, slots=True)
class GroupFacts:
    """The limits of a control group; None where it has none. Groups without any limit are not listed."""

    cores: float | None = None
    """Cores that it may use on average (cpu.max)."""
    memory_bytes: int | None = None
    """Beyond it, its processes are ended (memory.max)."""
    memory_high_bytes: int | None = None
    """Beyond it, it is slowed and its memory reclaimed (memory.high)."""
    swap_bytes: int | None = None
    tasks: int | None = None
    io: tuple[str, ...] = ()
    """By device, as the kernel writes them: such as "8:0 rbps=1048576"."""


@dataclass(frozen=True, slots=True)
class ListeningFacts:
    """A port that is open to connections or datagrams."""

    protocol: str
    address: str
    port: int
    program: str | None = None
    """None where the recorder may not look at whose it is."""
    user: str | None = None


@dataclass(frozen=True, slots=True)
class ModuleFacts:
    """A slot for a memory module; `size_bytes` is 0 where it is empty, None where the firmware does not know."""

    slot: str
    size_bytes: int | None = None
    kind: str | None = None
    speed_per_s: int | None = None
    """Transfers a second, as configured."""
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
