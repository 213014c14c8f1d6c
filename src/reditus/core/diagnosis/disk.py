"""Disks: saturated, slow, or busy at their normal pace.

Busy alone says that a disk was never without a request. Whether it is too much shows in the wait per request against
the disk's own normal, which is a low percentile over the ticks at which it did something.
"""

from dataclasses import replace

import numpy as np

from reditus.core.counters import DISK as DEVICE
from reditus.core.diagnosis.disk_readings import DiskNormal, DiskReadings, read_disk
from reditus.core.diagnosis.disk_unloaded import judge_without_normal
from reditus.core.diagnosis.finding import Finding, Harm, Kind, RuledOut
from reditus.core.diagnosis.finding_builder import AT_LEAST, BELOW, ESTIMATED, Held, known, lasting
from reditus.core.diagnosis.inputs import Readings, nearest
from reditus.core.diagnosis.parameters import Parameters
from reditus.core.diagnosis.rule import Context, Judgement, Rule
from reditus.core.diagnosis.sustained import Stretch, sustained, without
from reditus.core.durations import spell_duration
from reditus.core.facts import DiskRole
from reditus.core.frame import Series, Timebase
from reditus.core.measures.disk import IO_TIME
from reditus.core.measures.measure import natural_key, or_zero
from reditus.core.types import BoolArray, FloatArray

ALIKE_SHARE = 0.1
LEAST_CONFIDENT, UNKNOWN_NORMAL = 0.5, 0.6
NEEDS = (
    "disk.busy",
    "disk.wait",
    "disk.queue",
    "disk.read.requests",
    "disk.write.requests",
    "disk.read.rate",
    "disk.write.rate",
    "stall.io.some",
    "cpu.blocked",
)

SATURATED = Kind(
    "disk.saturated",
    "Disk saturated",
    is_problem=True,
    meaning="Requests queued at a disk that was never idle, and each waited far longer than this disk takes unloaded.",
    requires=("disk.wait",),
    evidence=("disk.queue", "disk.wait", "disk.busy", "stall.io.some"),
    look_alikes="`disk.busy_steady`: as busy, and each request is as quick as ever. `disk.slow`: as long waits with "
    "hardly a queue.",
    next_steps=(
        "See who reads and writes in this stretch, and whether the disk carries swap.",
        "Compare with its equals under one volume: one slow disk holds up all.",
    ),
    without="Without stall totals the wait and the queue alone decide, at a confidence of 70 %. A disk that was never "
    "seen with little to do has no known normal: small requests that take milliseconds each at a disk that never rests "
    "decide, at a confidence of 50 or 60 %.",
)
SLOW = Kind(
    "disk.slow",
    "Slow disk",
    is_problem=True,
    meaning="Each request took far longer than this disk's normal, though few were in flight: throttled, failing or "
    "remote.",
    requires=("disk.wait",),
    evidence=("disk.wait", "disk.queue", "stall.io.some"),
    look_alikes="`disk.saturated`: as long waits, because many requests queue.",
    next_steps=(
        "See who reads and writes in this stretch, and whether the disk carries swap.",
        "Compare with its equals under one volume: one slow disk holds up all.",
    ),
    without="Without stall totals the wait alone decides, at a confidence of 70 %.",
)
STEADY = Kind(
    "disk.busy_steady",
    "Disk busy, latency normal",
    is_problem=False,
    meaning="The disk was hardly ever without a request, and each took what it always takes: it keeps up.",
    evidence=("disk.busy", "disk.wait"),
    look_alikes="`disk.saturated`: as busy, and waits have risen.",
)
KINDS = (SATURATED, SLOW, STEADY)


def judge_disks(context: Context) -> Judgement:
    """Judge each disk's use, queue and wait per request against its own normal."""
    readings, rules = context.readings, context.parameters
    facts = readings.frame.facts
    roles = {name: facts.disk_role(name) for name in readings.frame.values_of(IO_TIME, DEVICE)}
    findings: list[Finding] = []
    steady: list[tuple[str, RuledOut]] = []
    # Bottom disks first: what a volume waits for is reported of the disk below it, where that one is to blame.
    for role in (DiskRole.DISK, DiskRole.VOLUME):
        for name in sorted((item for item, own in roles.items() if own is role), key=natural_key):
            disk = read_disk(readings, rules, name)
            if disk is None:
                continue
            found, excluded = _judge(disk)
            below = list(findings) if role is DiskRole.VOLUME else []
            findings += [match for match in found if not any(_overlap(match, other) for other in below)]
            steady += excluded if role is DiskRole.DISK else []
    return findings, _together(steady)


