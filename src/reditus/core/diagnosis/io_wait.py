"""Tasks that wait for I/O without a disk to blame, or without any I/O; and what only looks like it.

iowait is idle time with a task waiting: one harmless copy on an idle machine shows a lot of it. Load counts waiting
tasks too. Neither convicts; stall totals, the disks' own waits and the count of blocked tasks do, together.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from reditus.core.diagnosis import disk, memory
from reditus.core.diagnosis.disk import risen_waits
from reditus.core.diagnosis.finding import Finding, Kind, RuledOut
from reditus.core.diagnosis.finding_builder import BELOW, FindingBuilder, Held, known, lasting
from reditus.core.diagnosis.rule import Context, Judgement, Rule
from reditus.core.diagnosis.sustained import Stretch, sustained
from reditus.core.durations import spell_duration
from reditus.core.filters import damped
from reditus.core.measures import Resource
from reditus.core.measures.processor import core_count
from reditus.core.types import NS_PER_S, BoolArray, FloatArray, IntArray

NEEDS = (
    "cpu.busy",
    "cpu.iowait",
    "cpu.blocked",
    "cpu.runnable",
    "cpu.waiting",
    "cpu.load.1m",
    "disk.busy",
    "disk.wait",
    "disk.queue",
    "stall.io.some",
    "stall.io.full",
)
STEADY_TICKS = 8
LOAD_S = 60.0
"""The kernel's one-minute load forgets with this time constant."""

LIMITED = Kind(
    "io.limited",
    "I/O throttled above the device",
    is_problem=True,
    meaning="Tasks lost most of their time to I/O while no disk was busy: a limit, or storage that is no disk of this "
    "machine.",
    evidence=("stall.io.some", "disk.busy"),
    look_alikes="`disk.slow`: the disk itself shows the long waits.",
    next_steps=(
        "See the I/O limits of the control group that the waiting tasks run in.",
        "See what filesystems over the network are mounted.",
    ),
    without="Without stall totals it cannot be reported.",
)
STALLED = Kind(
    "io.stalled",
    "Tasks stalled on I/O",
    is_problem=True,
    meaning="Several tasks at a time lost most of their time to I/O, and nothing narrower could be proven.",
    evidence=("stall.io.some", "stall.io.full", "cpu.blocked"),
    look_alikes="`io.iowait_harmless` and `disk.busy_steady`: one reader whose work it is to stream a disk.",
    next_steps=(
        "See which processes read and wrote, and whether that was meant.",
        "Compare with the same work on a normal day.",
    ),
    without="Without stall totals it cannot be reported. Its confidence is 70 % always.",
)
BLOCKED = Kind(
    "tasks.blocked",
    "Tasks blocked without I/O",
    is_problem=True,
    meaning="Tasks counted in the load neither ran, nor waited for a core, nor for a disk: they hang in the kernel, as "
    "on a frozen or unreachable filesystem.",
    evidence=("cpu.load.1m", "cpu.runnable", "cpu.blocked", "stall.io.some"),
    look_alikes="A load from tasks that run, or wait for a core or a disk, which other counters show.",
    next_steps=(
        "See which processes are in uninterruptible sleep, and on which filesystem they work.",
        "Read the kernel's lines about hung tasks in Notes.",
    ),
    without="Without stall totals the load against running and blocked tasks decides alike. Its confidence is 70 % "
    "always, for the load is a damped count.",
)
HARMLESS = Kind(
    "io.iowait_harmless",
    "I/O wait without stalls",
    is_problem=False,
    meaning="Cores were idle with a task waiting for I/O, and no disk was slower than always: work that reads or "
    "writes, on a machine with little else to do.",
    evidence=("cpu.iowait", "stall.io.full", "disk.wait"),
    look_alikes="`disk.saturated`, `disk.slow`: waits have risen.",
)
LOAD = Kind(
    "load.blocked",
    "Load above core count, cores idle",
    is_problem=False,
    meaning="The load was above the number of cores because tasks waited for something else than a core.",
    evidence=("cpu.load.1m", "cpu.blocked", "cpu.busy"),
    look_alikes="`cpu.saturated`: the tasks wait for a core.",
)
KINDS = (LIMITED, STALLED, BLOCKED, HARMLESS, LOAD)


