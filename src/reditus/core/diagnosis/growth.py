"""What grows: a leak, a cache that only uses what is there, a cache that is too small, a full swap, a filesystem that
fills.
"""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np

from reditus.core.counters import FILESYSTEM_STATE, MOUNT
from reditus.core.diagnosis.column_requests import every
from reditus.core.diagnosis.finding import Finding, Harm, Kind, Onset, RuledOut
from reditus.core.diagnosis.finding_builder import FindingBuilder, Held, known, lasting
from reditus.core.diagnosis.inputs import Readings
from reditus.core.diagnosis.parameters import Parameters
from reditus.core.diagnosis.rule import Context, Judgement, Rule
from reditus.core.diagnosis.sustained import Stretch, sustained
from reditus.core.diagnosis.trend import Trend, trend_of
from reditus.core.durations import spell_duration
from reditus.core.frame import Series, Timebase
from reditus.core.kernel_columns import PAGE_BYTES
from reditus.core.measures import Resource
from reditus.core.measures.measure import or_zero
from reditus.core.types import NS_PER_S, FloatArray, IntArray

SPACE = "system.filesystem.usage"
READ_ONLY = "system.filesystem.linux.read_only"
FILESYSTEMS = (SPACE, READ_ONLY)
"""Counters of filesystems, which have no measures."""
NEEDS = (
    "memory.available",
    "memory.total",
    "memory.programs",
    "memory.shared",
    "memory.cache",
    "memory.refaults",
    "memory.faults.major",
    "stall.memory.some",
    "stall.io.some",
    "swap.in",
    "swap.held",
    "swap.total",
    "disk.read.rate",
    every(SPACE, (FILESYSTEM_STATE, "used")),
    every(SPACE, (FILESYSTEM_STATE, "free")),
    every(READ_ONLY),
)

LEAK = Kind(
    "memory.leak",
    "Memory leak",
    is_problem=True,
    meaning="Programs held more memory at every look, at a steady rate, and gave none back.",
    requires=("memory.programs",),
    evidence=("memory.programs", "memory.available"),
    look_alikes="`memory.cache_growth`: files fill what is free. A program that fills its memory once, and then stays.",
    next_steps=(
        "See which process grew by as much in this stretch.",
        "See whether it falls when that program is restarted.",
    ),
    without="Reported without stall totals alike. Growth of less than ten minutes has to be a straight line, "
    "and has a confidence of 70 %.",
)
THRASH = Kind(
    "memory.cache_thrash",
    "Page cache thrashing",
    is_problem=True,
    meaning="Pages of files were dropped and read again soon after, sustained, and tasks waited for them.",
    requires=("memory.refaults",),
    evidence=("memory.refaults", "stall.memory.some", "disk.read.rate"),
    look_alikes="Streaming big files drops and reads pages too, and makes no task wait for memory. `swap.thrashing`: "
    "programs' own pages.",
    next_steps=(
        "See who reads the same files again and again.",
        "See what took the memory that the files had before: programs, or a control group's limit.",
    ),
    without="Without stall totals major faults decide, at a confidence of 70 %.",
)
SWAP_FULL = Kind(
    "swap.full",
    "Swap full",
    is_problem=True,
    meaning="Swap was full while little memory was available: the next shortage ends a program.",
    requires=("swap.held",),
    evidence=("swap.held", "memory.available"),
    look_alikes="`swap.occupied`: occupied and quiet, with room or memory left.",
    next_steps=("See who holds the memory, and whether it grows.", "More swap only puts the end off."),
    without="Reported without stall totals alike.",
)
FILLING = Kind(
    "fs.filling",
    "Filesystem nearly full",
    is_problem=True,
    meaning="A filesystem had hardly any room left, or would be full soon at the rate at which it filled.",
    requires=("system.filesystem.usage",),
    evidence=("system.filesystem.usage",),
    look_alikes="A large filesystem that is nearly full and does not grow.",
    next_steps=("See what was written there recently.", "Look at the largest and newest folders."),
    without="Without space of filesystems it cannot be reported; a capture by the field script has none.",
)
CACHE = Kind(
    "memory.cache_growth",
    "Page cache growth",
    is_problem=False,
    meaning="Free memory shrank because files that were read stayed at hand; what is available did not.",
    evidence=("memory.cache", "memory.available"),
    look_alikes="`memory.leak`: programs grow, and available shrinks with them.",
)
KINDS = (LEAK, THRASH, SWAP_FULL, FILLING, CACHE)