def risen_waits(readings: Readings, rules: Parameters, base: Timebase) -> BoolArray:
    """Ticks at which requests queued at some disk and took longer than its normal, or has no known normal."""
    out = np.zeros(len(base), dtype=bool)
    for name in readings.frame.values_of(IO_TIME, DEVICE):
        if readings.frame.facts.disk_role(name) is not DiskRole.DISK:
            continue
        queues = known(readings.on(base, "disk.queue", name), len(base)) > rules.disk_shallow_queue
        disk = read_disk(readings, rules, name)
        if disk is not None and disk.normal is not None:
            wait = Series(disk.bench.timebase, disk.wait)
            queues &= or_zero(nearest(wait, base)) >= rules.io_stalled_times * disk.normal.usual_s
        out |= queues
    return out


def highest_use(readings: Readings, base: Timebase) -> tuple[FloatArray, FloatArray]:
    """Busy share of the busiest device and requests in flight at all disks or at one volume, whichever are more, shape
    (ticks,) each. Volumes count: one that stands on an idle disk may hold tasks up by itself.
    """
    busy, queue = known(readings.on(base, "disk.busy"), len(base)), known(readings.on(base, "disk.queue"), len(base))
    for name in readings.frame.values_of(IO_TIME, DEVICE):
        if readings.frame.facts.disk_role(name) is DiskRole.VOLUME:
            busy = np.maximum(busy, known(readings.on(base, "disk.busy", name), len(base)))
            queue = np.maximum(queue, known(readings.on(base, "disk.queue", name), len(base)))
    return busy, queue


def _overlap(finding: Finding, other: Finding) -> bool:
    return finding.start_ns < other.end_ns and other.start_ns < finding.end_ns


def _judge(disk: DiskReadings) -> tuple[list[Finding], list[tuple[str, RuledOut]]]:
    if disk.normal is None:
        return [finding for _, finding in judge_without_normal(disk, SATURATED, [])], []
    bench, rules, normal = disk.bench, disk.bench.rules, disk.normal
    waiting = _waiting(disk, normal)
    found = [
        (item, _finding(disk, normal, item))
        for item in waiting
        if item.length_s(bench.timebase) >= rules.disk_sustained_s and not _is_only_demand(disk, normal, item)
    ]
    if not normal.is_known:
        found += judge_without_normal(disk, SATURATED, [stretch for stretch, _ in found])
    full = disk.busy >= rules.disk_busy_enter
    steady = without(
        sustained(
            full & (disk.wait < _steady_s(disk, normal)),
            disk.busy >= rules.disk_busy_leave,
            bench.timebase,
            lasting(rules),
        ),
        [*waiting, *(stretch for stretch, _ in found)],
        len(disk.busy),
    )
    return (
        [finding for _, finding in found],
        [(bench.device or "", _steady(disk, normal, item)) for item in steady if _keeps_up(disk, normal, item)],
    )


def _long_s(disk: DiskReadings, normal: DiskNormal) -> FloatArray:
    """From what wait on a request took long, shape (ticks,): while tasks lose most of their time to small requests at a
    disk that never rests, fewer milliseconds count.
    """
    rules = disk.bench.rules
    small = disk.moved < rules.disk_small_request_bytes * np.maximum(disk.requests, 1e-9)
    hard = small & (disk.busy >= rules.disk_busy_enter) & (disk.tasks_waiting >= rules.io_waiting_enter)
    return np.maximum(
        rules.disk_wait_times * normal.wait_s, np.where(hard, rules.disk_small_wait_s, rules.disk_least_wait_s)
    )