@dataclass(frozen=True, slots=True)
class _Waits:
    bench: FindingBuilder
    cores: int
    busy: FloatArray
    iowait: FloatArray
    blocked: FloatArray
    running: FloatArray
    """Tasks that run or wait for a core: the better of what was counted and of what time adds up to."""
    load: FloatArray | None
    disk_busy: FloatArray | None
    queue: FloatArray
    """Requests in flight at all disks."""
    risen: BoolArray
    """Ticks at which some disk took longer than its normal, or has none to compare with."""
    stall: FloatArray | None
    full: FloatArray | None
    narrower: BoolArray
    """Ticks at which a disk or memory is known to be to blame."""


def judge_io_wait(context: Context) -> Judgement:
    """Judge I/O wait: what it cost, what held the tasks up, and where it is harmless."""
    readings, rules = context.readings, context.parameters
    busy = readings.sampled("cpu.busy")
    if busy is None or len(busy) < 2:
        return [], []
    base, count = busy.timebase, len(busy)

    def on(name: str) -> FloatArray | None:
        return readings.on(base, name)

    owned = np.nan_to_num(busy.values)
    seen = _Waits(
        bench=FindingBuilder(base, rules, Resource.DISK),
        cores=core_count(readings.frame),
        busy=owned,
        iowait=known(on("cpu.iowait"), count),
        blocked=known(on("cpu.blocked"), count),
        running=np.maximum(owned + known(on("cpu.waiting"), count), known(on("cpu.runnable"), count)),
        load=on("cpu.load.1m"),
        disk_busy=on("disk.busy"),
        queue=known(on("disk.queue"), count),
        risen=risen_waits(readings, rules, base),
        stall=on("stall.io.some"),
        full=on("stall.io.full"),
        narrower=_blamed(context, base.wall_ns),
    )
    limited, stalled, blocked = _limited(seen), _stalled(seen), _blocked(seen)
    found = [*limited, *stalled, *blocked]
    return found, [*_harmless(seen, [*limited, *stalled]), *_loaded(seen)]


def _blamed(context: Context, wall_ns: IntArray) -> BoolArray:
    """Ticks around what was found of disks and memory, shape (ticks,)."""
    out = np.zeros(len(wall_ns), dtype=bool)
    slack_ns = int(context.parameters.io_blame_slack_s * NS_PER_S)
    for finding in context.earlier_of((*disk.KINDS, *memory.KINDS)):
        out |= (wall_ns > finding.start_ns - slack_ns) & (wall_ns <= finding.end_ns + slack_ns)
    return out


def _few(cores: float) -> str:
    """Cores with as many digits as it takes not to say none."""
    return f"{cores:.1f}" if cores >= 0.1 else f"{cores:.2g}"


def _long(stretches: Sequence[Stretch], seen: _Waits, least_s: float) -> list[Stretch]:
    return [stretch for stretch in stretches if stretch.length_s(seen.bench.timebase) >= least_s]


def _limited(seen: _Waits) -> list[Finding]:
    if seen.stall is None or seen.disk_busy is None:
        return []
    bench, rules = seen.bench, seen.bench.rules
    stall, busy = np.nan_to_num(seen.stall), np.nan_to_num(seen.disk_busy)
    # Tasks that wait at a disk have a request there: with fewer in flight than time is lost, they wait elsewhere.
    # Where many disks are at work for others all the time, the tasks that wait without a request are those beyond it.
    beyond = _steadied(seen.blocked - seen.queue, seen)
    few = seen.queue < rules.io_limited_queue_share * stall
    free = ~seen.narrower & (busy < rules.io_limited_disk_busy) & (few | (beyond >= rules.io_limited_tasks))
    hold = ~seen.narrower & (busy < rules.io_limited_disk_busy_leave) & (stall >= rules.io_limited_leave)
    hold &= (seen.queue < 2 * rules.io_limited_queue_share * stall) | (beyond >= 0)
    stretches = [
        item
        for item in _long(
            sustained(free & (stall >= rules.io_limited_enter), hold, bench.timebase, rules), seen, rules.io_sustained_s
        )
        if bench.mean(seen.queue, item) < rules.io_limited_queue_share * bench.mean(stall, item)
        or bench.mean(seen.blocked - seen.queue, item) >= rules.io_limited_tasks
    ]
    return [
        bench.finding(
            LIMITED,
            stretch,
            rise=stall,
            lost=stall,
            held=[
                Held("stall.io.some", stall, rules.io_limited_enter),
                Held("disk.busy", busy, rules.io_limited_disk_busy, BELOW),
            ],
            explanation=f"For {bench.mean(stall, stretch):.0%} of {spell_duration(stretch.length_s(bench.timebase))} a "
            f"task was held up by I/O, while the busiest disk worked "
            f"{bench.mean(busy, stretch):.0%} of the time. Something above the disks holds the tasks "
            "back: a limit on their control group, or storage over the network.",
            considered=(
                "A saturated or slow disk: no, none was busy.",
                "Storage over the network: possible, its waits are in no disk's counters.",
            ),
        )
        for stretch in stretches
    ]


