"""Tasks that hang without any I/O: counted in the load, and in nothing else.

Where the states of processes are recorded, they decide. Else the load is undone: it is a damped count, sampled every
five seconds, and outlives the tasks that made it.
"""

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view

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
from reditus.core.measures.measure import or_zero
from reditus.core.measures.processor import core_count
from reditus.core.types import NS_PER_S, BoolArray, FloatArray

STATES = "process.linux.count"
HANGING = {PROCESS_STATE: "D"}
LOAD_S = 60.0
"""The kernel's one-minute load forgets with this time constant."""
COUNT_S, UPDATE_S = 5.0, 5.1
"""How often the kernel counts for its load, and how long that may take to show."""
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
    without="Without the states of processes the load against running and blocked tasks decides, with stall totals or "
    "without, at a confidence of 70 %, for the load is a damped count.",
)
KINDS = (BLOCKED,)


@dataclass(frozen=True, slots=True)
class _Tasks:
    """All arrays have one entry a tick."""

    bench: FindingBuilder
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

    owned = or_zero(busy.values)
    seen = _Tasks(
        bench=FindingBuilder(base, rules, Resource.DISK),
        occupied=(owned + of("cpu.steal")) / cores,
        running=np.maximum(owned + of("cpu.waiting"), of("cpu.runnable")),
        blocked=of("cpu.blocked"),
        load=or_zero(load),
        stall=readings.on(base, "stall.io.some"),
        hanging=_hanging(readings, base),
        queue=disk.highest_use(readings, base)[1],
        blamed=context.blamed((*disk.KINDS, *memory.KINDS), base),
    )
    return [_finding(seen, stretch, hidden) for stretch, hidden in _stretches(seen)], []


def _hanging(readings: Readings, base: Timebase) -> FloatArray | None:
    if not readings.frame.has(STATES, HANGING):
        return None
    return or_zero(nearest(readings.frame.level(STATES, HANGING), base))


def _stretches(seen: _Tasks) -> list[tuple[Stretch, FloatArray]]:
    bench, rules = seen.bench, seen.bench.rules
    hidden = _hidden(seen, rules.blocked_window_s)
    if seen.hanging is not None:
        # With as many requests in flight they wait for a disk, each for its own or for another's.
        hidden = np.maximum(seen.hanging - np.maximum(seen.blocked, seen.queue), 0.0)
    # Where others wait for disks, those that hang have to be the greater part.
    quiet = np.ones(len(hidden), dtype=bool)
    if seen.stall is not None:
        stalled = or_zero(seen.stall) >= rules.io_limited_leave
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
        rise=_counts(seen.load, bench.timebase) - seen.running if seen.hanging is None else hidden,
        search_s=rules.blocked_window_s if seen.hanging is None else 0.0,
        lost=np.clip(hidden, 0.0, 1.0),
        estimated=True,
        confidence=0.9 if by_state else None,
        held=[
            Held("cpu.load.1m", seen.load, None, "mean"),
            Held("cpu.runnable", seen.running, None, "mean"),
            Held("cpu.blocked", seen.blocked, None, "mean"),
            *([] if seen.stall is None else [Held("stall.io.some", or_zero(seen.stall), None, "mean")]),
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


def _hidden(seen: _Tasks, window_s: float) -> FloatArray:
    """Tasks counted in the load that nothing else shows, at each tick, shape (ticks,).

    Tasks that hang are counted every time; short runs that happen to be there at one count are not there at the next.
    So the least of the counts within the window counts, wherever in it a tick lies.
    """
    base = seen.bench.timebase
    step_s = float(np.median(base.interval_ns)) / NS_PER_S
    width = max(int(np.ceil(window_s / step_s)), seen.bench.rules.blocked_window_ticks)
    if len(seen.load) <= width:
        return np.zeros(len(seen.load))
    beyond = _counts(seen.load, base) - _trailing_mean(seen.running + seen.blocked, width)
    beyond[~base.follows] = 0.0
    least = sliding_window_view(beyond, width).min(axis=1)
    # Each window's answer stands for all of it.
    padded = np.pad(least, width - 1, constant_values=-np.inf)
    widest: FloatArray = sliding_window_view(padded, width).max(axis=1)
    return np.maximum(widest, 0.0)


def _counts(load: FloatArray, base: Timebase) -> FloatArray:
    """What the kernel counted for its load, at each tick the count that was made last, shape (ticks,).

    The load is a damped count; what was counted in between follows from its change: with k = exp(−Δt / 60 s),
    count = (load(t) − k × load(t − Δt)) / (1 − k). It counts every five seconds, so that at long ticks one count more
    or less may lie between two of them, and at short ones Δt is not known to the second; the least of the answers
    counts.
    """
    # Never backwards, whatever the clock on the wall does.
    at_s = np.cumsum(np.maximum(np.diff(base.monotonic_ns, prepend=base.monotonic_ns[:1]), 0)) / NS_PER_S
    # The ticks at which a new count shows, or has to be there; at least a count's distance apart.
    marks, marked_s = [0], float(at_s[0])
    changed = np.diff(load, prepend=load[:1]) != 0
    for tick, (tick_s, differs) in enumerate(zip(at_s.tolist(), changed.tolist(), strict=True)):
        if tick_s - marked_s >= (UPDATE_S - 1.0 if differs else UPDATE_S + 2.0):
            marks.append(tick)
            marked_s = tick_s
    picked = np.array(marks)
    elapsed_s = np.diff(at_s[picked])
    guesses = [elapsed_s, np.maximum(np.round(elapsed_s / COUNT_S), 1.0) * COUNT_S]
    if len(elapsed_s) and float(np.median(elapsed_s)) > UPDATE_S + 2.0:
        guesses += [np.maximum(elapsed_s - UPDATE_S, COUNT_S), elapsed_s + UPDATE_S]
    before, after = load[picked[:-1]], load[picked[1:]]
    kept = [np.exp(-guess_s / LOAD_S) for guess_s in guesses]
    counted = np.min([(after - part * before) / (1.0 - part) for part in kept], axis=0)
    out = np.zeros(len(load))
    for number, (first, last) in enumerate(pairwise(marks)):
        out[first + 1 : last + 1] = counted[number]
    out[marks[-1] + 1 :] = counted[-1] if len(counted) else 0.0
    return or_zero(out)


def _trailing_mean(values: FloatArray, width: int) -> FloatArray:
    """The mean of each tick and those before it, shape (ticks,)."""
    sums = np.cumsum(np.concatenate([np.zeros(1), values]))
    first = np.maximum(np.arange(1, len(values) + 1) - width, 0)
    return np.asarray((sums[1:] - sums[first]) / (np.arange(1, len(values) + 1) - first))


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