def judge_growth_of_recording(context: Context) -> list[Finding]:
    """What only shows over the whole of a long recording: leaks, and filesystems that fill."""
    readings, rules = context.readings, context.parameters
    findings, available = _filling(readings, rules), readings.sampled("memory.available")
    if available is None or len(available) < 2:
        return findings
    bench = FindingBuilder(available.timebase, rules, Resource.MEMORY)
    total = known(readings.on(bench.timebase, "memory.total"), len(available))
    return findings + (_leaks(readings, bench, total, available.values) if total.any() else [])


def judge_growth(context: Context) -> Judgement:
    """Judge what grows or fills over hours: leaks, swap, filesystems, the page cache."""
    readings, rules = context.readings, context.parameters
    available = readings.sampled("memory.available")
    findings = [] if readings.is_span else _filling(readings, rules)
    if available is None or len(available) < 2:
        return findings, []
    bench = FindingBuilder(available.timebase, rules, Resource.MEMORY)
    total = known(readings.on(bench.timebase, "memory.total"), len(available))
    if not total.any():
        return findings, []
    # A span is too short to tell growth over days from a morning's work; that is looked for in the whole.
    leaks = [] if readings.is_span else _leaks(readings, bench, total, available.values)
    findings += leaks + _thrashing(readings, bench, available.values)
    findings += _swap_full(readings, bench, total, available.values)
    return findings, _cache(readings, bench, total, available.values, leaks)


@dataclass(frozen=True, slots=True)
class _Run:
    """A stretch of growth, and how it ended."""

    stretch: Stretch
    trend: Trend
    grown: float


def _leaks(readings: Readings, bench: FindingBuilder, total: FloatArray, available: FloatArray) -> list[Finding]:
    programs = readings.on(bench.timebase, "memory.programs")
    if programs is None:
        return []
    # What programs share counts as theirs, and what of them lies in swap.
    held = programs + known(readings.on(bench.timebase, "memory.shared"), len(programs))
    held += known(readings.on(bench.timebase, "swap.held"), len(programs))
    found = []
    for run in _runs(bench, held, total):
        length_s = run.stretch.length_s(bench.timebase)
        rate = run.trend.slope
        last = float(available[run.stretch.last])
        until = (
            f" At that rate the {last / 2**20:,.0f} MiB still available last {spell_duration(last / rate)} more."
            if rate > 0
            else ""
        )
        found.append(
            _since_growth_began(
                bench,
                run,
                held,
                bench.finding(
                    LEAK,
                    run.stretch,
                    rise=held,
                    lost=None,
                    harm=Harm(last / rate, "until memory is full") if rate > 0 else None,
                    estimated=length_s < bench.rules.leak_long_s,
                    held=[
                        Held("memory.programs", programs, None, "mean"),
                        Held("memory.available", available, None, "mean"),
                    ],
                    explanation=f"Programs held {run.grown / 2**20:,.0f} MiB more after {spell_duration(length_s)} "
                    f"than before, "
                    f"{rate * 3600 / 2**20:,.0f} MiB an hour, and {(run.trend.rising + 1) / 2:.0%} of all pairs of "
                    f"readings rose.{until}",
                    considered=(
                        "A cache of files: no, these are programs' own pages.",
                        "A program that fills its memory once: no, it did not come to rest.",
                    ),
                ),
            )
        )
    return found