def _stalled(seen: _Waits) -> list[Finding]:
    if seen.stall is None or seen.disk_busy is None:
        return []
    bench, rules = seen.bench, seen.bench.rules
    stall, full = np.nan_to_num(seen.stall), known(seen.full, len(seen.busy))
    several = seen.blocked >= rules.io_stalled_tasks
    open_ = ~seen.narrower & seen.risen & (np.nan_to_num(seen.disk_busy) >= rules.io_limited_disk_busy)
    stretches = [
        item
        for item in _long(
            sustained(
                open_ & several & (stall >= rules.io_limited_enter),
                open_ & (stall >= rules.io_limited_leave),
                bench.timebase,
                rules,
            ),
            seen,
            rules.io_sustained_s,
        )
        if bench.mean(seen.blocked, item) >= rules.io_stalled_tasks
    ]
    return [
        bench.finding(
            STALLED,
            stretch,
            rise=stall,
            lost=stall,
            estimated=True,
            held=[
                Held("stall.io.some", stall, rules.io_limited_enter),
                Held("stall.io.full", full, None, "mean"),
                Held("cpu.blocked", seen.blocked, rules.io_stalled_tasks),
            ],
            explanation=f"For {bench.mean(stall, stretch):.0%} of {spell_duration(stretch.length_s(bench.timebase))} a "
            f"task was held up by I/O, "
            f"{bench.mean(seen.blocked, stretch):.1f} tasks at a time. A disk took somewhat longer than always, "
            f"not long enough "
            "to name it: it may be no more than work that asks for more than its disks give.",
            considered=(
                "A saturated or slow disk: not proven, waits rose less than that.",
                "One reader that streams a disk: no, several tasks waited.",
            ),
        )
        for stretch in stretches
    ]


def _blocked(seen: _Waits) -> list[Finding]:
    if seen.load is None:
        return []
    bench, rules = seen.bench, seen.bench.rules
    hidden = _hidden(seen, rules.blocked_window_s, rules.blocked_window_ticks)
    # Where others wait for disks, those that hang have to be the greater part.
    quiet = (
        np.ones(len(hidden), dtype=bool)
        if seen.stall is None
        else (np.nan_to_num(seen.stall) < rules.io_limited_leave) | (hidden >= 2 * _damped(seen.blocked, seen))
    )
    least = np.maximum(rules.blocked_tasks, rules.blocked_share * seen.running)
    stretches = _long(
        sustained(quiet & (hidden >= least), quiet & (hidden >= 0.6 * least), bench.timebase, rules),
        seen,
        rules.blocked_sustained_s,
    )
    return [
        bench.finding(
            BLOCKED,
            stretch,
            rise=_hidden(seen, rules.blocked_onset_s, 1),
            lost=np.clip(hidden, 0.0, 1.0),
            estimated=True,
            held=[
                Held("cpu.load.1m", np.nan_to_num(seen.load), None, "mean"),
                Held("cpu.runnable", seen.running, None, "mean"),
                Held("cpu.blocked", seen.blocked, None, "mean"),
                *([] if seen.stall is None else [Held("stall.io.some", np.nan_to_num(seen.stall), None, "mean")]),
            ],
            explanation=f"The load counted {bench.mean(hidden, stretch):.1f} tasks more than ran, waited for a core or "
            f"waited for a disk, for "
            f"{spell_duration(stretch.length_s(bench.timebase))}. They hang in the kernel on something else: a "
            f"frozen or unreachable "
            "filesystem, or a driver.",
            considered=(
                "Tasks that wait for a core: no, those are counted apart.",
                "Tasks that wait for a disk: no, neither blocked tasks nor stall totals show them.",
            ),
        )
        for stretch in stretches
    ]


