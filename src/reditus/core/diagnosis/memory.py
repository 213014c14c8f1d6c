"""Memory and swap: pressure, out-of-memory kills, swap that is read back all the time; and what only looks like it.

Reclaim is not pressure, a full cache is none, and swap that is occupied and quiet is none either. Sure signs are tasks
that lose time for lack of memory, and pages that are read back from swap as fast as they go.
"""

from dataclasses import replace

import numpy as np

from reditus.core.diagnosis.finding import Finding, Kind, Onset, RuledOut
from reditus.core.diagnosis.finding_builder import BELOW, FindingBuilder, Held, known, lasting
from reditus.core.diagnosis.inputs import nearest
from reditus.core.diagnosis.rule import Context, Judgement, Rule
from reditus.core.diagnosis.sustained import Stretch, sustained, without
from reditus.core.durations import spell_duration
from reditus.core.frame import GAP_FACTOR, Series
from reditus.core.measures import Resource
from reditus.core.measures.measure import or_zero
from reditus.core.types import NS_PER_S, FloatArray

NEEDS = (
    "memory.available",
    "memory.total",
    "memory.free",
    "memory.faults.major",
    "memory.oom_kills",
    "stall.memory.some",
    "swap.in",
    "swap.out",
    "swap.held",
    "swap.total",
)

PRESSURE = Kind(
    "memory.pressure",
    "Memory pressure",
    is_problem=True,
    meaning="Tasks lost time for lack of memory, sustained, while little was available.",
    requires=("memory.available",),
    evidence=("stall.memory.some", "memory.available", "memory.faults.major"),
    look_alikes="`memory.free_low`: free is small because files fill it, and available is ample. Reclaim by itself: "
    "reading big files through a healthy machine searches pages all the time.",
    next_steps=(
        "See which processes hold the memory, and whether one of them grows from day to day.",
        "See whether swap or the disks of the programs' files carry what no longer fits.",
        "If the work is meant to be there: more memory, or less of it at once.",
    ),
    without="Without stall totals major faults while memory is scarce decide, at a confidence of 70 %.",
)
KILL = Kind(
    "memory.oom_kill",
    "Out-of-memory kill",
    is_problem=True,
    meaning="The kernel killed a process because memory could not be had otherwise, of the machine or of a control "
    "group.",
    requires=("memory.oom_kills",),
    evidence=("memory.oom_kills", "memory.available"),
    look_alikes="Nothing: the kernel counts these kills.",
    next_steps=("Read the kernel's lines at that time in Notes.", "See what led up to it: pressure, swap, growth."),
    without="Without the count of kills it cannot be reported.",
)
THRASHING = Kind(
    "swap.thrashing",
    "Swap thrashing",
    is_problem=True,
    meaning="Pages were read back from swap, sustained: the working set does not fit into memory.",
    requires=("swap.in",),
    evidence=("swap.in", "swap.out", "memory.faults.major"),
    look_alikes="`swap.occupied`: pages parked there that no program reads. A short burst out is housekeeping.",
    next_steps=(
        "See how much memory was available before it began, and who took it.",
        "See the disk that carries swap: its queue and its waits are the price.",
    ),
    without="Without stall totals what it cost is estimated from major faults.",
)
FREE_LOW = Kind(
    "memory.free_low",
    "Little free memory, ample available",
    is_problem=False,
    meaning="Hardly any memory was free because files filled it; programs could have had most of that at once.",
    evidence=("memory.free", "memory.available"),
    look_alikes="`memory.pressure`: little is available, and tasks lose time.",
)
OCCUPIED = Kind(
    "swap.occupied",
    "Swap occupied, no swapping",
    is_problem=False,
    meaning="Pages lay in swap, and hardly any was read back: they are idle.",
    evidence=("swap.held", "swap.in"),
    look_alikes="`swap.thrashing`: as occupied, and read back all the time.",
)
KINDS = (PRESSURE, KILL, THRASHING, FREE_LOW, OCCUPIED)


