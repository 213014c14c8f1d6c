"""Processor measures: who used the cores, in cores, and who waited for one."""

from functools import partial

import numpy as np

from reditus.core.counters import CGROUP, CPU_MODE, CPU_NUMBER, RESOURCE, SCOPE, THROTTLE
from reditus.core.errors import UnknownCounter
from reditus.core.frame import Frame, Series
from reditus.core.measures.measure import Measure, Need, Per, Reach, Resource, Unit, add, highest, natural_key, ratio
from reditus.core.types import FloatArray

TIME = "system.cpu.time"
RUN_DELAY = "system.cpu.run_delay"
RUNNABLE = "system.process.runnable"
BLOCKED = "system.process.blocked"
PRESSURE = "system.linux.pressure.time"
QUOTA_PERIODS = "system.cgroup.cpu.periods"
THROTTLED_PERIODS = "system.cgroup.cpu.throttled_periods"
THROTTLES = "system.cpu.linux.throttled"

# guest and guest_nice are already inside user and nice.
COUNTED = ("user", "nice", "system", "idle", "iowait", "interrupt", "softirq", "steal")
IDLE = ("idle", "iowait")
NOT_OURS = (*IDLE, "steal")
OWN = tuple(mode for mode in COUNTED if mode not in NOT_OURS)
# Kernels before 2.6.11 had no steal; a host without the column stole nothing it knew of.
OPTIONAL = ("steal",)

MODE_TITLES = {
    "user": "Programs",
    "nice": "Nice",
    "system": "System",
    "interrupt": "Interrupts",
    "softirq": "Softirqs",
    "steal": "Stolen by the hypervisor",
    "iowait": "Idle during I/O wait",
    "idle": "Idle",
}
MODE_HELP = {
    "user": "Programs, without low-priority ones.",
    "nice": "Programs that ask for low priority; they fill what others leave.",
    "system": "The kernel, working for programs.",
    "interrupt": "Answering devices.",
    "softirq": "Deferred device work: packets, timers, completions.",
    "steal": "Time in which the hypervisor ran other guests.",
    "iowait": "Idle time with a task waiting for I/O. It vanishes when other work fills the core, so little of it does "
    "not clear the disks; on an idle machine one harmless copy shows a lot, so much of it does not convict them.",
    "idle": "Nothing to do.",
}


def core_attributes(mode: str, core: str | None) -> dict[str, str]:
    """Attributes of the processor time of one mode, of a core or of the machine (None)."""
    return {CPU_MODE: mode} | ({CPU_NUMBER: core} if core is not None else {})


def mode_seconds(frame: Frame, core: str | None, mode: str) -> Series:
    """Processor time of a mode in each interval, in seconds; only idle modes may step back."""
    return frame.delta(TIME, core_attributes(mode, core), allow_decrease=mode in IDLE)


def total_seconds(frame: Frame, core: str | None) -> FloatArray:
    """Growth over all modes: the denominator. Wall time × cores is not, for virtual machines book steal on top."""

    def added_up() -> FloatArray:
        parts = [
            mode_seconds(frame, core, mode).values
            for mode in COUNTED
            if mode not in OPTIONAL or frame.has(TIME, core_attributes(mode, core))
        ]
        total: FloatArray = np.add.reduce(parts)
        return total

    return frame.memoize(("processor time", core), added_up)


def core_count(frame: Frame) -> int:
    """Cores that the host has: those it recorded, else as its facts say, else one."""
    return len(frame.values_of(TIME, CPU_NUMBER)) or frame.facts.cores or 1


def cores_in(frame: Frame, core: str | None, modes: tuple[str, ...]) -> Series:
    """Cores spent in the modes: the share of the total, times the cores it is a share of."""
    there = [mode for mode in modes if mode not in OPTIONAL or frame.has(TIME, core_attributes(mode, core))]
    if not there:
        raise UnknownCounter(f"{TIME} {modes}")
    spent = [mode_seconds(frame, core, mode) for mode in there]
    scale = 1 if core is not None else core_count(frame)
    share = ratio(np.add.reduce([part.values for part in spent]), total_seconds(frame, core))
    return Series(spent[0].timebase, share * scale)


def hottest(frame: Frame, _: str | None) -> Series:
    """The busiest core's share at each tick."""
    cores = sorted(frame.values_of(TIME, CPU_NUMBER), key=natural_key)
    if not cores:
        raise UnknownCounter(TIME)
    each = [cores_in(frame, core, OWN) for core in cores]
    return Series(each[0].timebase, highest([item.values for item in each]))


