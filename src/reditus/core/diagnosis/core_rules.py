"""Processor troubles that the machine's mean hides: one core, packets on one core, the hypervisor, quotas,
churn, heat.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from reditus.core.counters import CPU_NUMBER, INTERFACE
from reditus.core.diagnosis import packet_load
from reditus.core.diagnosis.finding import Finding, Harm, Kind
from reditus.core.diagnosis.finding_builder import FindingBuilder, Held, known
from reditus.core.diagnosis.inputs import Readings
from reditus.core.diagnosis.parameters import Parameters
from reditus.core.diagnosis.rule import Context, Judgement, Rule
from reditus.core.diagnosis.sustained import Stretch, sustained
from reditus.core.durations import spell_duration
from reditus.core.frame import Timebase
from reditus.core.measures import Resource
from reditus.core.measures.measure import natural_key, or_zero
from reditus.core.measures.network import PACKETS
from reditus.core.measures.processor import THROTTLED_PERIODS, TIME, core_count, quotas
from reditus.core.types import BoolArray, FloatArray

NEEDS = (
    "cpu.busy",
    "cpu.hottest",
    "cpu.steal",
    "cpu.system",
    "cpu.switches",
    "cpu.forks",
    "cpu.quota",
    "cpu.throttles",
    "stall.cpu.some",
    "disk.read.requests",
    "disk.write.requests",
    "net.receive.packets",
)

ONE_CORE = Kind(
    "cpu.one_core",
    "Single core saturated, others idle",
    is_problem=True,
    meaning="One core was never idle while others had time to give: work that runs on one core only, however many "
    "there are.",
    requires=("cpu.hottest",),
    evidence=("cpu.hottest", "cpu.busy"),
    look_alikes="`cpu.saturated`: all cores are full. `cpu.interrupts`: the core is full of packets, not of a program.",
    next_steps=(
        "See which process came near one whole core in this stretch.",
        "See whether it is bound to that core, or works in one thread only.",
    ),
    without="Without stall totals its cost is unknown. Without counters per core it cannot be judged.",
)
INTERRUPTS = Kind(
    "cpu.interrupts",
    "Single core saturated by interrupts",
    is_problem=True,
    meaning="One core spent most of its time answering devices, sustained, while the others hardly did: what comes in "
    "is handled there alone.",
    requires=("cpu.hottest",),
    evidence=("cpu.softirq", "cpu.interrupt"),
    look_alikes="`cpu.one_core`: the core is full of a program's own work.",
    next_steps=(
        "See which interface the packets came from, and whether its queues can be spread over several cores.",
        "See whether its input backlog dropped packets.",
    ),
    without="Without counters per core it cannot be reported.",
)
STEAL = Kind(
    "cpu.steal",
    "Processor time stolen by the hypervisor",
    is_problem=True,
    meaning="The hypervisor ran other guests while this machine had work to do, sustained: it has fewer cores than it "
    "shows.",
    requires=("cpu.steal",),
    evidence=("cpu.steal", "cpu.busy"),
    look_alikes="Steal that is counted on an idle machine, which costs nothing.",
    next_steps=("Ask who runs the hypervisor.", "Compare with other machines on the same one, at the same time."),
    without="What was taken counts as lost, and that is an estimate. Without the count of steal it cannot be reported.",
)
QUOTA = Kind(
    "cpu.quota",
    "Processor quota throttling",
    is_problem=True,
    meaning="Tasks waited for a core while the machine had idle ones: a control group's quota stops them.",
    requires=("cpu.quota", "stall.cpu.some"),
    evidence=("cpu.quota", "stall.cpu.some", "cpu.busy"),
    look_alikes="`cpu.saturated`: the cores have no idle time to give.",
    next_steps=(
        "See the quota of the control group that the slow program runs in.",
        "If it is meant to be there: fewer threads at once waste less of it.",
    ),
    without="Without counts of throttled periods, stall beside idle cores none of which is full decides, at a "
    "confidence of 70 %. With neither it cannot be reported.",
)
CHURN = Kind(
    "cpu.churn",
    "Scheduling overhead in the kernel",
    is_problem=True,
    meaning="A great part of the processor went to the kernel, which started processes or switched between them at a "
    "high rate.",
    requires=("cpu.switches",),
    evidence=("cpu.system", "cpu.switches", "cpu.forks"),
    look_alikes="A kernel that is busy with programs' reading and writing: few switches, few new processes.",
    next_steps=(
        "Short-lived processes hide from a list of processes: see who has many children, or waits for them.",
        "See whether a program wakes many threads for each piece of work.",
    ),
    without="Without stall totals its cost is unknown.",
)
THERMAL = Kind(
    "cpu.thermal",
    "Thermal throttling",
    is_problem=True,
    meaning="Cores were slowed down again and again because they were too hot: the same work takes longer.",
    requires=("cpu.throttles",),
    evidence=("cpu.throttles",),
    look_alikes="A low clock on an idle machine saves power, and counts no throttling.",
    next_steps=("See temperatures and fans, where the machine tells them.", "See what kept the cores busy then."),
    without="Without throttle counts it cannot be reported: a low clock alone may be thrift. What it cost is in no "
    "counter.",
)
KINDS = (ONE_CORE, INTERRUPTS, STEAL, QUOTA, CHURN, THERMAL)


@dataclass(frozen=True, slots=True)
class _Cores:
    bench: FindingBuilder
    count: int
    names: list[str]
    busy: FloatArray
    """Of the machine, in cores."""
    stall: FloatArray | None
    each: FloatArray
    """Busy share, a row a core."""
    packets: FloatArray
    """Share that answering devices took, a row a core."""


def _rows(readings: Readings, timebase: Timebase, measure: str, names: Sequence[str]) -> FloatArray:
    """A measure of each core, a row a core; none where the kernel's text held only the sum of all."""
    rows = [known(readings.on(timebase, measure, name), len(timebase)) for name in names]
    return np.array(rows).reshape(len(names), len(timebase))


