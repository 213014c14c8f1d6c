"""Processor: saturated, or busy with no task waiting.

Saturated means that tasks wait, sustained, while the cores have no idle time to give. Busy alone is a well-used
machine. Evidence, best first: stall share and run delay (integrals); runnable beyond cores (a noisy level) where those
are missing, at lower confidence.
"""

from dataclasses import dataclass

import numpy as np

from reditus.core.diagnosis.finding import Finding, Kind, RuledOut
from reditus.core.diagnosis.finding_builder import BELOW, FindingBuilder, Held
from reditus.core.diagnosis.inputs import Readings
from reditus.core.diagnosis.parameters import Parameters
from reditus.core.diagnosis.rule import Context, Judgement, Rule
from reditus.core.diagnosis.sustained import Stretch, long_enough, sustained, time_mean, without
from reditus.core.durations import spell_duration
from reditus.core.frame import Timebase
from reditus.core.measures import Resource
from reditus.core.measures.processor import core_count
from reditus.core.types import BoolArray, FloatArray

NEEDS = ("cpu.busy", "cpu.steal", "cpu.nice", "cpu.waiting", "cpu.runnable", "stall.cpu.some")

SATURATED = Kind(
    "cpu.saturated",
    "Processor saturated",
    is_problem=True,
    meaning=(
        "Tasks were ready to run and waited for a core, sustained, while the cores had no idle time to give. "
        "Everything that needs the processor takes longer."
    ),
    requires=("cpu.busy",),
    evidence=("cpu.busy", "stall.cpu.some", "cpu.waiting"),
    look_alikes=(
        "`cpu.busy_unwaited`: as busy, but no task waits. A quota: tasks stall while the machine idles. A high load "
        "from blocked tasks: they wait for I/O, not for a core."
    ),
    next_steps=(
        "See which processes ran in this stretch, and whether each was meant to.",
        "Compare with the same hours on a normal day: is it more work, or slower work?",
        "If the work is wanted: spread it over time, lower its priority, or give the machine more cores.",
    ),
    without="Without stall totals the queue decides: run delay, else runnable tasks beyond the cores, at a confidence "
    "of 70 %.",
)
BUSY_UNWAITED = Kind(
    "cpu.busy_unwaited",
    "Cores busy, no tasks waiting",
    is_problem=False,
    meaning="The cores had hardly an idle moment, and tasks got one when they needed it, or only low-priority work "
    "waited.",
    evidence=("cpu.busy", "stall.cpu.some", "cpu.waiting", "cpu.nice"),
    look_alikes="`cpu.saturated`: as busy, and tasks wait.",
    without="Without stall totals the queue decides, as for `cpu.saturated`.",
)
KINDS = (SATURATED, BUSY_UNWAITED)


@dataclass(frozen=True, slots=True)
class _Processor:
    """The readings the rule judges by, all on one timebase."""

    bench: FindingBuilder
    cores: int
    busy: FloatArray
    occupied: FloatArray
    """Share of the cores that had no idle time: our own work and what the hypervisor took."""
    nice: FloatArray
    waiting: FloatArray
    stall: FloatArray | None

    @property
    def timebase(self) -> Timebase:
        """The ticks that it is judged at."""
        return self.bench.timebase


def judge_processor(context: Context) -> Judgement:
    """Judge the processor as a whole: saturated, or busy with no task waiting."""
    readings, rules = context.readings, context.parameters
    seen = _read(readings, rules)
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
        [_saturated(seen, stretch) for stretch in stretches],
        [_busy_unwaited(seen, stretch) for stretch in unwaited],
    )


def _read(readings: Readings, rules: Parameters) -> _Processor | None:
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
        bench=FindingBuilder(busy.timebase, rules, Resource.PROCESSOR),
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
    # Where no stall share bears it out, a queue of moments does not do.
    least = rules.cpu_waiting_per_core * (2.0 if seen.stall is None else 1.0)
    return mean is None or mean >= least * seen.cores


def _is_low_priority(seen: _Processor, stretch: Stretch, rules: Parameters) -> bool:
    return _nice_share(seen, stretch) >= rules.cpu_nice_share


