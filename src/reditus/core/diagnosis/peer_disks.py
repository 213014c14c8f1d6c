"""One disk against others: a hot one among equals, and one that is flooded with what memory owed it."""

from collections.abc import Mapping

import numpy as np

from reditus.core.counters import DISK as DEVICE
from reditus.core.diagnosis.finding import Finding, Kind
from reditus.core.diagnosis.finding_builder import FindingBuilder, Held, known
from reditus.core.diagnosis.inputs import Readings
from reditus.core.diagnosis.parameters import Parameters
from reditus.core.diagnosis.rule import Context, Judgement, Rule
from reditus.core.diagnosis.sustained import sustained
from reditus.core.durations import spell_duration
from reditus.core.facts import DiskRole
from reditus.core.frame import Series
from reditus.core.measures import Resource
from reditus.core.measures.disk import IO_TIME
from reditus.core.measures.measure import natural_key, or_zero
from reditus.core.types import FloatArray

NEEDS = (
    "disk.queue",
    "disk.busy",
    "disk.write.rate",
    "disk.read.rate",
    "memory.dirty",
    "memory.writeback",
    "memory.total",
    "stall.io.some",
    "swap.in",
    "swap.out",
    "disk.read.requests",
    "disk.write.requests",
)

HOT = Kind(
    "disk.hot",
    "Uneven disk load",
    is_problem=True,
    meaning="Of several equal disks, one had several times the others' queue: the work is not spread over them.",
    requires=("disk.queue",),
    evidence=("disk.queue",),
    look_alikes="`disk.slow`: it has the queue because it is slower, not because it has more work.",
    next_steps=("See which program or volume reads and writes there.", "Spread the work over the others."),
    without="Reported without stall totals alike.",
)
WRITEBACK = Kind(
    "disk.writeback",
    "Writeback backlog",
    is_problem=True,
    meaning="Programs wrote faster into memory than a disk took it, and then all of it was written at once: everybody "
    "waits for it.",
    requires=("disk.write.rate",),
    evidence=("memory.dirty", "memory.writeback", "disk.write.rate"),
    look_alikes="`disk.saturated` by reads, or by programs that wait for each write themselves.",
    next_steps=(
        "See who wrote before and in this stretch.",
        "See whether owed writes may pile up so high on this machine (dirty limits).",
    ),
    without="Without stall totals what is owed and the disk decide, at a confidence of 70 %.",
)
KINDS = (HOT, WRITEBACK)


def judge_peers(context: Context) -> Judgement:
    """Judge disks of the same role against each other: uneven load, and writeback backlogs."""
    readings, rules = context.readings, context.parameters
    facts = readings.frame.facts
    names = [value for value in readings.frame.values_of(IO_TIME, DEVICE) if facts.disk_role(value) is DiskRole.DISK]
    queues = {
        name: found
        for name in sorted(names, key=natural_key)
        if (found := readings.sampled("disk.queue", name)) is not None
    }
    kinds: dict[object, dict[str, Series]] = {}
    for name, queue in queues.items():
        disk_facts = facts.disks.get(name)
        kinds.setdefault(disk_facts.rotational if disk_facts else None, {})[name] = queue
    hot = [item for each in kinds.values() if len(each) >= rules.hot_equals for item in _hot(readings, rules, each)]
    return [*hot, *(item for name in queues for item in _flooded(readings, rules, name))], []