def _waiting(disk: DiskReadings, normal: DiskNormal) -> list[Stretch]:
    bench, rules = disk.bench, disk.bench.rules
    long_s = _long_s(disk, normal)
    held_s = np.maximum(rules.disk_wait_times_leave * normal.wait_s, np.minimum(long_s, rules.disk_least_wait_s) / 2)
    # A quick disk with very many in flight may answer each in less, and yet far later than it could.
    deep = disk.queue >= rules.disk_very_deep_queue
    enter = (disk.wait >= long_s) | (deep & (disk.wait >= rules.disk_queued_wait_times * normal.wait_s))
    hold = (disk.wait >= held_s) | (
        (disk.queue >= rules.disk_deep_queue) & (disk.wait >= rules.disk_queued_wait_times / 2 * normal.wait_s)
    )
    stalled = np.ones(len(disk.wait), dtype=bool) if disk.stall is None else or_zero(disk.stall) >= rules.io_stall_enter
    # Programs that ask for many things at once do not count as stalled, however deep the queue.
    return sustained(enter & (stalled | (disk.queue >= rules.disk_very_deep_queue)), hold, bench.timebase, rules)


def _together(steady: list[tuple[str, RuledOut]]) -> list[RuledOut]:
    """Disks that were busy in the same stretch, as those of one volume are, are reported as one."""
    groups: list[list[tuple[str, RuledOut]]] = []
    for name, item in steady:
        same = next((group for group in groups if _alike(group[0][1], item)), None)
        if same is None:
            groups.append([(name, item)])
        else:
            same.append((name, item))
    return [
        first
        if not others
        else replace(first, explanation=f"{first.explanation} So did {', '.join(name for name, _ in others)}.")
        for (_, first), *others in groups
    ]


def _alike(ruled_out: RuledOut, other: RuledOut) -> bool:
    apart_ns = max(abs(ruled_out.start_ns - other.start_ns), abs(ruled_out.end_ns - other.end_ns))
    return apart_ns <= ALIKE_SHARE * (ruled_out.end_ns - ruled_out.start_ns)


def _steady_s(disk: DiskReadings, normal: DiskNormal) -> float:
    """Waits below it are as always: a few times almost nothing is still almost nothing."""
    return max(disk.bench.rules.disk_wait_steady_times * normal.wait_s, disk.bench.rules.disk_least_wait_s / 2)


def _keeps_up(disk: DiskReadings, normal: DiskNormal, stretch: Stretch) -> bool:
    is_long = stretch.length_s(disk.bench.timebase) >= disk.bench.rules.disk_sustained_s
    return is_long and disk.bench.mean(disk.wait, stretch) < _steady_s(disk, normal)


def _finding(disk: DiskReadings, normal: DiskNormal, stretch: Stretch) -> Finding:
    bench, rules = disk.bench, disk.bench.rules
    queue, wait = bench.mean(disk.queue, stretch), bench.mean(disk.wait, stretch)
    served = bench.mean(disk.requests, stretch)
    deep = queue >= rules.disk_deep_queue and _is_at_its_most(disk, normal, stretch)
    kind = SATURATED if deep else SLOW
    lost = np.clip(disk.queue, 0.0, 1.0) if disk.stall is None else or_zero(disk.stall)
    held = [
        Held("disk.wait", disk.wait, float(_long_s(disk, normal)[stretch.ticks].max())),
        Held("disk.queue", disk.queue, rules.disk_deep_queue if deep else None, AT_LEAST if deep else "mean"),
        Held("disk.busy", disk.busy, None, "mean"),
    ]
    if disk.stall is not None:
        held.append(Held("stall.io.some", lost, rules.io_stall_enter))
    times = wait / normal.wait_s if normal.wait_s > 0 else 0.0
    why = (
        f"{queue:.1f} requests were in flight on average: more came than it could answer."
        if deep
        else f"It answered {served:.0f} requests a second, where it has served {normal.served_per_s:.0f} at its "
        f"normal pace: it is "
        "the disk that was slow, not the load that was high."
    )
    extra = np.maximum(disk.wait - normal.wait_s, 0.0) * disk.requests
    return bench.finding(
        kind,
        stretch,
        rise=disk.wait,
        harm=None if deep else Harm(bench.seconds(extra, stretch), "of extra wait, all requests together"),
        lost=lost,
        held=held,
        estimated=disk.stall is None,
        confidence=_confidence(disk, normal, stretch, queue),
        explanation=f"A request to {bench.device} took {wait * 1000:.1f} ms, {times:.0f} times "
        f"{_normal_in_words(normal)}, for {spell_duration(stretch.length_s(bench.timebase))}. {why}",
        considered=(
            "Busy at its normal pace: no, waits rose far above this disk's own normal.",
            "Slow with few requests: no, they queued."
            if deep
            else "Too many requests at once: no, it answered fewer than it has served quickly.",
        ),
    )


