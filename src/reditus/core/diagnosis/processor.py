"""Processor: saturated, or busy with no task waiting.

Saturated means that tasks wait, sustained, while the cores have no idle time to give. Busy alone is a well-used
machine. Evidence, best first: stall share and run delay (integrals); runnable beyond cores (a noisy level) where those
are missing, at lower confidence.
"""

from dataclasses import dataclass

import numpy as np

from reditus.core.diagnosis.finding import Evidence, Finding, Kind, RuledOut
from reditus.core.diagnosis.inputs import Readings
from reditus.core.diagnosis.onset import find_onset
from reditus.core.diagnosis.parameters import Parameters
from reditus.core.diagnosis.sustained import Stretch, long_enough, sustained, time_mean, without
from reditus.core.durations import spell_duration
from reditus.core.frame import Timebase
from reditus.core.measures import Resource, Unit
from reditus.core.measures.processor import core_count
from reditus.core.types import NS_PER_S, BoolArray, FloatArray

SATURATED = "cpu.saturated"
BUSY_UNWAITED = "cpu.busy_unwaited"
NEEDS = ("cpu.busy", "cpu.steal", "cpu.nice", "cpu.waiting", "cpu.runnable", "stall.cpu.some")
CONFIDENT, WITHOUT_STALL = 0.95, 0.7

KINDS = (
    Kind(
        SATURATED,
        "Processor saturated",
        is_problem=True,
        meaning=(
            "Tasks were ready to run and waited for a core, sustained, while the cores had no idle time to give. Everything "
            "that needs the processor takes longer."
        ),
        evidence=("cpu.busy", "stall.cpu.some", "cpu.waiting"),
        look_alikes=(
            f"`{BUSY_UNWAITED}`: as busy, but no task waits. A quota: tasks stall while the machine idles. A high load from "
            "blocked tasks: they wait for I/O, not for a core."
        ),
        next_steps=(
            "See which processes ran in this stretch, and whether each was meant to.",
            "Compare with the same hours on a normal day: is it more work, or slower work?",
            "If the work is wanted: spread it over time, lower its priority, or give the machine more cores.",
        ),
        without="Without stall totals the queue decides: run delay, else runnable tasks beyond the cores, at a confidence of 70 %.",
    ),
    Kind(
        BUSY_UNWAITED,
        "Cores busy, no tasks waiting",
        is_problem=False,
        meaning="The cores had hardly an idle moment, and tasks got one when they needed it, or only low-priority work waited.",
        evidence=("cpu.busy", "stall.cpu.some", "cpu.waiting", "cpu.nice"),
        look_alikes=f"`{SATURATED}`: as busy, and tasks wait.",
        without="Without stall totals the queue decides, as for `cpu.saturated`.",
    ),
)


@dataclass(frozen=True, slots=True)
class _Processor:
    """The readings the rule judges by, all on one timebase."""

    timebase: Timebase
    cores: int
    busy: FloatArray
    occupied: FloatArray
    """Share of the cores that had no idle time: our own work and what the hypervisor took."""
    nice: FloatArray
    waiting: FloatArray
    stall: FloatArray | None


def judge_processor(readings: Readings, rules: Parameters) -> tuple[list[Finding], list[RuledOut]]:
    """Judge the processor as a whole: saturated, or busy with no task waiting."""
    seen = _read(readings)
    if seen is None:
        return [], []
    waits_enter, waits_hold = _waits(seen, rules)
    full_enter, full_hold = seen.occupied >= rules.cpu_occupied_enter, seen.occupied >= rules.cpu_occupied_leave
    stretches = [
        stretch
        for stretch in sustained(full_enter & waits_enter, full_hold & waits_hold, seen.timebase, rules)
        if _queue_is_real(seen, stretch, rules) and not _is_low_priority(seen, stretch, rules)
    ]
    busy = sustained(full_enter, full_hold, seen.timebase, rules)
    unwaited = long_enough(without(busy, stretches, len(seen.timebase)), full_hold, seen.timebase, rules)
    return (
        [_saturated(seen, stretch, rules) for stretch in stretches],
        [_busy_unwaited(seen, stretch, rules) for stretch in unwaited],
    )


def _read(readings: Readings) -> _Processor | None:
    busy = readings.sampled("cpu.busy")
    if busy is None or len(busy) < 2:
        return None
    cores = core_count(readings.frame)
    unknown = np.full(len(busy), np.nan)
    nothing = np.zeros(len(busy))

    def on(measure: str, missing: FloatArray) -> FloatArray:
        values = readings.on(busy.timebase, measure)
        return missing if values is None else values

    return _Processor(
        timebase=busy.timebase,
        cores=cores,
        busy=busy.values,
        occupied=(busy.values + on("cpu.steal", nothing)) / cores,
        nice=on("cpu.nice", nothing),
        waiting=on("cpu.waiting", unknown),
        stall=readings.on(busy.timebase, "stall.cpu.some"),
    )


def _waits(seen: _Processor, rules: Parameters) -> tuple[BoolArray, BoolArray]:
    """Ticks at which tasks waited: by stall share, or by the queue where the kernel has no stall totals."""
    if seen.stall is not None:
        return seen.stall >= rules.cpu_stall_enter, seen.stall >= rules.cpu_stall_leave
    queue = seen.waiting / seen.cores
    return queue >= 2 * rules.cpu_waiting_per_core, queue >= rules.cpu_waiting_per_core


def _queue_is_real(seen: _Processor, stretch: Stretch, rules: Parameters) -> bool:
    mean = time_mean(seen.waiting, seen.timebase, stretch)
    return mean is None or mean >= rules.cpu_waiting_per_core * seen.cores