def judge_cores(context: Context) -> Judgement:
    """Judge each core by itself: one full among idle ones, interrupts, steal, quotas, churn and heat."""
    readings, rules = context.readings, context.parameters
    busy = readings.sampled("cpu.busy")
    if busy is None or len(busy) < 2:
        return [], []
    bench = FindingBuilder(busy.timebase, rules, Resource.PROCESSOR)
    names = sorted(readings.frame.values_of(TIME, CPU_NUMBER), key=natural_key)

    def rows(measure: str) -> FloatArray:
        return _rows(readings, busy.timebase, measure, names)

    seen = _Cores(
        bench,
        core_count(readings.frame),
        names,
        or_zero(busy.values),
        readings.on(busy.timebase, "stall.cpu.some"),
        rows("cpu.busy"),
        rows("cpu.softirq") + rows("cpu.interrupt"),
    )
    findings = _single(readings, seen, _least_s(readings, rules)) if len(names) > 1 else []
    return [
        *findings,
        *_steal(readings, seen),
        *_quota(readings, seen),
        *_churn(context, seen),
        *_thermal(readings, seen),
    ], []


def _of_core(bench: FindingBuilder, name: str) -> FindingBuilder:
    return replace(bench, device=name)


def _long(stretches: Sequence[Stretch], bench: FindingBuilder, least_s: float) -> list[Stretch]:
    return [stretch for stretch in stretches if stretch.length_s(bench.timebase) >= least_s]