def judge_memory(context: Context) -> Judgement:
    """Judge memory pressure, swapping and out-of-memory kills."""
    readings, rules = context.readings, context.parameters
    available = readings.sampled("memory.available")
    if available is None or len(available) < 2:
        return [], []
    bench = FindingBuilder(available.timebase, rules, Resource.MEMORY)
    swap = FindingBuilder(available.timebase, rules, Resource.SWAP)

    def on(name: str) -> FloatArray | None:
        return readings.on(bench.timebase, name)

    total = known(on("memory.total"), len(available))
    share = np.divide(available.values, total, out=np.full(len(available), np.nan), where=total > 0)
    stall, faults = on("stall.memory.some"), known(on("memory.faults.major"), len(available))
    swapped_in, swapped_out = known(on("swap.in"), len(available)), known(on("swap.out"), len(available))
    scarce = share < rules.memory_scarce_share
    lost = or_zero(stall) if stall is not None else np.clip(faults / rules.memory_faults_per_s, 0.0, 1.0) * scarce
    pressed = sustained(
        scarce & (lost >= rules.memory_stall_enter), scarce & (lost >= rules.memory_stall_leave), bench.timebase, rules
    )
    # Read back all the time: in by itself, for what only goes out is housekeeping.
    back = (swapped_in >= rules.swap_in_enter) & (faults >= rules.swap_faults_per_s)
    thrashing = sustained(back, swapped_in >= rules.swap_in_leave, bench.timebase, rules)
    findings = [_pressure(bench, item, lost, available.values, faults, estimated=stall is None) for item in pressed]
    findings += [
        _thrashing(swap, item, swapped_in, swapped_out, faults, lost, estimated=stall is None) for item in thrashing
    ]
    findings += _kills(context, available)
    ruled_out = [
        *_free_low(bench, share, on("memory.free"), total, available.values, pressed),
        *_occupied(swap, on("swap.held"), on("swap.total"), swapped_in, thrashing),
    ]
    return findings, ruled_out


def _pressure(
    bench: FindingBuilder,
    stretch: Stretch,
    lost: FloatArray,
    available: FloatArray,
    faults: FloatArray,
    *,
    estimated: bool,
) -> Finding:
    rules, total_s = bench.rules, stretch.length_s(bench.timebase)
    left = bench.mean(available, stretch) / 2**20
    held = [Held("memory.available", available, None, "mean")]
    if not estimated:
        held.insert(0, Held("stall.memory.some", lost, rules.memory_stall_enter))
    return bench.finding(
        PRESSURE,
        stretch,
        rise=lost,
        lost=lost,
        estimated=estimated,
        held=[*held, Held("memory.faults.major", faults, None, "mean")],
        explanation=f"For {spell_duration(bench.mean(lost, stretch) * total_s)} of {spell_duration(total_s)} at least "
        f"one task was held up for lack of memory; "
        f"{left:,.0f} MiB were available on average. Programs and the files they use did not "
        "fit together any more.",
        considered=(
            "Free is low but available is ample: no, available was low too.",
            "Reclaim without cost: no, tasks lost time.",
        ),
    )


def _thrashing(
    bench: FindingBuilder,
    stretch: Stretch,
    swapped_in: FloatArray,
    swapped_out: FloatArray,
    faults: FloatArray,
    lost: FloatArray,
    *,
    estimated: bool,
) -> Finding:
    rules = bench.rules
    rate_in, rate_out = (bench.mean(item, stretch) / 2**20 for item in (swapped_in, swapped_out))
    return bench.finding(
        THRASHING,
        stretch,
        rise=swapped_in,
        lost=lost,
        estimated=estimated,
        held=[
            Held("swap.in", swapped_in, rules.swap_in_enter),
            Held("memory.faults.major", faults, rules.swap_faults_per_s),
            Held("swap.out", swapped_out, None, "mean"),
        ],
        explanation=f"{rate_in:.2f} MiB/s were read back from swap and {rate_out:.2f} MiB/s written to it, for "
        f"{spell_duration(stretch.length_s(bench.timebase))}. What programs work on does not fit into memory: pages "
        f"are thrown "
        "out and needed again at once.",
        considered=(
            "Swap occupied, no swapping: no, pages were read back all the time.",
            "A burst of housekeeping: no, it went on.",
        ),
    )