def _since_growth_began(bench: FindingBuilder, run: _Run, held: FloatArray, finding: Finding) -> Finding:
    """With its onset where the line of growth meets the level from before: growth has no step that could be
    looked for.
    """
    base, first = bench.timebase, run.stretch.first
    before = held[max(first - bench.rules.onset_search_ticks, 0) : first + 1]
    part = held[run.stretch.ticks]
    known_ticks = np.flatnonzero(~np.isnan(part))
    if run.trend.slope <= 0 or np.isnan(before).all() or len(known_ticks) < 2:
        return finding
    at_s = (base.wall_ns[run.stretch.ticks] - base.wall_ns[first])[known_ticks] / NS_PER_S
    # The line through the middle of the growth, with its slope.
    offset = float(np.median(part[known_ticks] - run.trend.slope * at_s))
    meets_s = (float(np.nanmedian(before)) - offset) / run.trend.slope
    within_s = min(max(meets_s, -float(base.interval_ns[first]) * 2 / NS_PER_S), run.stretch.length_s(base) / 4)
    at_ns = int(base.wall_ns[first] + within_s * NS_PER_S)
    apart_s = abs(at_ns - finding.onset.at_ns) / NS_PER_S
    return replace(finding, onset=Onset(at_ns, max(apart_s, float(base.interval_ns[first]) / NS_PER_S)))


def _runs(bench: FindingBuilder, held: FloatArray, total: FloatArray) -> Iterator[_Run]:
    """Stretches between falls in which the level grew steadily: hours of it, or a minute that ends in a fall or in the
    end.
    """
    rules, base = bench.rules, bench.timebase
    least = rules.leak_share * float(np.nanmax(total))
    for first, last in _between_falls(held, base, least * rules.leak_fall_share):
        part = held[first : last + 1]
        if np.isnan(part).all():
            continue
        at_s = (base.wall_ns[first : last + 1] - base.wall_ns[first]) / NS_PER_S
        # The flat beginning before a program starts is no part of its growth.
        begin = _rest_before(part, least)
        part, at_s = part[begin:], at_s[begin:]
        if len(part) < rules.sustained_ticks:
            continue
        trend = trend_of(at_s, part)
        length_s, grown = float(at_s[-1] - at_s[0]), float(np.nanmax(part[-3:]) - np.nanmin(part[:3]))
        if grown < least or trend.rising < rules.leak_rising or trend.z < _significance(len(part), rules):
            continue
        if length_s < rules.leak_short_s or not _steady(at_s, part, rules):
            continue
        if length_s < rules.leak_long_s and _bend(at_s, part) > rules.leak_straight:
            continue
        yield _Run(Stretch(first + begin, last), trend, grown)


def _significance(count: int, rules: Parameters) -> float:
    """What a trend has to reach: of few readings in perfect order, what so many can give at most."""
    if count < rules.leak_few_ticks:
        return rules.leak_significance
    most = count * (count - 1) / 2 / np.sqrt(count * (count - 1) * (2 * count + 5) / 18)
    return float(min(rules.leak_significance, 0.95 * most))


def _between_falls(values: FloatArray, base: Timebase, fall: float) -> Iterator[tuple[int, int]]:
    """Ticks between sharp falls, which a restart or a kill makes, and between restarts of the machine."""
    before = np.concatenate([values[:1], values[:-1]])
    third = np.concatenate([values[:3], values[:-3]]) if len(values) > 3 else before
    falls = or_zero(np.maximum(before, third) - values) >= fall
    cuts = np.flatnonzero(falls | (np.diff(base.epoch, prepend=base.epoch[:1]) != 0))
    edges = [0, *cuts.tolist(), len(values)]
    for start, end in pairwise(edges):
        if end - start > 3:
            yield start, end - 1