def _single(readings: Readings, seen: _Cores, least_s: float) -> list[Finding]:
    """Cores that are full by themselves, of a program or of packets."""
    rules, findings = seen.bench.rules, []
    ranked = np.sort(seen.each, axis=0)
    second = ranked[-2]
    total = seen.each.sum(axis=0)
    for at, name in enumerate(seen.names):
        own, soft = seen.each[at], seen.packets[at]
        bench = _of_core(seen.bench, name)
        others = (seen.packets.sum(axis=0) - soft) / (len(seen.names) - 1)
        alone = others < soft * rules.interrupts_others_share
        packed = sustained(
            alone & (soft >= rules.interrupts_enter), alone & (soft >= rules.interrupts_leave), bench.timebase, rules
        )
        packed = _long(packed, bench, rules.interrupts_sustained_s)
        findings += [_interrupts(readings, bench, item, soft, own) for item in packed]
        by_itself = (own > second - 1e-9) & (second < rules.one_core_others)
        own_work = soft < rules.interrupts_leave
        full = sustained(
            by_itself & own_work & (own >= rules.one_core_enter),
            by_itself & own_work & (own >= rules.one_core_leave),
            bench.timebase,
            rules,
        )
        findings += [
            _one_core(bench, item, own, total, seen.stall)
            for item in _long(full, bench, least_s)
            if bench.mean(own, item) >= rules.one_core_mean and item.last - item.first + 1 >= rules.one_core_ticks
        ]
    return findings


def _least_s(readings: Readings, rules: Parameters) -> float:
    """How long one core has to be full, in a recording of this length."""
    return max(min(rules.one_core_sustained_s, rules.one_core_share * readings.recorded_s()), rules.sustained_s)


def _one_core(
    bench: FindingBuilder, stretch: Stretch, own: FloatArray, total: FloatArray, stall: FloatArray | None
) -> Finding:
    rest = bench.mean(total - own, stretch)
    return bench.finding(
        ONE_CORE,
        stretch,
        rise=own,
        lost=stall,
        harm=Harm(bench.seconds(own, stretch), "with one core full"),
        held=[Held("cpu.busy", own, bench.rules.one_core_enter)],
        explanation=f"Core {bench.device} was busy for {bench.mean(own, stretch):.0%} of "
        f"{spell_duration(stretch.length_s(bench.timebase))}, and all others together did the work of {rest:.1f} "
        f"cores. What ran "
        "there cannot go faster than one core does.",
        considered=(
            "All cores full: no, others had time to give.",
            "Packets or devices on that core: no, a program's own work.",
        ),
    )


def _interrupts(
    readings: Readings, bench: FindingBuilder, stretch: Stretch, soft: FloatArray, own: FloatArray
) -> Finding:
    return bench.finding(
        INTERRUPTS,
        stretch,
        rise=soft,
        lost=None,
        harm=Harm(bench.seconds(soft, stretch), "of one core for interrupts"),
        held=[
            Held("cpu.softirq", soft, bench.rules.interrupts_enter, "with interrupts, mean, threshold ≥"),
            Held("cpu.busy", own, None, "mean"),
        ],
        explanation=f"Core {bench.device} spent {bench.mean(soft, stretch):.0%} of "
        f"{spell_duration(stretch.length_s(bench.timebase))} answering devices, and the other cores hardly any of "
        "theirs. What "
        f"comes in can go no faster than that one core takes it.{_packets_of(readings, bench, stretch)}",
        considered=("A program that fills one core: no, it was the kernel's answering of devices.",),
    )


def _packets_of(readings: Readings, bench: FindingBuilder, stretch: Stretch) -> str:
    """The interface that most packets came from, in words."""
    names = readings.frame.facts.outer_links(readings.frame.values_of(PACKETS, INTERFACE))
    means = {
        name: bench.mean(known(readings.on(bench.timebase, "net.receive.packets", name), len(bench.timebase)), stretch)
        for name in sorted(names, key=natural_key)
    }
    busiest = max(means, key=lambda name: means[name], default=None)
    if busiest is None or means[busiest] <= 0:
        return ""
    share = means[busiest] / sum(means.values())
    return f" {means[busiest]:,.0f} packets a second came in at {busiest}, {share:.0%} of all."