def _kills(context: Context, available: Series) -> list[Finding]:
    """One finding for kills within a minute of each other, however short: they are counted, not guessed; in gaps too,
    for a shortage that ends in a kill often holds the recorder up as well.
    """
    counted = context.readings.counted("memory.oom_kills")
    if counted is None or len(counted) < 2:
        return []
    kills = or_zero(counted.values)
    bench = FindingBuilder(counted.timebase, context.parameters, Resource.MEMORY)
    left = nearest(available, counted.timebase)
    found = []
    for first, last in _close(np.flatnonzero(kills > 0), bench):
        stretch = Stretch(first, last)
        seconds = (bench.timebase.wall_ns - bench.timebase.start_ns)[stretch.ticks] / NS_PER_S
        number = round(float(np.nansum(kills[stretch.ticks] * seconds)))
        gap_s = float(seconds[kills[stretch.ticks] > 0].max())
        in_gap = gap_s > GAP_FACTOR * float(bench.timebase.interval_ns[first]) / NS_PER_S
        finding = bench.finding(
            KILL,
            stretch,
            rise=kills,
            lost=None,
            held=[Held("memory.oom_kills", kills, None, "mean"), Held("memory.available", left, None, "mean")],
            explanation=f"The kernel killed {number} {'process' if number == 1 else 'processes'} because memory "
            "could not be had otherwise"
            + (f", some time within the {spell_duration(gap_s)} in which nothing was recorded" if in_gap else "")
            + ". Notes tell which, where the kernel's log was recorded.",
            considered=("A control group at its own limit: possible where plenty was available on the machine.",),
        )
        # The count rose somewhere in the interval of its tick; there is no slope to look for.
        onset = Onset(stretch.start_ns(bench.timebase), float(seconds[0]))
        found.append(replace(finding, onset=onset))
    return found


def _close(ticks: np.ndarray, bench: FindingBuilder) -> list[tuple[int, int]]:
    out: list[tuple[int, int]] = []
    for tick in ticks.tolist():
        wall_ns = bench.timebase.wall_ns
        if out and wall_ns[tick] - wall_ns[out[-1][1]] <= bench.rules.kill_merge_s * NS_PER_S:
            out[-1] = (out[-1][0], tick)
        else:
            out.append((tick, tick))
    return out


def _free_low(
    bench: FindingBuilder,
    share: FloatArray,
    free: FloatArray | None,
    total: FloatArray,
    available: FloatArray,
    pressed: list[Stretch],
) -> list[RuledOut]:
    if free is None:
        return []
    low = (free < bench.rules.memory_free_share * total) & (share > bench.rules.memory_ample_share)
    stretches = without(sustained(low, low, bench.timebase, lasting(bench.rules)), pressed, len(share))
    return [
        bench.ruled_out(
            FREE_LOW,
            item,
            held=[Held("memory.free", free, None, "mean"), Held("memory.available", available, None, "mean")],
            explanation=f"{bench.mean(free, item) / 2**20:,.0f} MiB were free, because files that were read stay at "
            f"hand; {bench.mean(available, item) / 2**20:,.0f} MiB could have been had at once.",
        )
        for item in _long(stretches, bench)
    ]


def _occupied(
    bench: FindingBuilder,
    held: FloatArray | None,
    total: FloatArray | None,
    swapped_in: FloatArray,
    thrashing: list[Stretch],
) -> list[RuledOut]:
    if held is None or total is None:
        return []
    quiet = (held >= bench.rules.swap_occupied_share * total) & (total > 0) & (swapped_in < bench.rules.swap_in_leave)
    stretches = without(sustained(quiet, quiet, bench.timebase, lasting(bench.rules)), thrashing, len(held))
    return [
        bench.ruled_out(
            OCCUPIED,
            item,
            held=[
                Held("swap.held", held, None, "mean"),
                Held("swap.in", swapped_in, bench.rules.swap_in_leave, BELOW),
            ],
            explanation=f"{bench.mean(held, item) / 2**20:,.0f} MiB lay in swap and hardly any of it was read back: "
            f"idle pages, "
            "parked to make room.",
        )
        for item in _long(stretches, bench)
    ]


def _long(stretches: list[Stretch], bench: FindingBuilder) -> list[Stretch]:
    """Only what goes on for long catches anybody's eye."""
    return [stretch for stretch in stretches if stretch.length_s(bench.timebase) >= bench.rules.look_alike_s]


RULE = Rule(
    id="memory",
    kinds=KINDS,
    needs=NEEDS,
    judge=judge_memory,
)
