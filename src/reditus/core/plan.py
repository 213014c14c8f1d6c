"""What a recorder records, how often, when, and for how long it is kept; and what is wrong with a plan that is none."""

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from fnmatch import fnmatchcase
from typing import Any

from reditus.core import counters as name
from reditus.core.blocks import MAX_INTERVAL_NS, MIN_INTERVAL_NS
from reditus.core.durations import parse_duration
from reditus.core.errors import CoreError
from reditus.core.markers import SEVERITIES
from reditus.core.outside import shown
from reditus.core.rfc3339 import parse_instant
from reditus.core.schema import Column
from reditus.core.types import NS_PER_S, Json

GROUPS: Mapping[str, str] = {
    "cpu": "Processor time by core, switches, forks, runnable and blocked tasks",
    "run": "Waiting for a core, by core",
    "softirq": "Soft interrupts by kind and core",
    "interrupt": "Interrupts by kind and core",
    "cpu.frequency": "Core speed and throttling",
    "sensor": "Temperatures and other sensors",
    "load": "Load averages",
    "uptime": "Uptime",
    "memory": "Memory by use",
    "memory.node": "Memory by node",
    "paging": "Reclaim, faults, swap traffic",
    "swap": "Swap space by device",
    "swap.compressed": "Compressed swap",
    "disk": "Disks, partitions, volumes",
    "filesystem": "Space and inodes by mount point",
    "network": "Interfaces",
    "network.link": "Speed and carrier of interfaces",
    "protocols": "Protocol counters",
    "sockets": "Sockets",
    "backlog": "Input backlog by core",
    "tracking": "Connection tracking",
    "stall": "Stall totals",
    "cgroup": "Control groups",
    "process": "The heaviest processes",
}
"""What may be named in a plan. A name stands for the recorder's group of that name and those below it."""
DEVICES: Mapping[str, str] = {
    "disk": name.DISK,
    "interface": name.INTERFACE,
    "filesystem": name.MOUNT,
    "cgroup": name.CGROUP,
}
"""Kinds of devices that may be left out, by the attribute that names them."""
PARTS = (
    "name", "every", "groups", "devices", "when", "keep", "burst", "arguments", "threads", "control_groups", "log",
)  # fmt: skip
DAYS = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")
RESOURCES = ("cpu", "memory", "io")
SCOPES = ("some", "full")
MAX_NAME = 80
MAX_PATTERNS = 64
MAX_DEPTH = 8
DAY_NS = 86_400 * NS_PER_S
_CLOCK = re.compile(r"^([01]\d|2[0-3]):([0-5]\d)$|^24:00$")


class PlanError(CoreError, ValueError):
    """A plan that cannot be followed; `problems` says of each wrong part where, and what would be right."""

    def __init__(self, problems: list[tuple[str, str]]) -> None:
        super().__init__("; ".join(f"{where}: {what}" for where, what in problems))
        self.problems = problems


@dataclass(frozen=True, slots=True)
class Stretch:
    """Part of every week, on some days, in minutes of the day, UTC."""

    days: tuple[str, ...]
    from_min: int
    to_min: int

    def holds(self, at_ns: int) -> bool:
        """Whether an instant lies within these weekly hours."""
        day, within_ns = divmod(at_ns, DAY_NS)
        minute = within_ns // (60 * NS_PER_S)
        # The epoch began on a Thursday.
        return DAYS[(day + DAYS.index("thu")) % len(DAYS)] in self.days and self.from_min <= minute < self.to_min


@dataclass(frozen=True, slots=True)
class Choice:
    """Which devices of a kind: those that match `only` (all where it is empty) and none of `without`."""

    only: tuple[str, ...] = ()
    without: tuple[str, ...] = ()
    idle: bool = True
    """Whether those that never did anything are recorded."""

    def takes(self, device: str) -> bool:
        """Whether the filter includes a device."""
        wanted = not self.only or any(fnmatchcase(device, pattern) for pattern in self.only)
        return wanted and not any(fnmatchcase(device, pattern) for pattern in self.without)