def _nice_share(seen: _Processor, stretch: Stretch) -> float:
    busy = time_mean(seen.busy, seen.timebase, stretch)
    return (time_mean(seen.nice, seen.timebase, stretch) or 0.0) / busy if busy else 0.0


def _saturated(seen: _Processor, stretch: Stretch) -> Finding:
    bench = seen.bench
    waiting = time_mean(seen.waiting, seen.timebase, stretch)
    lost = np.clip(seen.waiting, 0.0, 1.0) if seen.stall is None else seen.stall
    held = [Held("cpu.busy", seen.busy, bench.rules.cpu_occupied_enter * seen.cores)]
    if seen.stall is not None:
        held.append(Held("stall.cpu.some", seen.stall, bench.rules.cpu_stall_enter))
    if waiting is not None:
        held.append(Held("cpu.waiting", seen.waiting, bench.rules.cpu_waiting_per_core * seen.cores))
    return bench.finding(
        SATURATED,
        stretch,
        rise=_rise(seen),
        lost=lost,
        held=held,
        explanation=_explain_saturated(seen, stretch, waiting=waiting, lost_share=bench.mean(lost, stretch)),
        considered=_considered(seen, stretch),
        estimated=seen.stall is None,
    )


def _rise(seen: _Processor) -> FloatArray:
    """What changes when saturation begins: occupation, and the stall share where there is one."""
    return seen.occupied if seen.stall is None else seen.occupied + seen.stall


def _explain_saturated(seen: _Processor, stretch: Stretch, *, waiting: float | None, lost_share: float) -> str:
    queue = "" if waiting is None else f", with {waiting:.1f} tasks waiting for one on average"
    length_s = stretch.length_s(seen.timebase)
    return (
        f"{seen.bench.mean(seen.busy, stretch):.1f} of {seen.cores} cores were busy{queue}. For "
        f"{spell_duration(lost_share * length_s)} of {spell_duration(length_s)} at least one task was ready to run and "
        f"had no "
        "core. There was more work than cores: everything that needs the processor took longer."
    )


def _considered(seen: _Processor, stretch: Stretch) -> tuple[str, ...]:
    stolen = time_mean(seen.occupied * seen.cores - seen.busy, seen.timebase, stretch) or 0.0
    return (
        f"Busy without waiting: no, tasks waited (that would be {BUSY_UNWAITED.id}).",
        f"Low-priority work that only fills idle time: no, it was {_nice_share(seen, stretch):.0%} of busy time.",
        f"Time taken by the hypervisor: {stolen:.2f} cores.",
    )


def _busy_unwaited(seen: _Processor, stretch: Stretch) -> RuledOut:
    bench, rules = seen.bench, seen.bench.rules
    busy = bench.mean(seen.busy, stretch)
    held = [Held("cpu.busy", seen.busy, rules.cpu_occupied_enter * seen.cores)]
    if seen.stall is not None and time_mean(seen.stall, seen.timebase, stretch) is not None:
        held.append(Held("stall.cpu.some", seen.stall, rules.cpu_stall_enter, BELOW))
    if time_mean(seen.waiting, seen.timebase, stretch) is not None:
        held.append(Held("cpu.waiting", seen.waiting, rules.cpu_waiting_per_core * seen.cores, BELOW))
    nice = _nice_share(seen, stretch)
    if nice >= rules.cpu_nice_share:
        held.append(Held("cpu.nice", seen.nice, rules.cpu_nice_share * busy))
        why = f"{nice:.0%} of it was low-priority work, which fills idle time and makes room when others come."
    else:
        why = "Tasks hardly waited for a core, so no work was delayed."
    return bench.ruled_out(
        BUSY_UNWAITED,
        stretch,
        held=held,
        explanation=(
            f"{busy:.1f} of {seen.cores} cores were busy for {spell_duration(stretch.length_s(seen.timebase))}. {why} "
            "That is a well-used machine, not a bottleneck."
        ),
    )


RULE = Rule(
    id="processor",
    kinds=KINDS,
    needs=NEEDS,
    judge=judge_processor,
)
