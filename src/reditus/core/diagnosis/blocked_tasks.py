"""Tasks that hang without any I/O: counted in the load, and in nothing else.

Where the states of processes are recorded, they decide. Else the load is undone: it is a damped count, sampled every
five seconds, and outlives the tasks that made it.
"""

from dataclasses import dataclass

import numpy as np

from reditus.core.counters import PROCESS_STATE
from reditus.core.diagnosis import disk, memory
from reditus.core.diagnosis.column_requests import of_machine
from reditus.core.diagnosis.finding import Finding, Kind
from reditus.core.diagnosis.finding_builder import FindingBuilder, Held, known
from reditus.core.diagnosis.inputs import Readings, nearest
from reditus.core.diagnosis.rule import Context, Judgement, Rule
from reditus.core.diagnosis.sustained import Stretch, sustained
from reditus.core.durations import spell_duration
from reditus.core.filters import damped
from reditus.core.frame import Timebase
from reditus.core.measures import Resource
from reditus.core.measures.processor import core_count
from reditus.core.types import NS_PER_S, BoolArray, FloatArray

STATES = "process.linux.count"
HANGING = {PROCESS_STATE: "D"}
LOAD_S = 60.0
"""The kernel's one-minute load forgets with this time constant."""
UPDATE_S = 5.1
"""The kernel counts for its load about so often; one time more or less may fall into a stretch of ticks."""
NEEDS = (
    "cpu.busy",
    "cpu.steal",
    "cpu.blocked",
    "cpu.runnable",
    "cpu.waiting",
    "cpu.load.1m",
    "disk.busy",
    "disk.queue",
    "stall.io.some",
    of_machine(STATES, *HANGING.items()),
)

BLOCKED = Kind(
    "tasks.blocked",
    "Tasks blocked without I/O",
    is_problem=True,
    meaning="Tasks counted in the load neither ran, nor waited for a core, nor for a disk: they hang in the kernel, as "
    "on a frozen or unreachable filesystem.",
    requires=("cpu.load.1m",),
    evidence=("cpu.load.1m", "cpu.runnable", "cpu.blocked", "stall.io.some"),
    look_alikes="A load from tasks that run, or wait for a core or a disk, which other counters show.",
    next_steps=(
        "See which processes are in uninterruptible sleep, and on which filesystem they work.",
        "Read the kernel's lines about hung tasks in Notes.",
    ),
    without="Without stall totals the load against running and blocked tasks decides alike. Its confidence is 70 % "
    "always, for the load is a damped count.",
)
KINDS = (BLOCKED,)


@dataclass(frozen=True, slots=True)
class _Tasks:
    """All arrays have one entry a tick."""

    bench: FindingBuilder
    cores: int
    occupied: FloatArray
    """Share of the cores without idle time."""
    running: FloatArray
    """Tasks that run or wait for a core: the better of what was counted and of what time adds up to."""
    blocked: FloatArray
    load: FloatArray
    stall: FloatArray | None
    hanging: FloatArray | None
    """Processes in uninterruptible sleep; None where states were not recorded."""
    queue: FloatArray
    """Requests in flight at the disks."""
    blamed: BoolArray
    """Ticks at which a disk or memory is known to hold tasks up."""


def judge_blocked_tasks(context: Context) -> Judgement:
    """Judge whether tasks hang in the kernel on something else than I/O."""
    readings, rules = context.readings, context.parameters
    busy = readings.sampled("cpu.busy")
    load = None if busy is None or len(busy) < 2 else readings.on(busy.timebase, "cpu.load.1m")
    if busy is None or load is None:
        return [], []
    base, count, cores = busy.timebase, len(busy), core_count(readings.frame)

    def of(name: str) -> FloatArray:
        return known(readings.on(base, name), count)

    owned = np.nan_to_num(busy.values)
    seen = _Tasks(
        bench=FindingBuilder(base, rules, Resource.DISK),
        cores=cores,
        occupied=(owned + of("cpu.steal")) / cores,
        running=np.maximum(owned + of("cpu.waiting"), of("cpu.runnable")),
        blocked=of("cpu.blocked"),
        load=np.nan_to_num(load),
        stall=readings.on(base, "stall.io.some"),
        hanging=_hanging(readings, base),
        queue=disk.highest_use(readings, base)[1],
        blamed=_blamed(context, base),
    )
    return [_finding(seen, stretch, hidden) for stretch, hidden in _stretches(seen)], []


def _hanging(readings: Readings, base: Timebase) -> FloatArray | None:
    if not readings.frame.has(STATES, HANGING):
        return None
    return np.nan_to_num(nearest(readings.frame.level(STATES, HANGING), base))


def _blamed(context: Context, base: Timebase) -> BoolArray:
    out = np.zeros(len(base), dtype=bool)
    slack_ns = int(context.parameters.io_blame_slack_s * NS_PER_S)
    for finding in context.earlier_of((*disk.KINDS, *memory.KINDS)):
        out |= (base.wall_ns > finding.start_ns - slack_ns) & (base.wall_ns <= finding.end_ns + slack_ns)
    return out


