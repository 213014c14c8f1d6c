"""Packets that cost the processor: a great part of the kernel's time goes to taking in and sending many of them.

Context switches rise with them and are no restlessness of programs; soft interrupts and kernel time rise together.
"""

import numpy as np

from reditus.core.counters import CPU_NUMBER, INTERFACE
from reditus.core.diagnosis.finding import Finding, Harm, Kind
from reditus.core.diagnosis.finding_builder import FindingBuilder, Held, known
from reditus.core.diagnosis.inputs import Readings
from reditus.core.diagnosis.rule import Context, Judgement, Rule
from reditus.core.diagnosis.sustained import Stretch, sustained
from reditus.core.durations import spell_duration
from reditus.core.frame import Timebase
from reditus.core.measures import Resource
from reditus.core.measures.measure import natural_key
from reditus.core.measures.network import PACKETS
from reditus.core.measures.processor import TIME, core_count
from reditus.core.types import FloatArray

WAYS = ("receive", "send")
NEEDS = (
    "cpu.busy",
    "cpu.system",
    "cpu.softirq",
    "cpu.interrupt",
    "stall.cpu.some",
    "net.receive.packets",
    "net.send.packets",
)

PACKET_LOAD = Kind(
    "cpu.packets",
    "Packet processing overhead",
    is_problem=True,
    meaning="A great part of the processor went to the kernel for taking in and sending packets, very many a second: a "
    "flood, or programs that send little at a time.",
    requires=("net.receive.packets",),
    evidence=("cpu.softirq", "cpu.system", "net.receive.packets", "net.send.packets"),
    look_alikes="`cpu.churn`: switches and new processes, and few packets. `cpu.interrupts`: one core alone takes all "
    "of them.",
    next_steps=(
        "See which interface carries the packets, and how large they are on average.",
        "See which process sends or receives them; a flood from outside has no such process.",
        "See whether backlog drops or UDP buffer overruns go with it.",
    ),
    without="Without packet counts of interfaces it cannot be reported. Without stall totals its cost is unknown.",
)
KINDS = (PACKET_LOAD,)


def judge_packet_load(context: Context) -> Judgement:
    """Judge whether packets take a great part of the processor."""
    readings, rules = context.readings, context.parameters
    busy = readings.sampled("cpu.busy")
    names = sorted(readings.frame.values_of(PACKETS, INTERFACE), key=natural_key)
    if busy is None or len(busy) < 2 or not names:
        return [], []
    base, cores = busy.timebase, core_count(readings.frame)
    bench = FindingBuilder(base, rules, Resource.PROCESSOR)

    def of(name: str) -> FloatArray:
        return known(readings.on(base, name), len(base))

    soft, system = of("cpu.softirq") + of("cpu.interrupt"), of("cpu.system")
    counted = np.array([_packets(readings, base, name) for name in names])
    packets = counted.sum(axis=0)
    each = np.array([known(readings.on(base, "cpu.softirq", core), len(base)) for core in cores_of(readings)])
    # Where one core takes all packets, that core is the trouble.
    spread = np.ones(len(base), dtype=bool)
    if len(each) > 1:
        spread = each.max(axis=0) < rules.packets_one_core * np.maximum(each.sum(axis=0), 1e-9)
    kernel = soft + system
    explained = packets * rules.packet_cost_s
    enter = (
        spread
        & (kernel >= rules.packets_kernel_share * cores)
        & (soft >= rules.packets_soft_share * cores)
        & (system >= rules.packets_soft_share * cores)
        & (explained >= rules.packets_explain * kernel)
    )
    hold = (kernel >= 0.7 * rules.packets_kernel_share * cores) & (explained >= 0.7 * rules.packets_explain * kernel)
    stall = readings.on(base, "stall.cpu.some")
    return [
        _finding(bench, stretch, soft, system, packets, names, counted, stall, cores)
        for stretch in sustained(enter, hold, base, rules)
        if stretch.length_s(base) >= rules.packets_sustained_s
    ], []


def cores_of(readings: Readings) -> list[str]:
    """The names of the cores that were recorded one by one."""
    return readings.frame.values_of(TIME, CPU_NUMBER)


def _packets(readings: Readings, base: Timebase, name: str) -> FloatArray:
    """Packets a second of an interface, both ways, shape (ticks,)."""
    both = [known(readings.on(base, f"net.{way}.packets", name), len(base)) for way in WAYS]
    return np.asarray(both[0] + both[1])


def _finding(
    bench: FindingBuilder, stretch: Stretch, soft: FloatArray, system: FloatArray, packets: FloatArray,
    names: list[str], counted: FloatArray, stall: FloatArray | None, cores: int,
) -> Finding:  # fmt: skip
    rules = bench.rules
    means = [bench.mean(row, stretch) for row in counted]
    busiest = int(np.argmax(means))
    kernel = bench.mean(soft + system, stretch)
    return bench.finding(
        PACKET_LOAD,
        stretch,
        rise=soft + system,
        lost=stall,
        harm=Harm(bench.seconds(soft + system, stretch), "of a core in the kernel"),
        held=[
            Held("cpu.softirq", soft, rules.packets_soft_share * cores, "with interrupts, mean, threshold ≥"),
            Held("cpu.system", system, rules.packets_soft_share * cores),
        ],
        explanation=f"{bench.mean(packets, stretch):,.0f} packets a second, {means[busiest]:,.0f} of them at "
        f"{names[busiest]}, for {spell_duration(stretch.length_s(bench.timebase))}. The kernel used {kernel:.1f} of "
        f"{cores} cores meanwhile, {bench.mean(soft, stretch):.1f} of them in soft interrupts and interrupts.",
        considered=(
            "Programs that switch or start often: no, packets account for the kernel's time.",
            "One core that takes all packets: no, the machine as a whole is busy with them.",
        ),
    )


RULE = Rule(
    id="packet load",
    kinds=KINDS,
    needs=NEEDS,
    judge=judge_packet_load,
)