def waiting(frame: Frame, core: str | None) -> Series:
    """Mean number of tasks that waited for a core: run delay where the kernel tells it, else runnable beyond cores."""
    if core is not None:
        return frame.rate(RUN_DELAY, {CPU_NUMBER: core})
    cores = frame.values_of(RUN_DELAY, CPU_NUMBER)
    if cores:
        each = [frame.rate(RUN_DELAY, {CPU_NUMBER: number}) for number in cores]
        return Series(each[0].timebase, np.sum([item.values for item in each], axis=0))
    running = runnable(frame, None)
    return Series(running.timebase, np.maximum(running.values - core_count(frame), 0.0))


def runnable(frame: Frame, _: str | None) -> Series:
    """Runnable tasks without the recorder, which runs while it looks."""
    seen = frame.level(RUNNABLE)
    return Series(seen.timebase, np.maximum(seen.values - 1, 0.0))


def stalled(frame: Frame, _: str | None, *, resource: str, scope: str) -> Series:
    """Share of time lost; the kernel's own rounding may carry it a hair above 1."""
    lost = frame.rate(PRESSURE, {RESOURCE: resource, SCOPE: scope})
    return Series(lost.timebase, np.clip(lost.values, 0.0, 1.0))


def quota(frame: Frame, _: str | None) -> Series:
    """Of the control group that its quota held back most, the share of periods in which it did."""
    return quotas(frame)[0]


def quotas(frame: Frame) -> tuple[Series, list[str], FloatArray]:
    """The highest share over the groups, the groups' names, and each one's own share (a row each)."""
    groups = frame.values_of(THROTTLED_PERIODS, CGROUP)
    if not groups:
        raise UnknownCounter(THROTTLED_PERIODS)
    held = [frame.delta(THROTTLED_PERIODS, {CGROUP: name}) for name in groups]
    all_periods = [frame.delta(QUOTA_PERIODS, {CGROUP: name}) for name in groups]
    shares = [
        np.clip(ratio(extent.values, periods.values), 0.0, 1.0)
        for extent, periods in zip(held, all_periods, strict=True)
    ]
    return Series(held[0].timebase, np.nan_to_num(highest(shares))), groups, np.nan_to_num(np.stack(shares))


def throttles(frame: Frame, _: str | None) -> Series:
    """Events a second over all cores."""
    cores = frame.values_of(THROTTLES, CPU_NUMBER)
    if not cores:
        raise UnknownCounter(THROTTLES)
    return add(frame.rate(THROTTLES, {CPU_NUMBER: core, THROTTLE: "core"}) for core in cores)


def _per_core(frame: Frame, _: str | None, *, counter: str) -> Series:
    load = frame.level(counter)
    return Series(load.timebase, load.values / core_count(frame))


def stall_need(resource: str, scope: str) -> Need:
    """The column of a pressure total."""
    return Need(PRESSURE, ((RESOURCE, resource), (SCOPE, scope)))


def time_needs(reach: Reach) -> tuple[Need, ...]:
    """The columns of processor time, of one core or of all, as the reach says."""
    return tuple(Need(TIME, ((CPU_MODE, mode),), reach, optional=mode in OPTIONAL) for mode in COUNTED)


# The number of cores is read off the cores' own columns.
_COUNTING = Need(TIME, ((CPU_MODE, "idle"),), Reach.WHOLE, optional=True)


def _in_modes(name: str, title: str, modes: tuple[str, ...], text: str) -> Measure:
    return Measure(
        name,
        title,
        Unit.CORES,
        Resource.PROCESSOR,
        text,
        f"cores × Δ({' + '.join(modes)}) / Δ(all modes)",
        (*time_needs(Reach.MACHINE), *(_optional(need) for need in time_needs(Reach.THIS)), _COUNTING),
        lambda frame, core: cores_in(frame, core, modes),
        per=Per.CORE,
    )


def _optional(need: Need) -> Need:
    return Need(need.counter, need.fixed, need.reach, optional=True)


def _stall(scope: str, text: str) -> Measure:
    return Measure(
        f"stall.cpu.{scope}",
        f"Stalled for a core ({scope})",
        Unit.SHARE,
        Resource.PROCESSOR,
        text,
        "Δtotal / Δt of the processor's pressure file",
        (stall_need("cpu", scope),),
        partial(stalled, resource="cpu", scope=scope),
        total=Unit.SECONDS,
    )