def _rest_before(part: FloatArray, least: float) -> int:
    """Where growth begins: the last tick that is hardly above the lowest."""
    low = float(np.nanmin(part))
    quiet = np.flatnonzero(np.nan_to_num(part, nan=np.inf) <= low + 0.05 * least)
    return int(quiet[-1]) if len(quiet) else 0


def _steady(at_s: FloatArray, part: FloatArray, rules: Parameters) -> bool:
    """Whether each third of the time brought a fair part of the growth; what fills once and stays does not."""
    marks = np.interp(np.linspace(at_s[0], at_s[-1], 4), at_s, part)
    steps = np.diff(marks)
    return bool(steps.min() >= rules.leak_least_third * max(steps.sum(), 1.0))


def _bend(at_s: FloatArray, part: FloatArray) -> float:
    """How far values stray from a straight line: the root of the mean square, as a share of their span."""
    seen = ~np.isnan(part)
    line = np.polyfit(at_s[seen], part[seen], 1)
    apart = part[seen] - np.polyval(line, at_s[seen])
    return float(apart.std() / max(float(np.ptp(part[seen])), 1.0))


def _thrashing(readings: Readings, bench: FindingBuilder, available: FloatArray) -> list[Finding]:
    rules, count = bench.rules, len(available)
    refaults = known(readings.on(bench.timebase, "memory.refaults"), count)
    swapped = known(readings.on(bench.timebase, "swap.in"), count) / PAGE_BYTES
    files = np.maximum(refaults - swapped, 0.0)
    stall = readings.on(bench.timebase, "stall.memory.some")
    read = known(readings.on(bench.timebase, "disk.read.rate"), count)
    # Of what is read, a real part was there a moment ago, and most of it are files' pages.
    again = (files >= rules.refaults_per_s) & (files * PAGE_BYTES >= rules.refaults_share * read) & (files >= swapped)
    if stall is not None:
        lost = or_zero(stall)
        enter, hold = (
            again & (lost >= rules.thrash_stall_enter),
            (files >= rules.refaults_per_s / 2) & (lost >= rules.thrash_stall_leave),
        )
    else:
        lost = np.clip(files * PAGE_BYTES / np.maximum(read, 1.0), 0.0, 1.0)
        faults = known(readings.on(bench.timebase, "memory.faults.major"), count)
        enter = again & (faults >= rules.memory_faults_per_s)
        hold = (files >= rules.refaults_per_s / 2) & (faults >= rules.memory_faults_per_s / 2)
    return [
        bench.finding(
            THRASH,
            item,
            rise=files,
            lost=lost,
            estimated=stall is None,
            held=[
                Held("memory.refaults", refaults, rules.refaults_per_s),
                *([] if stall is None else [Held("stall.memory.some", lost, rules.thrash_stall_enter)]),
                Held("disk.read.rate", read, None, "mean"),
            ],
            explanation=f"{bench.mean(files, item) * PAGE_BYTES / 2**20:,.1f} MiB/s of files were read again that had "
            f"been dropped shortly before, of {bench.mean(read, item) / 2**20:,.1f} MiB/s read in all, for "
            f"{spell_duration(item.length_s(bench.timebase))}. "
            "The files that are in use do not fit beside the programs.",
            considered=(
                "Streaming big files: no, tasks were held up for memory.",
                "Swapping: no, these are files' pages.",
            ),
        )
        for item in sustained(enter, hold, bench.timebase, replace(rules, merge_break_s=rules.thrash_merge_s))
        if item.length_s(bench.timebase) >= rules.thrash_sustained_s
        # Of the moments in which it showed: not a single one above the threshold among many just below it.
        and float(lost[item.ticks][hold[item.ticks]].mean()) >= rules.thrash_stall_enter
    ]