def _stretches(seen: _Tasks) -> list[tuple[Stretch, FloatArray]]:
    bench, rules = seen.bench, seen.bench.rules
    hidden = _hidden(seen, rules.blocked_window_s, rules.blocked_window_ticks)
    if seen.hanging is not None:
        # With as many requests in flight they wait for a disk, each for its own or for another's.
        hidden = np.maximum(seen.hanging - np.maximum(seen.blocked, seen.queue), 0.0)
    # Where others wait for disks, those that hang have to be the greater part.
    quiet = np.ones(len(hidden), dtype=bool)
    if seen.stall is not None:
        stalled = np.nan_to_num(seen.stall) >= rules.io_limited_leave
        greater = hidden >= 2 * damped_as_load(seen.blocked, bench.timebase)
        # Those that wait for the journal of a filesystem on a slow disk sleep without counting as blocked.
        quiet = ~stalled | (greater & ~seen.blamed)
    least = np.full(len(hidden), rules.blocked_tasks)
    if seen.hanging is None:
        # Where tasks wait for cores, how many do is counted once a tick, and some are missed.
        crowded: BoolArray = seen.occupied >= rules.cpu_occupied_leave
        quiet &= ~crowded | (hidden >= rules.blocked_crowded_times * seen.running)
        least = np.maximum(least, rules.blocked_share * seen.running)
    return [
        (stretch, hidden)
        for stretch in sustained(quiet & (hidden >= least), quiet & (hidden >= 0.6 * least), bench.timebase, rules)
        if stretch.length_s(bench.timebase) >= rules.blocked_sustained_s
    ]


def _finding(seen: _Tasks, stretch: Stretch, hidden: FloatArray) -> Finding:
    bench, rules = seen.bench, seen.bench.rules
    by_state = seen.hanging is not None
    number = bench.mean(hidden, stretch)
    return bench.finding(
        BLOCKED,
        stretch,
        rise=_hidden(seen, rules.blocked_onset_s, 1) if seen.hanging is None else hidden,
        search_s=rules.blocked_window_s if seen.hanging is None else 0.0,
        lost=np.clip(hidden, 0.0, 1.0),
        estimated=True,
        confidence=0.9 if by_state else None,
        held=[
            Held("cpu.load.1m", seen.load, None, "mean"),
            Held("cpu.runnable", seen.running, None, "mean"),
            Held("cpu.blocked", seen.blocked, None, "mean"),
            *([] if seen.stall is None else [Held("stall.io.some", np.nan_to_num(seen.stall), None, "mean")]),
        ],
        explanation=(
            f"{number:.1f} processes were in uninterruptible sleep without waiting for a disk, "
            if by_state
            else f"The load counted {number:.1f} tasks more than ran, waited for a core or waited for a disk, "
        )
        + f"for {spell_duration(stretch.length_s(bench.timebase))}. They hang in the kernel on something else: a "
        "frozen or unreachable filesystem, or a driver.",
        considered=(
            "Tasks that wait for a core: no, those are counted apart.",
            "Tasks that wait for a disk: no, neither blocked tasks nor stall totals show them.",
            "A load that outlives its tasks: no, "
            + ("processes were seen in that state." if by_state else "its damping was undone."),
        ),
    )


def _hidden(seen: _Tasks, window_s: float, least_ticks: int) -> FloatArray:
    """Tasks counted in the load that nothing else shows, at each tick, shape (ticks,).

    The load is a damped count; what was counted in between follows from its change: with k = exp(−Δt / 60 s),
    count = (load(t) − k × load(t − Δt)) / (1 − k). The kernel counts every five seconds, so that one time more or less
    may lie between two ticks; the least of the three answers counts.
    """
    base = seen.bench.timebase
    step_s = float(np.median(base.interval_ns)) / NS_PER_S
    back = max(int(np.ceil(window_s / step_s)), least_ticks)
    out = np.zeros(len(seen.load))
    if len(seen.load) <= back:
        return out
    elapsed_s = (base.wall_ns[back:] - base.wall_ns[:-back]) / NS_PER_S
    counted = np.min(
        [_counted(seen.load, back, np.maximum(elapsed_s + late_s, step_s)) for late_s in (-UPDATE_S, 0.0, UPDATE_S)],
        axis=0,
    )
    cumulative = np.cumsum(np.concatenate([[0.0], seen.running + seen.blocked]))
    mean = (cumulative[back + 1 :] - cumulative[1:-back]) / back
    whole = elapsed_s <= 1.5 * back * step_s
    out[back:] = np.where(whole, np.nan_to_num(counted) - mean, 0.0)
    # The window looks back; what it shows was there since its middle.
    return np.concatenate([out[back // 2 :], np.repeat(out[-1:], back // 2)])


def _counted(load: FloatArray, back: int, elapsed_s: FloatArray) -> FloatArray:
    kept = np.exp(-elapsed_s / LOAD_S)
    return np.asarray((load[back:] - kept * load[:-back]) / (1.0 - kept))


def damped_as_load(values: FloatArray, base: Timebase) -> FloatArray:
    """A count as the kernel's one-minute load has it, shape (ticks,)."""
    step_s = float(np.median(base.interval_ns)) / NS_PER_S
    kept = float(np.exp(-step_s / LOAD_S))
    return damped(values, kept, gain=1.0 - kept, state=values[:1] * kept)[0]


RULE = Rule(
    id="blocked tasks",
    kinds=KINDS,
    needs=NEEDS,
    judge=judge_blocked_tasks,
)