def _hidden(seen: _Waits, window_s: float, least_ticks: int) -> FloatArray:
    """Tasks counted in the load that nothing else shows, at each tick.

    The load is a damped count; what was counted in between follows from its change: with k = exp(−Δt / 60 s),
    count = (load(t) − k × load(t − Δt)) / (1 − k).
    """
    base = seen.bench.timebase
    assert seen.load is not None
    load = seen.load
    step_s = float(np.median(base.interval_ns)) / NS_PER_S
    back = max(int(np.ceil(window_s / step_s)), least_ticks)
    out = np.zeros(len(load))
    if len(load) <= back:
        return out
    elapsed_s = (base.wall_ns[back:] - base.wall_ns[:-back]) / NS_PER_S
    kept = np.exp(-elapsed_s / LOAD_S)
    counted = (load[back:] - kept * load[:-back]) / (1.0 - kept)
    cumulative = np.cumsum(np.concatenate([[0.0], seen.running + seen.blocked]))
    mean = (cumulative[back + 1 :] - cumulative[1:-back]) / back
    whole = elapsed_s <= 1.5 * back * step_s
    out[back:] = np.where(whole, np.nan_to_num(counted) - mean, 0.0)
    # The window looks back; what it shows was there since its middle.
    return np.concatenate([out[back // 2 :], np.repeat(out[-1:], back // 2)])


def _harmless(seen: _Waits, found: Sequence[Finding]) -> list[RuledOut]:
    bench, rules = seen.bench, seen.bench.rules
    much = (seen.iowait >= rules.iowait_share * seen.cores) & ~seen.narrower
    for match in found:
        much &= (bench.timebase.wall_ns <= match.start_ns) | (bench.timebase.wall_ns > match.end_ns)
    stretches = _long(sustained(much, much, bench.timebase, lasting(rules)), seen, rules.io_sustained_s)
    held = [Held("cpu.iowait", seen.iowait, rules.iowait_share * seen.cores)]
    if seen.stall is not None:
        held.append(Held("stall.io.some", np.nan_to_num(seen.stall), None, "mean"))
    return [
        bench.ruled_out(
            HARMLESS,
            stretch,
            held=held,
            explanation=f"{_few(bench.mean(seen.iowait, stretch))} of {seen.cores} cores were idle while a task waited "
            f"for I/O. Every disk "
            "answered as quickly as it always does: that is a program which reads or writes, beside idle cores.",
        )
        for stretch in stretches
    ]


def _loaded(seen: _Waits) -> list[RuledOut]:
    if seen.load is None:
        return []
    bench, rules = seen.bench, seen.bench.rules
    load = np.nan_to_num(seen.load)
    running, blocked = _damped(seen.running, seen), _damped(seen.blocked, seen)
    idle = running < rules.load_idle_share * seen.cores
    high = idle & (load >= seen.cores) & (load >= 1.5) & (blocked >= rules.blocked_of_load * load)
    stretches = _long(sustained(high, high, bench.timebase, lasting(rules)), seen, rules.load_sustained_s)
    return [
        bench.ruled_out(
            LOAD,
            stretch,
            held=[
                Held("cpu.load.1m", load, float(seen.cores)),
                Held("cpu.busy", seen.busy, rules.load_idle_share * seen.cores, BELOW),
                Held("cpu.blocked", seen.blocked, None, "mean"),
            ],
            explanation=f"The load was {bench.mean(load, stretch):.1f} on {seen.cores} cores, of which "
            f"{bench.mean(seen.busy, stretch):.1f} were "
            "busy. The load counts tasks that wait for a disk or hang as well: more cores would change nothing.",
        )
        for stretch in stretches
    ]


def _steadied(values: FloatArray, seen: _Waits) -> FloatArray:
    """The mean of a minute, or of some ticks where those are far apart: what is counted once a tick is noisy."""
    step_s = float(np.median(seen.bench.timebase.interval_ns)) / NS_PER_S
    # In a short recording a minute would blur all of it.
    width = max(min(round(LOAD_S / step_s), len(values) // 6), STEADY_TICKS) | 1
    padded = np.pad(values, width // 2, mode="edge")
    mean: FloatArray = np.convolve(padded, np.full(width, 1.0 / width), "valid")
    return mean


def _damped(values: FloatArray, seen: _Waits) -> FloatArray:
    """As the one-minute load sees it: each second forgets a sixtieth of what was."""
    step_s = float(np.median(seen.bench.timebase.interval_ns)) / NS_PER_S
    kept = float(np.exp(-step_s / LOAD_S))
    return damped(values, kept, gain=1.0 - kept, state=values[:1] * kept)[0]


RULE = Rule(
    id="I/O wait",
    kinds=KINDS,
    needs=NEEDS,
    judge=judge_io_wait,
)
