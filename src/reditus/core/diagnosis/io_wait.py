"""Tasks that wait for I/O without a disk to blame, or without any I/O; and what only looks like it.

iowait is idle time with a task waiting: one harmless copy on an idle machine shows a lot of it. Load counts waiting
tasks too. Neither convicts; stall totals, the disks' own waits and the count of blocked tasks do, together.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from reditus.core.diagnosis import disk, memory
from reditus.core.diagnosis.blocked_tasks import LOAD_S, damped_as_load
from reditus.core.diagnosis.disk import highest_use, risen_waits
from reditus.core.diagnosis.finding import Finding, Kind, RuledOut
from reditus.core.diagnosis.finding_builder import BELOW, FindingBuilder, Held, known, lasting
from reditus.core.diagnosis.rule import Context, Judgement, Rule
from reditus.core.diagnosis.sustained import Stretch, sustained
from reditus.core.durations import spell_duration
from reditus.core.measures import Resource
from reditus.core.measures.measure import or_zero
from reditus.core.measures.processor import core_count
from reditus.core.types import NS_PER_S, BoolArray, FloatArray

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

LIMITED = Kind(
    "io.limited",
    "I/O throttled above the device",
    is_problem=True,
    meaning="Tasks lost most of their time to I/O while no disk was busy: a limit, or storage that is no disk of this "
    "machine.",
    requires=("stall.io.some", "cpu.blocked"),
    evidence=("stall.io.some", "disk.busy"),
    look_alikes="`disk.slow`: the disk itself shows the long waits.",
    next_steps=(
        "See the I/O limits of the control group that the waiting tasks run in.",
        "See what filesystems over the network are mounted.",
    ),
    without="Without stall totals tasks that are blocked all the time while every disk idles decide, at a confidence "
    "of 70 %.",
)
STALLED = Kind(
    "io.stalled",
    "Tasks stalled on I/O",
    is_problem=True,
    meaning="Several tasks at a time lost most of their time to I/O, and nothing narrower could be proven.",
    requires=("stall.io.some",),
    evidence=("stall.io.some", "stall.io.full", "cpu.blocked"),
    look_alikes="`io.iowait_harmless` and `disk.busy_steady`: one reader whose work it is to stream a disk.",
    next_steps=(
        "See which processes read and wrote, and whether that was meant.",
        "Compare with the same work on a normal day.",
    ),
    without="Without stall totals it cannot be reported. Its confidence is 70 % always.",
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
KINDS = (LIMITED, STALLED, HARMLESS, LOAD)


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

    owned = or_zero(busy.values)
    disk_busy, queue = highest_use(readings, base)
    seen = _Waits(
        bench=FindingBuilder(base, rules, Resource.DISK),
        cores=core_count(readings.frame),
        busy=owned,
        iowait=known(on("cpu.iowait"), count),
        blocked=known(on("cpu.blocked"), count),
        running=np.maximum(owned + known(on("cpu.waiting"), count), known(on("cpu.runnable"), count)),
        load=on("cpu.load.1m"),
        disk_busy=disk_busy if on("disk.busy") is not None else None,
        queue=queue,
        risen=risen_waits(readings, rules, base),
        stall=on("stall.io.some"),
        full=on("stall.io.full"),
        narrower=context.blamed((*disk.KINDS, *memory.KINDS), base),
    )
    found = [*(_limited(seen) if seen.stall is not None else _limited_without_stall(seen)), *_stalled(seen)]
    return found, [*_harmless(seen, found), *_loaded(seen, found)]


def _few(cores: float) -> str:
    """Cores with as many digits as it takes not to say none."""
    return f"{cores:.1f}" if cores >= 0.1 else f"{cores:.2g}"


def _long(stretches: Sequence[Stretch], seen: _Waits, least_s: float) -> list[Stretch]:
    return [stretch for stretch in stretches if stretch.length_s(seen.bench.timebase) >= least_s]


def _limited(seen: _Waits) -> list[Finding]:
    if seen.stall is None or seen.disk_busy is None:
        return []
    bench, rules = seen.bench, seen.bench.rules
    stall, busy = or_zero(seen.stall), or_zero(seen.disk_busy)
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


def _limited_without_stall(seen: _Waits) -> list[Finding]:
    """By the count of blocked tasks: several of them for long while every disk idles are held up above the disks."""
    if seen.disk_busy is None:
        return []
    bench, rules = seen.bench, seen.bench.rules
    blocked = _steadied(seen.blocked, seen)
    idle = ~seen.narrower & (seen.queue < rules.io_limited_queue_share * blocked)
    enter = idle & (seen.disk_busy < rules.io_limited_disk_busy) & (blocked >= rules.io_limited_blocked)
    hold = idle & (seen.disk_busy < rules.io_limited_disk_busy_leave) & (blocked >= rules.io_limited_blocked / 2)
    return [
        bench.finding(
            LIMITED,
            stretch,
            rise=seen.blocked,
            lost=np.clip(seen.blocked, 0.0, 1.0),
            estimated=True,
            held=[
                Held("cpu.blocked", seen.blocked, rules.io_limited_blocked),
                Held("disk.busy", seen.disk_busy, rules.io_limited_disk_busy, BELOW),
            ],
            explanation=f"{bench.mean(seen.blocked, stretch):.1f} tasks were blocked on average for "
            f"{spell_duration(stretch.length_s(bench.timebase))}, while the busiest disk worked "
            f"{bench.mean(seen.disk_busy, stretch):.0%} of the time. Something above the disks holds them back: a "
            "limit on their control group, or storage over the network. Stall totals, which would prove it, were not "
            "recorded.",
            considered=(
                "A saturated or slow disk: no, none was busy.",
                "A moment's flush: no, it went on.",
            ),
        )
        for stretch in _long(sustained(enter, hold, bench.timebase, rules), seen, rules.io_sustained_s)
    ]


def _stalled(seen: _Waits) -> list[Finding]:
    if seen.stall is None or seen.disk_busy is None:
        return []
    bench, rules = seen.bench, seen.bench.rules
    stall, full = or_zero(seen.stall), known(seen.full, len(seen.busy))
    several = seen.blocked >= rules.io_stalled_tasks
    open_ = ~seen.narrower & seen.risen & (or_zero(seen.disk_busy) >= rules.io_limited_disk_busy)
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


def _harmless(seen: _Waits, found: Sequence[Finding]) -> list[RuledOut]:
    bench, rules = seen.bench, seen.bench.rules
    much = (seen.iowait >= rules.iowait_share * seen.cores) & ~seen.narrower
    for match in found:
        much &= (bench.timebase.wall_ns <= match.start_ns) | (bench.timebase.wall_ns > match.end_ns)
    stretches = _long(sustained(much, much, bench.timebase, lasting(rules)), seen, rules.io_sustained_s)
    held = [Held("cpu.iowait", seen.iowait, rules.iowait_share * seen.cores)]
    if seen.stall is not None:
        held.append(Held("stall.io.some", or_zero(seen.stall), None, "mean"))
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


def _loaded(seen: _Waits, found: Sequence[Finding]) -> list[RuledOut]:
    if seen.load is None:
        return []
    bench, rules = seen.bench, seen.bench.rules
    load = or_zero(seen.load)
    running, blocked = (damped_as_load(item, bench.timebase) for item in (seen.running, seen.blocked))
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
        if not any(
            finding.start_ns < stretch.end_ns(bench.timebase) and stretch.start_ns(bench.timebase) < finding.end_ns
            for finding in found
        )
    ]


def _steadied(values: FloatArray, seen: _Waits) -> FloatArray:
    """The mean of a minute, or of some ticks where those are far apart: what is counted once a tick is noisy."""
    step_s = float(np.median(seen.bench.timebase.interval_ns)) / NS_PER_S
    # In a short recording a minute would blur all of it.
    width = max(min(round(LOAD_S / step_s), len(values) // 6), STEADY_TICKS) | 1
    padded = np.pad(values, width // 2, mode="edge")
    mean: FloatArray = np.convolve(padded, np.full(width, 1.0 / width), "valid")
    return mean


RULE = Rule(
    id="I/O wait",
    kinds=KINDS,
    needs=NEEDS,
    judge=judge_io_wait,
)