def _steal(readings: Readings, seen: _Cores) -> list[Finding]:
    bench, rules = seen.bench, seen.bench.rules
    stolen = readings.on(bench.timebase, "cpu.steal")
    if stolen is None:
        return []
    taken = or_zero(stolen) / seen.count
    # Some hypervisors book it on top of idle time: it costs something only where there was work to do.
    wanted = (seen.busy >= rules.steal_busy_share * seen.count) & (
        taken * seen.count >= rules.steal_of_busy * seen.busy
    )
    stretches = sustained(
        wanted & (taken >= rules.steal_enter),
        wanted & (taken >= rules.steal_leave),
        bench.timebase,
        replace(rules, merge_break_s=rules.steal_merge_s),
    )
    return [
        bench.finding(
            STEAL,
            item,
            rise=taken,
            lost=taken,
            harm=Harm(bench.seconds(taken * seen.count, item), "of a core given to others"),
            held=[
                Held("cpu.steal", taken * seen.count, rules.steal_enter * seen.count),
                Held("cpu.busy", seen.busy, None, "mean"),
            ],
            explanation=f"The hypervisor gave {bench.mean(taken, item) * seen.count:.2f} of {seen.count} cores to "
            f"other guests for {spell_duration(item.length_s(bench.timebase))}, while this machine had work for "
            f"{bench.mean(seen.busy, item):.2f} of "
            "them. Nothing on this machine can be changed to get them back.",
            considered=("Steal on an idle machine: no, there was work.",),
            estimated=True,
        )
        for item in _long(stretches, bench, rules.steal_sustained_s)
        if bench.mean(taken, item) >= rules.steal_leave
    ]


def _quota(readings: Readings, seen: _Cores) -> list[Finding]:
    """By the control groups' own counts; without them, by tasks that wait beside idle cores none of which is full."""
    bench, rules = seen.bench, seen.bench.rules
    described = (
        readings.on(bench.timebase, "cpu.quota")
        if readings.frame.values_of(THROTTLED_PERIODS, "linux.cgroup")
        else None
    )
    # A core that the hypervisor took is not idle either.
    stolen = _rows(readings, bench.timebase, "cpu.steal", seen.names)
    taken = seen.each + stolen
    idle = (seen.busy + stolen.sum(axis=0)) / seen.count < rules.quota_busy_most
    held: list[Held] = []
    if described is not None:
        share = or_zero(described)
        held.append(Held("cpu.quota", share, rules.quota_enter))
        enter, hold = share >= rules.quota_enter, share >= rules.quota_leave
        lost = share if seen.stall is None else or_zero(seen.stall)
    elif seen.stall is not None:
        lost = or_zero(seen.stall)
        hottest = taken.max(axis=0) if len(seen.names) else seen.busy
        free = idle & (hottest < rules.quota_hottest_most)
        enter, hold = free & (lost >= rules.cpu_stall_enter), free & (lost >= rules.cpu_stall_leave)
    else:
        return []
    if seen.stall is not None:
        held.append(
            Held("stall.cpu.some", or_zero(seen.stall), None if described is not None else rules.cpu_stall_enter)
        )
    held.append(Held("cpu.busy", seen.busy, None, "mean"))
    stretches = _long(sustained(enter, hold, bench.timebase, rules), bench, rules.quota_sustained_s)
    return [
        _quota_finding(readings, seen, stretch, held, lost, by_count=described is not None) for stretch in stretches
    ]


def _quota_finding(
    readings: Readings, seen: _Cores, stretch: Stretch, held: list[Held], lost: FloatArray, *, by_count: bool
) -> Finding:
    bench = seen.bench
    busy = bench.mean(seen.busy, stretch)
    group = ""
    if by_count:
        sampled, names, shares = quotas(readings.frame)
        window = (sampled.timebase.wall_ns > stretch.start_ns(bench.timebase)) & (
            sampled.timebase.wall_ns <= stretch.end_ns(bench.timebase)
        )
        most = int(np.argmax(shares[:, window].mean(axis=1))) if window.any() else 0
        group = f" The group {names[most]} was held back most."
    return bench.finding(
        QUOTA,
        stretch,
        rise=held[0].values,
        lost=lost,
        harm=Harm(bench.seconds(lost, stretch), "held back by the limit"),
        estimated=not by_count,
        held=held,
        explanation=f"For {bench.mean(lost, stretch):.0%} of {spell_duration(stretch.length_s(bench.timebase))} a task "
        f"was ready to run and did not, while only "
        f"{busy:.1f} of {seen.count} cores were busy. Idle cores were there, and a limit kept the tasks "
        f"off them.{group}",
        considered=(
            "Not enough cores: no, there were idle ones.",
            "One core that several tasks are bound to: no, none was full."
            if not by_count
            else "One core that several tasks are bound to: no, periods were counted in which the quota had run out.",
        ),
    )


