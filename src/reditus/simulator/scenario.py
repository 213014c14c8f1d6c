"""What a simulated host is and what happens on it: plain descriptions, no arithmetic."""

from dataclasses import dataclass
from enum import Enum
from uuid import UUID

from reditus.core.facts import (
    DiskFacts,
    DiskRole,
    GroupFacts,
    HardwareFacts,
    HostFacts,
    LinkFacts,
    ListeningFacts,
    ModuleFacts,
    MountFacts,
    SensorFacts,
    SwapFacts,
)

GIB = 2**30
HOURS, WEEKDAYS = 24, 7


class Priority(Enum):
    """How important work is to the scheduler."""

    NORMAL = "normal"
    LOW = "low"


class DiskKind(Enum):
    """How a disk serves its requests."""

    ROTATING = "rotating"
    FLASH = "flash"
    NETWORK = "network"


@dataclass(frozen=True, slots=True)
class Disk:
    """A block device. One with `on` is a volume: it spreads requests evenly over those below."""

    name: str
    kind: DiskKind = DiskKind.FLASH
    service_s: float = 0.00012
    """Time for one request of no length when nothing else is in flight."""
    parallel: int = 16
    """Requests that are served at the same time."""
    bytes_per_s: float = 1.8e9
    """What all of them together move at most."""
    on: tuple[str, ...] = ()


MODELS = {
    DiskKind.FLASH: "Made-up flash",
    DiskKind.ROTATING: "Made-up rotating",
    DiskKind.NETWORK: "Made-up store",
}


def rotating(name: str) -> Disk:
    """A disk with seek times."""
    return Disk(name, DiskKind.ROTATING, service_s=0.0055, parallel=1, bytes_per_s=190e6)


def over_network(name: str) -> Disk:
    """A disk behind a network."""
    return Disk(name, DiskKind.NETWORK, service_s=0.0018, parallel=32, bytes_per_s=350e6)


@dataclass(frozen=True, slots=True)
class Link:
    """An interface."""

    name: str
    bits_per_s: int = 1_000_000_000


@dataclass(frozen=True, slots=True)
class Filesystem:
    """A mounted filesystem, some of whose disk's writes stay there."""

    mount: str
    disk: str
    size_bytes: int
    used_bytes: int
    """When the recording begins."""
    kept: float = 0.0
    """Share of the bytes written to the disk by which it grows."""
    kind: str = "ext4"
    options: str = "rw,relatime"


@dataclass(frozen=True, slots=True)
class Sensor:
    """A sensor of the machine: of a temperature that follows the work, or of a fan that follows the temperature."""

    name: str
    label: str
    idle: float
    """In °C or revolutions per minute, with nothing to do."""
    busy: float
    """With every core full for long."""
    memory_s: float = 120.0
    """How long it takes to follow."""
    high: float | None = None
    critical: float | None = None
    is_fan: bool = False