def _plain(name: str, title: str, unit: Unit, counter: str, text: str) -> Measure:
    level = unit is Unit.TASKS
    return Measure(
        name,
        title,
        unit,
        Resource.PROCESSOR,
        text,
        "as the kernel says" if level else "Δ / Δt",
        (Need(counter),),
        (lambda frame, _: frame.level(counter)) if level else (lambda frame, _: frame.rate(counter)),
        total=None if level else Unit.COUNT,
    )


PROCESSOR = [
    _in_modes(
        "cpu.busy",
        "Cores busy",
        OWN,
        "Cores that did work of this machine: everything but idle, waiting for I/O and time stolen by the hypervisor. "
        "Busy is not yet a problem; see whether tasks wait.",
    ),
    *(_in_modes(f"cpu.{mode}", MODE_TITLES[mode], (mode,), MODE_HELP[mode]) for mode in COUNTED),
    Measure(
        "cpu.hottest",
        "Hottest core",
        Unit.SHARE,
        Resource.PROCESSOR,
        "Busy share of the busiest core. The machine's mean hides one full core: 1 of 64 is 1.6 %.",
        "highest of the cores' busy shares",
        tuple(need for need in time_needs(Reach.EVERY)),
        hottest,
    ),
    Measure(
        "cpu.waiting",
        "Tasks waiting for a core",
        Unit.TASKS,
        Resource.PROCESSOR,
        "Mean number of tasks that were ready to run and had no core. From the kernel's run delay where there is one; "
        "else runnable tasks beyond the cores, counted once a tick and therefore noisy.",
        "Δ(run delay) / Δt; without it max(0, runnable − cores)",
        (
            Need(RUN_DELAY, (), Reach.EVERY, optional=True),
            Need(RUN_DELAY, (), Reach.THIS, optional=True),
            Need(RUNNABLE, optional=True),
            _COUNTING,
        ),
        waiting,
    ),
    _stall("some", "Share of time in which at least one task was ready to run and waited for a core."),
    _stall(
        "full", "Share of time in which every task with work to do waited. It moves where a quota holds tasks back."
    ),
    Measure(
        "cpu.runnable",
        "Runnable tasks",
        Unit.TASKS,
        Resource.PROCESSOR,
        "Tasks running or ready to run at the tick, without the recorder. Counted once a tick: noisy.",
        "max(0, runnable − 1)",
        (Need(RUNNABLE),),
        runnable,
    ),
    _plain(
        "cpu.blocked",
        "Blocked tasks",
        Unit.TASKS,
        BLOCKED,
        "Tasks in uninterruptible sleep, mostly on I/O. It says nothing of a lack of processors.",
    ),
    *(
        _plain(
            f"cpu.load.{minutes}m",
            f"Load, {minutes} min",
            Unit.TASKS,
            f"system.cpu.load_average.{minutes}m",
            "Damped count of tasks that are runnable or blocked. Above the number of cores it still need not be demand "
            "for processors: split it into runnable and blocked.",
        )
        for minutes in (1, 5, 15)
    ),
    *(
        Measure(
            f"cpu.load.{minutes}m.per_core",
            f"Load per core, {minutes} min",
            Unit.TASKS,
            Resource.PROCESSOR,
            "The load divided by the number of cores, so that machines of different sizes can be compared.",
            "load / cores",
            (Need(f"system.cpu.load_average.{minutes}m"), _COUNTING),
            partial(_per_core, counter=f"system.cpu.load_average.{minutes}m"),
        )
        for minutes in (1, 5, 15)
    ),
    _plain("cpu.switches", "Context switches", Unit.PER_S, "system.cpu.context_switches", "Switches between tasks."),
    _plain("cpu.interrupts", "Interrupts served", Unit.PER_S, "system.cpu.interrupts", "Hardware interrupts served."),
    Measure(
        "cpu.quota",
        "Throttled by quota",
        Unit.SHARE,
        Resource.PROCESSOR,
        "Share of its periods in which a control group used up its processor quota and had to stop; of the machine, "
        "that of the group that was held back most.",
        "Δ(throttled periods) / Δ(periods), highest of the control groups",
        tuple(Need(counter, (), Reach.EVERY) for counter in (QUOTA_PERIODS, THROTTLED_PERIODS)),
        quota,
    ),
    Measure(
        "cpu.throttles",
        "Thermal throttling events",
        Unit.PER_S,
        Resource.PROCESSOR,
        "Times that a core was slowed down because it was too hot.",
        "Δ / Δt, added up over the cores",
        (Need(THROTTLES, ((THROTTLE, "core"),), Reach.EVERY),),
        throttles,
        total=Unit.COUNT,
    ),
    _plain("cpu.forks", "Forks", Unit.PER_S, "system.process.created", "Forks and clones: a fork storm shows here."),
]