@dataclass(frozen=True, slots=True)
class Burst:
    """Faster ticks, by hand or while tasks lose more than a share of their time to a resource."""

    every_ns: int = NS_PER_S // 5
    last_ns: int = 60 * NS_PER_S
    resource: str | None = None
    """None: by hand only."""
    scope: str = "some"
    above: float = 0.2
    for_ns: int = 5 * NS_PER_S


@dataclass(frozen=True)
class Plan:
    """What a recorder records, how often, when, and how long it is kept."""

    name: str
    every_ns: int = NS_PER_S
    groups_ns: Mapping[str, int] = field(default_factory=dict)
    """Groups with an interval of their own."""
    left_out: frozenset[str] = frozenset()
    devices: Mapping[str, Choice] = field(default_factory=dict)
    start_ns: int | None = None
    end_ns: int | None = None
    weekly: tuple[Stretch, ...] = ()
    """Empty: always."""
    keep_ns: int | None = None
    """None: for ever."""
    burst: Burst = field(default_factory=Burst)
    arguments: bool = False
    """Whether the command lines of processes are recorded. They may hold secrets."""
    threads: bool = False
    """Whether the heaviest threads of the heaviest processes are recorded one by one."""
    control_groups: tuple[str, ...] = ()
    """Paths or patterns of control groups below the top level that are recorded too."""
    log: str | None = None
    """Lines of the kernel's log of this severity and worse are kept as markers; None: none are."""
    source: Json = field(default_factory=dict, compare=False)
    """As it was written."""

    def is_due(self, now_ns: int) -> bool:
        """Whether it says to record at this time."""
        if (self.start_ns is not None and now_ns < self.start_ns) or (
            self.end_ns is not None and now_ns >= self.end_ns
        ):
            return False
        return not self.weekly or any(stretch.holds(now_ns) for stretch in self.weekly)

    def records(self, group: str) -> bool:
        """Whether a group of counters is recorded."""
        return not any(covers(each, group) for each in self.left_out)

    def interval_of(self, group: str) -> int | None:
        """The group's own interval; the longest name that covers it counts. None where it has none."""
        named = [each for each in self.groups_ns if covers(each, group)]
        return self.groups_ns[max(named, key=len)] if named else None

    def takes(self, column: Column) -> bool:
        """Whether a column's device is wanted; a column without a device always is."""
        for kind, choice in self.devices.items():
            device = column.attribute(DEVICES[kind])
            if device is not None and not choice.takes(device):
                return False
        return True

    @classmethod
    def from_json(cls, source: Any) -> "Plan":
        """Raise PlanError with everything that is wrong, not only the first."""
        return _Reader().plan(source)


def covers(named: str, group: str) -> bool:
    """Whether a name in a plan stands for a recorder's group.

    >>> covers("stall", "stall.io"), covers("memory.node", "memory")
    (True, False)
    """
    # A group that may be named for itself is not meant by the name above it.
    return group == named or (group.startswith(f"{named}.") and group not in GROUPS)