def _hot(readings: Readings, rules: Parameters, queues: Mapping[str, Series]) -> list[Finding]:
    base = next(iter(queues.values())).timebase
    rows = np.array([known(readings.on(base, "disk.queue", name), len(base)) for name in queues])
    usual = np.median(rows, axis=0)
    swapped = known(readings.on(base, "swap.in"), len(base)) + known(readings.on(base, "swap.out"), len(base))
    found = []
    for at, name in enumerate(queues):
        bench, own = FindingBuilder(base, rules, Resource.DISK, name), rows[at]
        requests = known(readings.on(base, "disk.read.requests", name), len(own)) + known(
            readings.on(base, "disk.write.requests", name), len(own)
        )
        others = np.median(
            [
                known(readings.on(base, "disk.read.requests", other), len(own))
                + known(readings.on(base, "disk.write.requests", other), len(own))
                for other in queues
                if other != name
            ],
            axis=0,
        )
        # Requested for more, not only slower with the same.
        heavily_used = requests >= rules.hot_times * np.maximum(others, 0.5)
        moved = known(readings.on(base, "disk.read.rate", name), len(own)) + known(
            readings.on(base, "disk.write.rate", name), len(own)
        )
        # Swap is not work that could be spread over others.
        swap = (swapped >= rules.chain_swap_share * moved) & (swapped > 0)
        hot = heavily_used & ~swap & (own >= rules.hot_queue) & (own >= rules.hot_times * usual)
        hold = (own >= rules.hot_queue / 2) & (own >= rules.hot_times / 2 * usual)
        found += [
            bench.finding(
                HOT,
                item,
                rise=own,
                lost=None,
                held=[Held("disk.queue", own, rules.hot_queue)],
                explanation=f"{name} had {bench.mean(own, item):.1f} requests in flight, and its {len(queues) - 1} "
                f"peers {bench.mean(usual, item):.1f} in the middle, for {spell_duration(item.length_s(base))}. It got "
                f"{bench.mean(requests, item):,.0f} requests a second, they {bench.mean(others, item):,.0f}.",
                considered=("A slower disk with the same work: no, it had more work.",),
            )
            for item in sustained(hot, hold, base, rules)
            if item.length_s(base) >= rules.hot_sustained_s
        ]
    return found


def _flooded(readings: Readings, rules: Parameters, name: str) -> list[Finding]:
    write = readings.sampled("disk.write.rate", name)
    if write is None or len(write) < 2:
        return []
    base, count = write.timebase, len(write)
    bench = FindingBuilder(base, rules, Resource.DISK, name)

    def on(measure: str, device: str | None = None) -> FloatArray:
        return known(readings.on(base, measure, device), count)

    wrote, read = or_zero(write.values), on("disk.read.rate", name)
    owed, total = on("memory.dirty") + on("memory.writeback"), on("memory.total")
    mostly = (wrote >= rules.writeback_write_share * (wrote + read)) & (wrote > 0)
    much = (owed >= rules.writeback_owed_share * total) | (owed >= rules.writeback_owed_bytes)
    busy, stall = on("disk.busy", name), readings.on(base, "stall.io.some")
    held_up = np.ones(count, dtype=bool) if stall is None else or_zero(stall) >= rules.io_stall_enter
    under_way = on("memory.writeback") >= rules.writeback_under_way_bytes
    deep = on("disk.queue", name) >= rules.disk_deep_queue
    enter = mostly & much & held_up & under_way & deep & (busy >= rules.disk_busy_enter)
    hold = mostly & (busy >= rules.disk_busy_leave) & under_way
    return [
        bench.finding(
            WRITEBACK,
            item,
            rise=owed,
            lost=stall,
            estimated=stall is None,
            held=[
                Held("memory.dirty", on("memory.dirty"), None, "mean"),
                Held("memory.writeback", on("memory.writeback"), rules.writeback_under_way_bytes),
                Held("disk.write.rate", wrote, None, "mean"),
                Held("disk.busy", busy, rules.disk_busy_enter),
            ],
            explanation=f"{bench.mean(owed, item) / 2**20:,.0f} MiB were owed to disk, and {name} wrote "
            f"{bench.mean(wrote, item) / 2**20:,.1f} MiB/s without a pause for {spell_duration(item.length_s(base))}. "
            f"Programs had "
            "written into memory faster than the disk takes it.",
            considered=("Reads that keep the disk busy: no, nearly all were writes.",),
        )
        for item in sustained(enter, hold, base, rules)
        if item.length_s(base) >= rules.writeback_sustained_s
    ]


RULE = Rule(
    id="peer disks",
    kinds=KINDS,
    needs=NEEDS,
    judge=judge_peers,
)