def _swap_full(readings: Readings, bench: FindingBuilder, total: FloatArray, available: FloatArray) -> list[Finding]:
    rules, count = bench.rules, len(available)
    held, space = (
        known(readings.on(bench.timebase, "swap.held"), count),
        known(readings.on(bench.timebase, "swap.total"), count),
    )
    scarce = available < rules.swap_full_available * total
    full = (space > 0) & scarce & (held >= rules.swap_full_enter * space)
    hold = (space > 0) & scarce & (held >= rules.swap_full_leave * space)
    swap = FindingBuilder(bench.timebase, rules, Resource.SWAP)
    return [
        swap.finding(
            SWAP_FULL,
            item,
            rise=held,
            lost=None,
            held=[
                Held("swap.held", held, rules.swap_full_enter * float(space.max())),
                Held("memory.available", available, None, "mean"),
            ],
            explanation=f"{swap.mean(held, item) / 2**20:,.0f} of {float(space.max()) / 2**20:,.0f} MiB of swap were "
            f"taken, and {swap.mean(available, item) / 2**20:,.0f} MiB of memory were available, for "
            f"{spell_duration(item.length_s(bench.timebase))}.",
            considered=("Swap occupied by idle pages, with memory left: no, little was available.",),
        )
        for item in sustained(full, hold, bench.timebase, rules)
        if item.length_s(bench.timebase) >= rules.swap_full_sustained_s
    ]


def _cache(
    readings: Readings, bench: FindingBuilder, total: FloatArray, available: FloatArray, leaks: list[Finding]
) -> list[RuledOut]:
    rules, base = bench.rules, bench.timebase
    cache = readings.on(base, "memory.cache")
    if cache is None or not len(cache):
        return []
    step_s = float(np.median(base.interval_ns)) / NS_PER_S
    back = max(int(rules.cache_window_s / step_s), 1)
    before = np.concatenate([np.repeat(cache[:1], min(back, len(cache))), cache[:-back]])[: len(cache)]
    grown = or_zero(cache - before) / np.maximum(total, 1.0)
    ample = available > rules.memory_ample_share * total
    stretches = sustained(
        ample & (grown >= rules.cache_growth_share),
        ample & (grown >= rules.cache_growth_share / 4),
        base,
        lasting(rules),
    )
    out = []
    for stretch in stretches:
        rise = float(
            np.nanmax(cache[stretch.ticks]) - np.nanmin(cache[max(stretch.first - back, 0) : stretch.last + 1])
        )
        out.append(
            bench.ruled_out(
                CACHE,
                stretch,
                held=[Held("memory.cache", cache, None, "mean"), Held("memory.available", available, None, "mean")],
                explanation=f"Files that were read took {rise / 2**20:,.0f} MiB more, and "
                f"{bench.mean(available, stretch) / 2**20:,.0f} MiB "
                "could still be had at once. They give way when programs need room.",
            )
        )
    return [
        item for item in out if not any(leak.start_ns < item.start_ns and item.end_ns < leak.end_ns for leak in leaks)
    ]


def _filling(readings: Readings, rules: Parameters) -> list[Finding]:
    found: list[Finding] = []
    for mount in readings.frame.values_of(SPACE, MOUNT):
        used_at, free_at = {MOUNT: mount, FILESYSTEM_STATE: "used"}, {MOUNT: mount, FILESYSTEM_STATE: "free"}
        if not (readings.frame.has(SPACE, used_at) and readings.frame.has(SPACE, free_at)):
            continue
        used, free = readings.frame.level(SPACE, used_at), readings.frame.level(SPACE, free_at)
        if len(used) >= rules.sustained_ticks and not _is_full_by_nature(readings, rules, mount, used, free):
            found += _of_filesystem(
                FindingBuilder(used.timebase, rules, Resource.DISK, mount), used.values, free.values
            )
    return found