@dataclass(frozen=True, slots=True)
class Machine:
    """A host's build."""

    id: UUID
    name: str
    cores: int
    memory_bytes: int
    disks: tuple[Disk, ...]
    links: tuple[Link, ...]
    swap_bytes: int = 4 * GIB
    swap_disk: str | None = None
    limits: tuple[tuple[str, GroupFacts], ...] = ()
    """Control groups that have one."""
    """Where the swap space lies; None: on the first disk."""
    programs_bytes: int = 2 * GIB
    """What runs all the time holds."""
    kernel_bytes: int = 640 * 2**20
    cache_bytes: int = 6 * GIB
    """Files in memory when the recording begins."""
    parked_bytes: int = 300 * 2**20
    """Swapped out long ago, and not missed since."""
    touch_bytes_per_s: float = 6e9
    """What programs touch of their memory a second: of that the share that was swapped out has to be read again."""
    swap_read_bytes: int = 4 * 4_096
    swap_write_bytes: int = 16 * 4_096
    """Pages are read with some of their neighbours, and written in rows."""
    packets_core: int | None = 0
    """The one core that takes all packets in; None: all of them take their share."""
    packet_cost_s: float = 1.5e-6
    filesystems: tuple[Filesystem, ...] = ()
    sensors: tuple[Sensor, ...] = ()
    listens: tuple[tuple[int, str, str], ...] = ((22, "sshd", "root"),)
    """Ports of TCP, with the program and its user."""
    timezone: str = "Europe/London"
    """By which clock the host lives; the times of a scenario are UTC."""

    @property
    def facts(self) -> HostFacts:
        """The facts that a recorder would report."""
        return HostFacts(
            cores=self.cores,
            memory_bytes=self.memory_bytes,
            kernel="6.1.0-fernhold",
            model=f"made-up processor, {self.cores} cores",
            timezone=self.timezone,
            disks={
                disk.name: DiskFacts(
                    DiskRole.VOLUME if disk.on else DiskRole.DISK,
                    disk.on,
                    disk.kind is DiskKind.ROTATING,
                    None if disk.on else MODELS[disk.kind],
                    max((item.size_bytes for item in self.filesystems if item.disk == disk.name), default=None),
                    None if disk.on else "mq-deadline",
                )
                for disk in self.disks
            },
            links={
                link.name: LinkFacts(
                    link.bits_per_s, True, 1_500, "madeup", "full", True, (f"192.0.2.{10 + number}/24",)
                )
                for number, link in enumerate(self.links)
            },
            mounts={item.mount: MountFacts(f"/dev/{item.disk}", item.kind, item.options) for item in self.filesystems},
            listening=tuple(ListeningFacts("tcp", "0.0.0.0", *port) for port in self.listens),
            swaps={
                f"/dev/{disk}": SwapFacts("partition", self.swap_bytes, disk)
                for disk in [self.swap_disk or self.disks[0].name]
                if self.swap_bytes
            },
            groups=dict(self.limits),
            sensors={item.name: SensorFacts(item.label, item.high, item.critical) for item in self.sensors},
            hardware=HardwareFacts(
                product=f"Fernhold Works Press {self.cores}",
                board="Fernhold Works B-12",
                sockets=1,
                physical_cores=self.cores,
                caches=("L1 data 48 KiB", "L1 instruction 32 KiB", "L2 1280 KiB", "L3 16384 KiB"),
                lowest_hz=800_000_000,
                highest_hz=3_600_000_000,
                modules=(
                    *(
                        ModuleFacts(f"DIMM {slot}", self.memory_bytes // 2, "DDR4", 3_200_000_000, "Fernhold Memory")
                        for slot in "AB"
                    ),
                    ModuleFacts("DIMM C", 0),
                    ModuleFacts("DIMM D", 0),
                ),
            ),
        )


@dataclass(frozen=True, slots=True)
class Curve:
    """How much of a work there is by hour of the day and by weekday (Monday first), UTC; 1 is as described."""

    hours: tuple[float, ...] = (1.0,) * HOURS
    weekdays: tuple[float, ...] = (1.0,) * WEEKDAYS


@dataclass(frozen=True, slots=True)
class Work:
    """A job: a number of workers that each ask for a core's time, from `start_s` to `end_s` after the beginning, again
    every `every_s` if that is given. One that names no start has run since long before.
    """

    name: str
    start_s: float = -86_400.0
    end_s: float = float("inf")
    workers: int = 1
    intensity: float = 1.0
    """Share of a core that each worker asks for."""
    kernel_share: float = 0.08
    """Share of its processor time spent in the kernel."""
    priority: Priority = Priority.NORMAL
    core: int | None = None
    """The one core it is bound to, if it is."""
    every_s: float | None = None
    curve: Curve | None = None
    memory_bytes: int = 0
    leak_bytes_per_s: float = 0.0
    files_bytes: int = 0
    """Files that it reads again and again; what does not stay in memory comes from the disk each time."""
    reread_bytes_per_s: float = 0.0
    disk: str | None = None
    """None: the first disk."""
    read_bytes_per_s: float = 0.0
    write_bytes_per_s: float = 0.0
    read_size: int = 256 * 1024
    write_size: int = 128 * 1024
    depth: int = 8
    """Requests that it has under way at most; it waits before it asks for more."""
    waits: float = 1.0
    """Share of its requests that a task waits for, asleep."""
    link: str | None = None
    receive_bytes_per_s: float = 0.0
    send_bytes_per_s: float = 0.0
    packet_bytes: int = 1_200
    processes: int | None = None
    """Into how many processes its workers are; None: one each, up to four."""
    user: str = "lab"

    @property
    def process_count(self) -> int:
        """How many processes the work consists of."""
        return self.processes if self.processes is not None else min(self.workers, 4)


class FaultKind(Enum):
    """What can go wrong."""

    SLOW_DISK = "slow disk"
    """Every request takes `factor` times as long."""
    LOSSY_LINE = "lossy line"
    """`factor` of the segments sent are lost on the way."""
    UNOBSERVED = "unobserved"
    """Nothing was recorded."""
    STEAL = "steal"
    """The hypervisor gives `factor` of every core to others."""
    QUOTA = "quota"
    """The work named `device` may use `factor` cores."""
    IO_LIMIT = "limit on I/O"
    """The work named `device` may move `factor` bytes a second."""
    HEAT = "heat"
    """Every core is slowed down, `factor` times a second."""
    WARM_ROOM = "warm room"
    """The air is `factor` °C warmer than usual."""
    FORKS = "fork storm"
    """`factor` tasks are made a second, and are gone at once."""
    SWITCHES = "switch storm"
    """Tasks wake each other `factor` times a second."""
    HUNG_TASKS = "hung tasks"
    """`factor` tasks hang in the kernel, on nothing that is counted as I/O."""
    GROUP_SWAPS = "a control group swaps"
    """A group at its own limit reads `factor` bytes a second back from swap, and writes as many, with memory to spare.
    """
    KILLS = "kills"
    """A control group at its limit loses `factor` processes at the beginning."""
    FILLING = "filling"
    """The filesystem at `device` grows by `factor` bytes a second."""
    DAMAGE = "damage"
    """`factor` packets a second arrive damaged at the link `device`."""
    LISTEN_QUEUE = "listen queue full"
    """`factor` connections a second find it full."""
    DATAGRAMS = "datagram buffer full"
    """`factor` datagrams a second are thrown away."""


@dataclass(frozen=True, slots=True)
class Fault:
    """Something that goes wrong for a while."""

    kind: FaultKind
    start_s: float
    end_s: float
    device: str = ""
    factor: float = 1.0


@dataclass(frozen=True, slots=True)
class Cause:
    """The truth about a stretch, for tests and exercises: what it is, or what it only looks like."""

    kind: str
    start_s: float
    end_s: float
    is_problem: bool
    story: str
    device: str | None = None
    because_of: str | None = None
    """The kind of the cause that this one follows from."""


@dataclass(frozen=True, slots=True)
class LogLine:
    """A line that the machine logs."""

    at_s: float
    severity: str
    source: str
    text: str


@dataclass(frozen=True, slots=True)
class Episode:
    """A stretch in which a program logs something, so many times an hour. In texts, `#` stands for a number."""

    start_s: float
    end_s: float
    per_hour: float
    severity: str
    texts: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Habit:
    """A program's log: what it usually writes, and what besides while something is wrong."""

    log: str
    source: str
    per_hour: float
    texts: tuple[str, ...]
    curve: Curve = Curve()
    episodes: tuple[Episode, ...] = ()


@dataclass(frozen=True, slots=True)
class Scenario:
    """A machine, what it does, and what is true of it."""

    machine: Machine
    archive: UUID
    name: str
    begin_ns: int
    length_s: int
    interval_s: float
    seed: int
    works: tuple[Work, ...]
    causes: tuple[Cause, ...] = ()
    faults: tuple[Fault, ...] = ()
    lines: tuple[LogLine, ...] = ()
    habits: tuple[Habit, ...] = ()

    @property
    def ticks(self) -> int:
        """How many ticks the scenario has."""
        return int(self.length_s / self.interval_s) + 1
