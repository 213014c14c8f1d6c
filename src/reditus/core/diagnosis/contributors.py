"""Top processes in a finding: the recorded processes by their share of what ran short.

A process counts from what its slots held over the finding; what no slot held is not attributed, so shares need not add
up to 1. They are no proof: who uses most of a resource need not be who uses it wrongly.
"""

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from reditus.core.diagnosis.finding import Finding
from reditus.core.frame import Frame, RawSeries
from reditus.core.kernel_columns import TICKS_PER_S
from reditus.core.processes import AMOUNTS, GROUP, PLACES, SLOTS, slot_columns, whole_columns
from reditus.core.schema import Column
from reditus.core.types import NS_PER_S, FloatArray, IntArray

MOST_REPORTED = 5
LEAST_SHARE = 0.03
_CPU, _KERNEL, _MEMORY, _READ, _WRITTEN, _MAJOR, _BLOCKED = (0, 1), (1,), (2,), (3,), (4,), (5,), (7,)
"""Places among AMOUNTS."""
_MOVED = (*_READ, *_WRITTEN)
BY = {
    _CPU: "processor time",
    _KERNEL: "processor time in the kernel, for no kernel counts a process's traffic",
    _MEMORY: "memory held",
    _READ: "bytes read",
    _WRITTEN: "bytes written",
    _MAJOR: "major faults",
    _BLOCKED: "time blocked on I/O",
    _MOVED: "bytes read and written",
}
"""What a share is a share of, in words."""
# What a process's part is measured by, best first: the first of which anybody had some.
MEASURED_BY: dict[str, tuple[tuple[int, ...], ...]] = {
    "cpu.saturated": (_CPU,),
    "cpu.one_core": (_CPU,),
    "cpu.steal": (_CPU,),
    "cpu.quota": (_CPU,),
    "cpu.churn": (_CPU,),
    "cpu.packets": (_CPU,),
    "cpu.thermal": (_CPU,),
    "memory.pressure": (_MEMORY,),
    "memory.oom_kill": (_MEMORY,),
    "swap.full": (_MEMORY,),
    "swap.thrashing": (_MAJOR, _MEMORY),
    "memory.cache_thrash": (_READ, _MAJOR),
    "disk.saturated": (_MOVED,),
    "disk.slow": (_BLOCKED, _MOVED),
    "disk.hot": (_MOVED,),
    "disk.writeback": (_WRITTEN,),
    "io.limited": (_BLOCKED, _MOVED),
    "io.stalled": (_BLOCKED, _MOVED),
    "cpu.interrupts": (_KERNEL,),
    "net.saturated": (_KERNEL,),
    "net.loss": (_KERNEL,),
    "net.backlog": (_KERNEL,),
    "net.listen_overflow": (_CPU,),
    "net.udp_overflow": (_CPU,),
}
GROWTH = {"memory.leak"}
"""Kinds by which a process's part is how much more it held at the end than at the beginning."""


@dataclass(frozen=True, slots=True)
class Contributor:
    """A process and its share, 0 to 1, of what all processes had of the resource over the finding."""

    pid: int
    start: int
    share: float


@dataclass(frozen=True, slots=True)
class Attribution:
    """Who had a part in a finding, as far as processes were recorded."""

    processes: tuple[Contributor, ...] = ()
    """The greatest parts, greatest first."""
    by: str = ""
    """What the shares are shares of, in words."""
    recorded: float = 0.0
    """What all recorded processes had of the whole, 0 to 1: the rest is not attributed."""


@dataclass(frozen=True, slots=True)
class NamedContributors:
    """The top processes of a finding with their names, and what all recorded ones had of the whole."""

    processes: tuple[tuple[Contributor, str | None], ...]
    by: str
    recorded: float


def named_contributors(found: Attribution, names: Mapping[tuple[int, int], str]) -> NamedContributors:
    """With the names of those that are known, by pid and start."""
    return NamedContributors(
        tuple((process, names.get((process.pid, process.start))) for process in found.processes),
        found.by,
        found.recorded,
    )


NONE = Attribution()


def is_attributed(kind: str) -> bool:
    """Whether processes can be named as contributors to findings of this kind."""
    return kind in MEASURED_BY or kind in GROWTH