def _is_low_priority(seen: _Processor, stretch: Stretch, rules: Parameters) -> bool:
    return _nice_share(seen, stretch) >= rules.cpu_nice_share


def _nice_share(seen: _Processor, stretch: Stretch) -> float:
    busy = time_mean(seen.busy, seen.timebase, stretch)
    return (time_mean(seen.nice, seen.timebase, stretch) or 0.0) / busy if busy else 0.0


def _saturated(seen: _Processor, stretch: Stretch, rules: Parameters) -> Finding:
    timebase = seen.timebase
    start_ns, end_ns = stretch.start_ns(timebase), stretch.end_ns(timebase)
    busy = time_mean(seen.busy, timebase, stretch) or 0.0
    waiting = time_mean(seen.waiting, timebase, stretch)
    lost_s, estimated = _time_lost(seen, stretch)
    length_s = (end_ns - start_ns) / NS_PER_S
    evidence = [
        Evidence("cpu.busy", None, busy, rules.cpu_occupied_enter * seen.cores, Unit.CORES, "mean, at least"),
        Evidence("stall.cpu.some", None, lost_s / length_s, rules.cpu_stall_enter, Unit.SHARE, "mean, at least"),
    ]
    if seen.stall is None:
        evidence.pop()
    if waiting is not None:
        least = rules.cpu_waiting_per_core * seen.cores
        evidence.append(Evidence("cpu.waiting", None, waiting, least, Unit.TASKS, "mean, at least"))
    return Finding(
        kind=SATURATED,
        title=KINDS[0].title,
        resource=Resource.PROCESSOR,
        device=None,
        start_ns=start_ns,
        end_ns=end_ns,
        onset=find_onset(_rise(seen), timebase, stretch, rules.onset_search_ticks),
        severity=min(lost_s / length_s, 1.0),
        time_lost_s=lost_s,
        time_lost_estimated=estimated,
        confidence=WITHOUT_STALL if estimated else CONFIDENT,
        evidence=tuple(evidence),
        explanation=_explain_saturated(seen, busy=busy, waiting=waiting, lost_s=lost_s, length_s=length_s),
        considered=_considered(seen, stretch),
        next=KINDS[0].next_steps,
    )


def _rise(seen: _Processor) -> FloatArray:
    """What changes when saturation begins: occupation, and the stall share where there is one."""
    return seen.occupied if seen.stall is None else seen.occupied + seen.stall


def _time_lost(seen: _Processor, stretch: Stretch) -> tuple[float, bool]:
    """Seconds in which at least one task waited, and whether that had to be estimated."""
    length_s = stretch.length_s(seen.timebase)
    if seen.stall is not None:
        return (time_mean(seen.stall, seen.timebase, stretch) or 0.0) * length_s, False
    return (time_mean(np.clip(seen.waiting, 0.0, 1.0), seen.timebase, stretch) or 0.0) * length_s, True


def _explain_saturated(seen: _Processor, *, busy: float, waiting: float | None, lost_s: float, length_s: float) -> str:
    queue = "" if waiting is None else f", with {waiting:.1f} tasks waiting for one on average"
    return (
        f"{busy:.1f} of {seen.cores} cores were busy{queue}. For {spell_duration(lost_s)} of "
        f"{spell_duration(length_s)} at least one task was ready to run and had no core. "
        "There was more work than cores: everything that needs the processor took longer."
    )


def _considered(seen: _Processor, stretch: Stretch) -> tuple[str, ...]:
    stolen = time_mean(seen.occupied * seen.cores - seen.busy, seen.timebase, stretch) or 0.0
    return (
        f"Busy without waiting: no, tasks waited (that would be {BUSY_UNWAITED}).",
        f"Low-priority work that only fills idle time: no, it was {_nice_share(seen, stretch):.0%} of busy time.",
        f"Time taken by the hypervisor: {stolen:.2f} cores.",
    )


def _busy_unwaited(seen: _Processor, stretch: Stretch, rules: Parameters) -> RuledOut:
    timebase = seen.timebase
    busy = time_mean(seen.busy, timebase, stretch) or 0.0
    waiting = time_mean(seen.waiting, timebase, stretch)
    stall = None if seen.stall is None else time_mean(seen.stall, timebase, stretch)
    evidence = [Evidence("cpu.busy", None, busy, rules.cpu_occupied_enter * seen.cores, Unit.CORES, "mean, at least")]
    if stall is not None:
        evidence.append(Evidence("stall.cpu.some", None, stall, rules.cpu_stall_enter, Unit.SHARE, "mean, below"))
    if waiting is not None:
        most = rules.cpu_waiting_per_core * seen.cores
        evidence.append(Evidence("cpu.waiting", None, waiting, most, Unit.TASKS, "mean, below"))
    nice = _nice_share(seen, stretch)
    if nice >= rules.cpu_nice_share:
        evidence.append(
            Evidence("cpu.nice", None, nice * busy, rules.cpu_nice_share * busy, Unit.CORES, "mean, at least")
        )
        why = f"{nice:.0%} of it was low-priority work, which fills idle time and makes room when others come."
    else:
        why = "Tasks hardly waited for a core, so no work was delayed."
    return RuledOut(
        kind=BUSY_UNWAITED,
        title=KINDS[1].title,
        resource=Resource.PROCESSOR,
        start_ns=stretch.start_ns(timebase),
        end_ns=stretch.end_ns(timebase),
        evidence=tuple(evidence),
        explanation=(
            f"{busy:.1f} of {seen.cores} cores were busy for {spell_duration(stretch.length_s(timebase))}. {why} "
            "That is a well-used machine, not a bottleneck."
        ),
    )