def _normal_in_words(normal: DiskNormal) -> str:
    if normal.is_known:
        return f"its normal of {normal.wait_s * 1000:.1f} ms"
    return (
        f"the {normal.wait_s * 1000:.1f} ms that it works for one (its normal is not known, for it was not seen with "
        "little to do)"
    )


def _confidence(disk: DiskReadings, normal: DiskNormal, stretch: Stretch, queue: float) -> float | None:
    """Where no task is known to have waited, the depth of the queue decides: the deeper, the surer. None: as usual."""
    rules = disk.bench.rules
    most = ESTIMATED if normal.is_known else UNKNOWN_NORMAL
    if disk.stall is None or disk.bench.mean(or_zero(disk.stall), stretch) >= rules.io_stall_enter:
        return None if normal.is_known else ESTIMATED
    deeper = (queue - rules.disk_very_deep_queue) / rules.disk_very_deep_queue
    return LEAST_CONFIDENT + (most - LEAST_CONFIDENT) * float(np.clip(deeper, 0.0, 1.0))


def _is_only_demand(disk: DiskReadings, normal: DiskNormal, stretch: Stretch) -> bool:
    """Whether the few requests in flight account for the wait: each is served as quickly as ever, one after
    the other.
    """
    rules = disk.bench.rules
    few = disk.bench.mean(disk.queue, stretch) < rules.disk_deep_queue
    return (
        few
        and _is_at_its_most(disk, normal, stretch)
        and _service_times(disk, normal, stretch) < rules.disk_service_times
    )


def _is_at_its_most(disk: DiskReadings, normal: DiskNormal, stretch: Stretch) -> bool:
    """Whether it was never idle and served as many as it can."""
    bench, rules = disk.bench, disk.bench.rules
    served = bench.mean(disk.requests, stretch)
    return (
        bench.mean(disk.busy, stretch) >= rules.disk_busy_leave
        and served >= rules.disk_plateau_share * normal.served_per_s
        # Whatever the time of one: a disk that serves far more than it did at its ease is not the slow one.
        and (served >= 2 * normal.served_per_s or _service_times(disk, normal, stretch) < rules.disk_service_times)
    )


def _service_times(disk: DiskReadings, normal: DiskNormal, stretch: Stretch) -> float:
    """How many times as long as usual the disk worked for a request, larger requests allowed for; 1 where that is not
    known.
    """
    requests = float(disk.requests[stretch.ticks].sum())
    if normal.request_s <= 0 or requests <= 0:
        return 1.0
    here_s = float(disk.busy[stretch.ticks].sum()) / requests
    here_bytes = float(disk.moved[stretch.ticks].sum()) / requests
    larger = here_bytes / normal.request_bytes if normal.request_bytes > 0 else 1.0
    return here_s / normal.request_s / max(larger, 1.0)


def _steady(disk: DiskReadings, normal: DiskNormal, stretch: Stretch) -> RuledOut:
    bench = disk.bench
    wait, busy = bench.mean(disk.wait, stretch), bench.mean(disk.busy, stretch)
    return bench.ruled_out(
        STEADY,
        stretch,
        held=[
            Held("disk.busy", disk.busy, bench.rules.disk_busy_enter),
            Held("disk.wait", disk.wait, _steady_s(disk, normal), BELOW),
        ],
        explanation=f"{bench.device} was busy for {busy:.0%} of {spell_duration(stretch.length_s(bench.timebase))}, "
        f"and each request took "
        f"{wait * 1000:.1f} ms; at its quickest one takes {normal.wait_s * 1000:.1f} ms. It kept up.",
    )


RULE = Rule(
    id="disks",
    kinds=KINDS,
    needs=NEEDS,
    judge=judge_disks,
    over_recording=(
        "disk.wait",
        "disk.queue",
        "disk.busy",
        "disk.read.requests",
        "disk.write.requests",
        "disk.read.rate",
        "disk.write.rate",
    ),
)