def _churn(context: Context, seen: _Cores) -> list[Finding]:
    bench, rules, readings = seen.bench, seen.bench.rules, context.readings
    system = known(readings.on(bench.timebase, "cpu.system"), len(seen.busy))
    switches = known(readings.on(bench.timebase, "cpu.switches"), len(seen.busy))
    forks = known(readings.on(bench.timebase, "cpu.forks"), len(seen.busy))
    requests = known(readings.on(bench.timebase, "disk.read.requests"), len(seen.busy)) + known(
        readings.on(bench.timebase, "disk.write.requests"), len(seen.busy)
    )
    # Switches that reading and writing bring along are the work itself.
    idle_ones = np.maximum(switches - rules.churn_switches_a_request * requests, 0.0)
    kernel = (system >= rules.churn_kernel_share * seen.count) & (system >= rules.churn_of_busy * seen.busy)
    # Switches that packets bring along are no restlessness of programs.
    for finding in context.earlier_of(packet_load.KINDS):
        kernel &= (bench.timebase.wall_ns <= finding.start_ns) | (bench.timebase.wall_ns > finding.end_ns)
    spent = forks * rules.churn_fork_s + idle_ones * rules.churn_switch_s
    restless = spent >= rules.churn_explains * system
    held_on = (system >= 0.7 * rules.churn_kernel_share * seen.count) & (spent >= rules.churn_explains_leave * system)
    stretches = _long(sustained(kernel & restless, held_on, bench.timebase, rules), bench, rules.churn_sustained_s)
    return [
        bench.finding(
            CHURN,
            stretch,
            rise=system,
            lost=seen.stall,
            held=[
                Held("cpu.system", system, rules.churn_kernel_share * seen.count),
                Held("cpu.switches", switches, None, "mean"),
                Held("cpu.forks", forks, None, "mean"),
            ],
            explanation=f"The kernel used {bench.mean(system, stretch):.1f} of {bench.mean(seen.busy, stretch):.1f} "
            f"busy cores, with "
            f"{bench.mean(forks, stretch):,.0f} new processes and {bench.mean(switches, stretch):,.0f} switches a "
            f"second, for "
            f"{spell_duration(stretch.length_s(bench.timebase))}. The time went into starting and switching, not into "
            f"work.",
            considered=("A kernel busy with reading and writing: no, tasks came and went at a high rate.",),
        )
        for stretch in stretches
    ]


def _thermal(readings: Readings, seen: _Cores) -> list[Finding]:
    throttles = readings.sampled("cpu.throttles")
    if throttles is None or len(throttles) < 2:
        return []
    bench, rules = FindingBuilder(throttles.timebase, seen.bench.rules, Resource.PROCESSOR), seen.bench.rules
    often = or_zero(throttles.values)
    steady = replace(rules, merge_break_s=rules.thermal_merge_s)
    occurs: BoolArray = often > 0
    return [
        bench.finding(
            THERMAL,
            item,
            rise=often,
            lost=None,
            held=[Held("cpu.throttles", often, None, "mean, more than none")],
            explanation=f"Cores were slowed down by heat "
            f"{bench.mean(often, item) * item.length_s(bench.timebase):,.0f} times in "
            f"{spell_duration(item.length_s(bench.timebase))}. The same work took longer than when they are cool.",
            considered=("A low clock to save power: no, throttling was counted.",),
        )
        for item in _long(sustained(occurs, occurs, bench.timebase, steady), bench, rules.thermal_sustained_s)
    ]


RULE = Rule(
    id="cores",
    kinds=KINDS,
    needs=NEEDS,
    judge=judge_cores,
)