def _is_full_by_nature(readings: Readings, rules: Parameters, mount: str, used: Series, free: Series) -> bool:
    """Images and other read-only filesystems have no room to lose, and very small ones hold nothing that grows."""
    size_bytes = float(np.nanmax(used.values + free.values, initial=0.0))
    if size_bytes < rules.fs_least_bytes:
        return True
    attributes = {MOUNT: mount}
    if not readings.frame.has(READ_ONLY, attributes):
        return False
    return bool(np.nanmin(readings.frame.level(READ_ONLY, attributes).values, initial=1.0) >= 1.0)


def _of_filesystem(bench: FindingBuilder, used: FloatArray, free: FloatArray) -> list[Finding]:
    """Where it filled, and would be full soon; and where hardly anything was left, whether it filled or not."""
    rules, base = bench.rules, bench.timebase
    size = used + free
    least = rules.fs_growth_share * float(np.nanmax(size))
    found: list[Finding] = []
    for first, last in _between_falls(used, base, least):
        for start, end in _growing(used[first : last + 1], base.wall_ns[first : last + 1], least):
            stretch = Stretch(first + start, first + end)
            at_s = (base.wall_ns[stretch.ticks] - base.wall_ns[stretch.first]) / NS_PER_S
            trend = trend_of(at_s, free[stretch.ticks])
            left_s = float(free[stretch.last]) / max(-trend.slope, 1e-9)
            if trend.slope < 0 and left_s <= rules.fs_soon_s:
                found.append(_filesystem(bench, stretch, used, free, left_s))
    short = free <= rules.fs_free_share / 5 * np.maximum(size, 1.0)
    for item in sustained(short, short, base, lasting(rules)):
        if not any(other.start_ns < item.end_ns(base) and item.start_ns(base) < other.end_ns for other in found):
            found.append(_filesystem(bench, item, used, free, None))
    return found


def _growing(used: FloatArray, wall_ns: IntArray, least: float) -> Iterator[tuple[int, int]]:
    """Stretches in which it grew by at least so much; pauses of a tenth of the time or less belong to them."""
    known_ticks = np.flatnonzero(~np.isnan(used))
    if len(known_ticks) < 4:
        return
    rises = known_ticks[1:][np.diff(used[known_ticks]) > 0]
    if not len(rises):
        return
    pause_ns = np.diff(wall_ns[rises])
    longest_ns = max(float(wall_ns[-1] - wall_ns[0]) / 10, 4 * float(np.median(np.diff(wall_ns))))
    for part in np.split(rises, np.flatnonzero(pause_ns > longest_ns) + 1):
        start, end = max(int(part[0]) - 1, 0), int(part[-1])
        if end - start >= 4 and used[end] - used[start] >= least:
            yield start, end


def _filesystem(
    bench: FindingBuilder, stretch: Stretch, used: FloatArray, free: FloatArray, left_s: float | None
) -> Finding:
    last, mount = stretch.last, bench.device
    name = f"{SPACE}{{{FILESYSTEM_STATE}=free,{MOUNT}={mount}}}"
    share = free[last] / max(used[last] + free[last], 1.0)
    when = "" if left_s is None else f" At the rate at which it filled it is full {spell_duration(left_s)} later."
    return bench.finding(
        FILLING,
        stretch,
        rise=used,
        lost=None,
        held=[Held(name, free, None, "mean")],
        explanation=f"{free[last] / 2**20:,.0f} MiB of {(used[last] + free[last]) / 2**20:,.0f} MiB were left at "
        f"{mount}, {share:.1%}, after {spell_duration(stretch.length_s(bench.timebase))}.{when}",
        considered=(
            "It fills: no, but there is hardly any room."
            if left_s is None
            else "Nearly full and at rest: no, it filled.",
        ),
    )


RULE = Rule(
    id="growth",
    kinds=KINDS,
    needs=NEEDS,
    judge=judge_growth,
    over_recording=("memory.available", "memory.total", "memory.programs", "memory.shared", "swap.held"),
    judge_recording=judge_growth_of_recording,
)