class _Reader:
    """Reads a plan and collects what is wrong."""

    def __init__(self) -> None:
        self.problems: list[tuple[str, str]] = []

    def plan(self, source: Any) -> Plan:
        if not isinstance(source, dict):
            raise PlanError([("plan", "a plan is an object with a name")])
        self._only_known(source, "plan", PARTS)
        title = source.get("name")
        if not isinstance(title, str) or not 0 < len(title.strip()) <= MAX_NAME or not title.isprintable():
            self._wrong("name", f"a printable text of 1 to {MAX_NAME} characters")
        every_ns = self._interval("every", source.get("every", "1s"))
        groups_ns, left_out = self._groups(source.get("groups", {}), every_ns)
        when = self._object("when", source.get("when"), {"start", "end", "weekly"})
        start_ns, end_ns = self._time("when.start", when.get("start")), self._time("when.end", when.get("end"))
        if start_ns is not None and end_ns is not None and end_ns <= start_ns:
            self._wrong("when.end", "later than when.start")
        plan = Plan(
            name=str(title).strip(),
            every_ns=every_ns,
            groups_ns=groups_ns,
            left_out=left_out,
            devices=self._devices(source.get("devices")),
            start_ns=start_ns,
            end_ns=end_ns,
            weekly=self._weekly(when.get("weekly", [])),
            keep_ns=None
            if source.get("keep") is None
            else self._duration("keep", source["keep"], least_ns=60 * NS_PER_S),
            burst=self._burst(source.get("burst"), every_ns),
            arguments=self._flag("arguments", source.get("arguments", False)),
            threads=self._flag("threads", source.get("threads", False)),
            control_groups=self._control_groups(source.get("control_groups", [])),
            log=None if source.get("log") is None else self._one_of("log", source["log"], SEVERITIES),
            source=source,
        )
        if self.problems:
            raise PlanError(self.problems)
        return plan

    def _wrong(self, where: str, what: str) -> None:
        self.problems.append((where, what))

    def _only_known(self, source: Mapping[str, Any], where: str, known: Iterable[str]) -> None:
        for key in sorted(set(map(str, source)) - set(known)):
            self._wrong(f"{where}.{key[:MAX_NAME]}", f"not known; there are {', '.join(sorted(known))}")

    def _object(self, where: str, source: Any, known: Iterable[str]) -> dict[str, Any]:
        if source is None:
            return {}
        if not isinstance(source, dict):
            self._wrong(where, "an object")
            return {}
        self._only_known(source, where, known)
        return source

    def _flag(self, where: str, source: Any) -> bool:
        if not isinstance(source, bool):
            self._wrong(where, "true or false")
        return bool(source)

    def _duration(self, where: str, source: Any, *, least_ns: int, most_ns: int | None = None) -> int:
        try:
            found = parse_duration(source) if isinstance(source, str) else 0
        except ValueError as why:
            self._wrong(where, str(why))
            return least_ns
        if found < least_ns or (most_ns is not None and found > most_ns):
            most = f" and at most {most_ns / NS_PER_S:g} s" if most_ns is not None else ""
            self._wrong(
                where,
                f"a duration of at least {least_ns / NS_PER_S:g} s{most}, such as 5s or 1.5h, not {shown(source)}",
            )
            return least_ns
        return found

    def _interval(self, where: str, source: Any) -> int:
        return self._duration(where, source, least_ns=MIN_INTERVAL_NS, most_ns=MAX_INTERVAL_NS)

    def _groups(self, source: Any, every_ns: int) -> tuple[dict[str, int], frozenset[str]]:
        intervals: dict[str, int] = {}
        left_out = set()
        for group, wish in self._object("groups", source, GROUPS).items():
            where = f"groups.{group}"
            if group not in GROUPS:
                continue
            found = self._object(where, wish, {"every", "record"})
            if not self._flag(f"{where}.record", found.get("record", True)):
                left_out.add(group)
            if "every" in found:
                own_ns = self._interval(f"{where}.every", found["every"])
                if own_ns % every_ns:
                    self._wrong(
                        f"{where}.every", f"a whole multiple of the plan's own interval, {every_ns / NS_PER_S:g} s"
                    )
                intervals[group] = own_ns
        return intervals, frozenset(left_out)

    def _devices(self, source: Any) -> dict[str, Choice]:
        out = {}
        for kind, wish in self._object("devices", source, DEVICES).items():
            if kind not in DEVICES:
                continue
            found = self._object(f"devices.{kind}", wish, {"only", "without", "idle"})
            out[kind] = Choice(
                only=self._patterns(f"devices.{kind}.only", found.get("only", [])),
                without=self._patterns(f"devices.{kind}.without", found.get("without", [])),
                idle=self._flag(f"devices.{kind}.idle", found.get("idle", True)),
            )
        return out

    def _patterns(self, where: str, source: Any) -> tuple[str, ...]:
        right = (
            isinstance(source, list)
            and len(source) <= MAX_PATTERNS
            and all(isinstance(entry, str) and 0 < len(entry) <= MAX_NAME for entry in source)
        )
        if not right:
            self._wrong(where, f'a list of at most {MAX_PATTERNS} names or patterns, such as ["sd*", "nvme0n1"]')
            return ()
        return tuple(source)

    def _control_groups(self, source: Any) -> tuple[str, ...]:
        where = "control_groups"
        paths = self._patterns(where, source)
        for place, path in enumerate(paths):
            parts = path.strip("/").split("/")
            if not all(parts) or any(part in (".", "..") or part.startswith("**") for part in parts) or " " in path:
                self._wrong(
                    f"{where}.{place}", f"a path such as system.slice/web.service or user.slice/*, not {shown(path)}"
                )
            elif len(parts) > MAX_DEPTH:
                self._wrong(f"{where}.{place}", f"at most {MAX_DEPTH} levels deep")
        return tuple(path.strip("/") for path in paths)

    def _time(self, where: str, source: Any) -> int | None:
        if source is None:
            return None
        try:
            return parse_instant(source if isinstance(source, str) else "")
        except ValueError:
            self._wrong(where, f"a time with its zone, such as 2026-11-12T09:00:00Z, not {shown(source)}")
            return None

    def _weekly(self, source: Any) -> tuple[Stretch, ...]:
        if not isinstance(source, list) or len(source) > MAX_PATTERNS:
            self._wrong("when.weekly", "a list of stretches with days, from and to")
            return ()
        out = []
        for place, each in enumerate(source):
            where = f"when.weekly.{place}"
            found = self._object(where, each, {"days", "from", "to"})
            days = found.get("days", list(DAYS))
            if not isinstance(days, list) or not days or not set(map(str, days)) <= set(DAYS):
                self._wrong(f"{where}.days", f"some of {', '.join(DAYS)}")
                days = list(DAYS)
            begin, end = (
                self._minute(f"{where}.{key}", found.get(key, usual))
                for key, usual in (("from", "00:00"), ("to", "24:00"))
            )
            if end <= begin:
                self._wrong(f"{where}.to", "later than from; a stretch over midnight is two")
            out.append(Stretch(tuple(days), begin, end))
        return tuple(out)

    def _minute(self, where: str, source: Any) -> int:
        if not isinstance(source, str) or not _CLOCK.match(source):
            self._wrong(where, f"a time of day in UTC, 00:00 to 24:00, not {shown(source)}")
            return 0
        hour, minute = source.split(":")
        return int(hour) * 60 + int(minute)

    def _burst(self, source: Any, every_ns: int) -> Burst:
        found = self._object("burst", source, {"every", "last", "resource", "scope", "above", "for"})
        usual = Burst()

        def duration(key: str, default_ns: int, least_ns: int) -> int:
            return self._duration(f"burst.{key}", found[key], least_ns=least_ns) if key in found else default_ns

        resource = self._one_of("burst.resource", found.get("resource"), RESOURCES) if found.get("resource") else None
        above = found.get("above", usual.above)
        if not isinstance(above, int | float) or isinstance(above, bool) or not 0 < above < 1:
            self._wrong("burst.above", "a share of time above 0 and below 1, such as 0.2")
            above = usual.above
        burst_ns = self._interval("burst.every", found["every"]) if "every" in found else min(usual.every_ns, every_ns)
        if burst_ns > every_ns:
            self._wrong("burst.every", f"no longer than the plan's own interval, {every_ns / NS_PER_S:g} s")
        return Burst(
            every_ns=burst_ns,
            last_ns=duration("last", usual.last_ns, NS_PER_S),
            resource=resource,
            scope=self._one_of("burst.scope", found.get("scope", "some"), SCOPES),
            above=float(above),
            for_ns=duration("for", usual.for_ns, 0),
        )

    def _one_of(self, where: str, source: Any, known: tuple[str, ...]) -> str:
        if source not in known:
            self._wrong(where, f"one of {', '.join(known)}, not {shown(source)}")
            return known[0]
        return str(source)