def contributors_to(frame: Frame, finding: Finding) -> Attribution:
    """The processes with the greatest parts, greatest first; none where processes were not recorded, or have no part in
    such a kind.
    """
    group = next((item for item in frame.groups if item.name == GROUP), None)
    if group is None or not is_attributed(finding.kind):
        return NONE
    wall_ns = group.timebase.wall_ns
    within = np.flatnonzero((wall_ns > finding.start_ns) & (wall_ns <= finding.end_ns))
    if not len(within):
        return NONE
    series = {(column.counter, column.attributes): sery for column, sery in group.series.items()}
    if finding.kind in GROWTH:
        return _grown(series, within)
    if finding.kind == "cpu.one_core" and finding.device is not None:
        on_core = _by_process(series, _CPU, within, core=int(finding.device))
        # Of the core's own time, which it had no more of to give.
        whole_ticks = group.timebase.interval_ns[within].sum() / NS_PER_S * TICKS_PER_S
        return _greatest(on_core, max(float(whole_ticks), sum(on_core.values())), "the core's time")
    for places in MEASURED_BY[finding.kind]:
        whole = _amount(series, whole_columns()[: len(AMOUNTS)], places, within).sum()
        if whole > 0:
            return _greatest(_by_process(series, places, within), float(whole), BY[places])
    return NONE


_Series = dict[tuple[str, tuple[tuple[str, str], ...]], RawSeries]
_Key = tuple[int, int]


def _raw(series: _Series, column: Column, ticks: IntArray) -> IntArray:
    found = series.get((column.counter, column.attributes))
    if found is None:
        return np.zeros(len(ticks), dtype=np.int64)
    return found.at(ticks)


def _amount(series: _Series, columns: Sequence[Column], places: tuple[int, ...], ticks: IntArray) -> FloatArray:
    out = np.zeros(len(ticks))
    for place in places:
        out += _raw(series, columns[place], ticks)
    return out


def _by_process(
    series: _Series, places: tuple[int, ...], ticks: IntArray, core: int | None = None
) -> dict[_Key, float]:
    """What each had, over all cores or at the ticks at which it was last on one of them."""
    out: dict[_Key, float] = defaultdict(float)
    for slot in range(SLOTS):
        columns = slot_columns(slot)
        amounts = _amount(series, columns[len(PLACES) :], places, ticks)
        if core is not None:
            amounts[_raw(series, columns[PLACES.index("process.linux.core")], ticks) != core] = 0.0
        for who, mine in _owners(series, columns, ticks):
            out[who] += float(amounts[mine].sum())
    return out


def _owners(series: _Series, columns: Sequence[Column], ticks: IntArray) -> list[tuple[_Key, IntArray]]:
    """Whose a slot was, and at which of the ticks."""
    pids, starts = _raw(series, columns[0], ticks), _raw(series, columns[1], ticks)
    changes = np.flatnonzero((np.diff(pids) != 0) | (np.diff(starts) != 0)) + 1
    parts = np.split(np.arange(len(ticks)), changes)
    return [((int(pids[part[0]]), int(starts[part[0]])), part) for part in parts if pids[part[0]]]


def _grown(series: _Series, ticks: IntArray) -> Attribution:
    first: dict[_Key, tuple[int, float]] = {}
    last: dict[_Key, tuple[int, float]] = {}
    for slot in range(SLOTS):
        columns = slot_columns(slot)
        held = _amount(series, columns[len(PLACES) :], _MEMORY, ticks)
        for who, mine in _owners(series, columns, ticks):
            begin, end = int(mine[0]), int(mine[-1])
            if who not in first or begin < first[who][0]:
                first[who] = (begin, float(held[begin]))
            if who not in last or end > last[who][0]:
                last[who] = (end, float(held[end]))
    grown = {who: max(last[who][1] - first[who][1], 0.0) for who in first}
    held = _amount(series, whole_columns()[: len(AMOUNTS)], _MEMORY, ticks)
    return _greatest(grown, max(float(held[-1] - held[0]), sum(grown.values())), "growth of memory held")


def _greatest(amounts: dict[_Key, float], whole: float, by: str) -> Attribution:
    if whole <= 0:
        return NONE
    shares = sorted(((amount / whole, who) for who, amount in amounts.items()), reverse=True)
    return Attribution(
        tuple(Contributor(*who, min(share, 1.0)) for share, who in shares[:MOST_REPORTED] if share >= LEAST_SHARE),
        by,
        min(sum(amounts.values()) / whole, 1.0),
    )
