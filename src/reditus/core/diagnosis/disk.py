"""Disks: saturated, slow, or busy at their normal pace.

Busy alone says that a disk was never without a request. Whether it is too much shows in the wait per request against
the disk's own normal, which is a low percentile over the ticks at which it did something.
"""

from dataclasses import dataclass, replace

import numpy as np

from reditus.core.counters import DISK as DEVICE
from reditus.core.diagnosis.finding import Finding, Harm, Kind, RuledOut
from reditus.core.diagnosis.finding_builder import AT_LEAST, BELOW, FindingBuilder, Held, known, lasting
from reditus.core.diagnosis.inputs import Readings, nearest
from reditus.core.diagnosis.parameters import Parameters
from reditus.core.diagnosis.rule import Context, Judgement, Rule
from reditus.core.diagnosis.sustained import Stretch, sustained, without
from reditus.core.durations import spell_duration
from reditus.core.facts import DiskRole
from reditus.core.frame import Series, Timebase
from reditus.core.measures import Resource
from reditus.core.measures.disk import IO_TIME
from reditus.core.measures.measure import natural_key
from reditus.core.types import BoolArray, FloatArray

SERVED_QUANTILE = 0.95
ALIKE_SHARE = 0.1
NEEDS = (
    "disk.busy",
    "disk.wait",
    "disk.queue",
    "disk.read.requests",
    "disk.write.requests",
    "disk.read.rate",
    "disk.write.rate",
    "stall.io.some",
)

SATURATED = Kind(
    "disk.saturated",
    "Disk saturated",
    is_problem=True,
    meaning="Requests queued at a disk that was never idle, and each waited far longer than this disk takes unloaded.",
    evidence=("disk.queue", "disk.wait", "disk.busy", "stall.io.some"),
    look_alikes="`disk.busy_steady`: as busy, and each request is as quick as ever. `disk.slow`: as long waits with "
    "hardly a queue.",
    next_steps=(
        "See who reads and writes in this stretch, and whether the disk carries swap.",
        "Compare with its equals under one volume: one slow disk holds up all.",
    ),
    without="Without stall totals the wait and the queue alone decide, at a confidence of 70 %. A disk that was never "
    "seen without a queue is held to how fast it serves.",
)
SLOW = Kind(
    "disk.slow",
    "Slow disk",
    is_problem=True,
    meaning="Each request took far longer than this disk's normal, though few were in flight: throttled, failing or "
    "remote.",
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


@dataclass(frozen=True, slots=True)
class _Normal:
    """What a disk is like when little queues."""

    wait_s: float
    usual_s: float
    """The wait; of a disk that was never seen without a queue, what it mostly takes."""
    served_per_s: float
    """Requests a second that it has served at its normal pace."""
    request_s: float
    """How long it works for a request, and how large that is; 0 where it was never seen without a queue."""
    request_bytes: float


@dataclass(frozen=True, slots=True)
class _Disk:
    bench: FindingBuilder
    busy: FloatArray
    wait: FloatArray
    queue: FloatArray
    requests: FloatArray
    moved: FloatArray
    """Bytes a second, in both directions."""
    stall: FloatArray | None
    """Of the machine: no kernel tells it per disk."""
    normal: _Normal


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
            disk = _read(readings, rules, name)
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
        disk = _read(readings, rules, name)
        if disk is not None:
            wait = Series(disk.bench.timebase, disk.wait)
            queues &= np.nan_to_num(nearest(wait, base)) >= rules.io_stalled_times * disk.normal.usual_s
        out |= queues
    return out


def _overlap(finding: Finding, other: Finding) -> bool:
    return finding.start_ns < other.end_ns and other.start_ns < finding.end_ns


def _read(readings: Readings, rules: Parameters, name: str) -> _Disk | None:
    busy, wait = readings.sampled("disk.busy", name), readings.sampled("disk.wait", name)
    if busy is None or wait is None or len(busy) < 2:
        return None
    base = busy.timebase

    def of(measure: str) -> FloatArray:
        return known(readings.on(base, measure, name), len(busy))

    normal = _normal(readings, rules, name)
    if normal is None:
        return None  # nothing to tell its normal from
    requests, queue = of("disk.read.requests") + of("disk.write.requests"), of("disk.queue")
    active = (requests >= rules.disk_active_per_s) & ~np.isnan(wait.values)
    return _Disk(
        bench=FindingBuilder(base, rules, Resource.DISK, name),
        busy=np.nan_to_num(busy.values),
        wait=np.where(active, np.nan_to_num(wait.values), 0.0),
        queue=queue,
        requests=requests,
        moved=of("disk.read.rate") + of("disk.write.rate"),
        stall=readings.on(base, "stall.io.some"),
        normal=normal,
    )


def _normal(readings: Readings, rules: Parameters, name: str) -> _Normal | None:
    """From all that was recorded; None where it did too little to tell."""
    wait = readings.over_all("disk.wait", name)
    if wait is None or len(wait) < 2:
        return None

    def of(measure: str) -> FloatArray:
        sampled = readings.over_all(measure, name)
        return known(None if sampled is None else nearest(sampled, wait.timebase), len(wait))

    requests, queue, busy = of("disk.read.requests") + of("disk.write.requests"), of("disk.queue"), of("disk.busy")
    waits = np.nan_to_num(wait.values)
    active = (requests >= rules.disk_active_per_s) & ~np.isnan(wait.values)
    alone = active & (queue <= rules.disk_shallow_queue)
    seen_alone = alone.sum() >= rules.disk_normal_ticks
    if seen_alone:
        pace = waits[alone]
    elif active.sum() >= rules.disk_normal_ticks:
        # It was never seen without a queue. Busy time over requests is what one takes when they are served one by one.
        pace = np.minimum(waits[active], busy[active] / requests[active])
    else:
        return None
    wait_s = float(np.quantile(pace, rules.disk_normal_quantile))
    usual = active & (waits < rules.disk_wait_steady_times * wait_s)
    few = float(requests[alone].sum()) if seen_alone else 0.0
    return _Normal(
        wait_s=wait_s,
        usual_s=wait_s if seen_alone else float(np.quantile(waits[active], rules.disk_normal_quantile)),
        served_per_s=float(np.quantile(requests[usual], SERVED_QUANTILE)) if usual.any() else 0.0,
        request_s=float(busy[alone].sum()) / few if few else 0.0,
        request_bytes=float((of("disk.read.rate") + of("disk.write.rate"))[alone].sum()) / few if few else 0.0,
    )


def _judge(disk: _Disk) -> tuple[list[Finding], list[tuple[str, RuledOut]]]:
    bench, rules = disk.bench, disk.bench.rules
    long_s = max(rules.disk_wait_times * disk.normal.wait_s, rules.disk_least_wait_s)
    held_s = max(rules.disk_wait_times_leave * disk.normal.wait_s, rules.disk_least_wait_s / 2)
    # A quick disk with very many in flight may answer each in less, and yet far later than it could.
    deep = disk.queue >= rules.disk_very_deep_queue
    enter = (disk.wait >= long_s) | (deep & (disk.wait >= rules.disk_queued_wait_times * disk.normal.wait_s))
    hold = (disk.wait >= held_s) | (
        (disk.queue >= rules.disk_deep_queue) & (disk.wait >= rules.disk_queued_wait_times / 2 * disk.normal.wait_s)
    )
    stalled = (
        np.ones(len(disk.wait), dtype=bool) if disk.stall is None else np.nan_to_num(disk.stall) >= rules.io_stall_enter
    )
    # Programs that ask for many things at once do not count as stalled, however deep the queue.
    waiting = sustained(enter & (stalled | (disk.queue >= rules.disk_very_deep_queue)), hold, bench.timebase, rules)
    findings = [
        _finding(disk, item, long_s)
        for item in waiting
        if item.length_s(bench.timebase) >= rules.disk_sustained_s and not _is_only_demand(disk, item)
    ]
    full = disk.busy >= rules.disk_busy_enter
    normal = full & (disk.wait < _steady_s(disk))
    steady = without(
        sustained(normal, disk.busy >= rules.disk_busy_leave, bench.timebase, lasting(rules)), waiting, len(disk.busy)
    )
    return findings, [(disk.bench.device or "", _steady(disk, item)) for item in steady if _keeps_up(disk, item)]


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


def _steady_s(disk: _Disk) -> float:
    """Waits below it are as always: a few times almost nothing is still almost nothing."""
    return max(disk.bench.rules.disk_wait_steady_times * disk.normal.wait_s, disk.bench.rules.disk_least_wait_s / 2)


def _keeps_up(disk: _Disk, stretch: Stretch) -> bool:
    is_long = stretch.length_s(disk.bench.timebase) >= disk.bench.rules.disk_sustained_s
    return is_long and disk.bench.mean(disk.wait, stretch) < _steady_s(disk)


def _finding(disk: _Disk, stretch: Stretch, long_s: float) -> Finding:
    bench, rules = disk.bench, disk.bench.rules
    queue, wait = bench.mean(disk.queue, stretch), bench.mean(disk.wait, stretch)
    served = bench.mean(disk.requests, stretch)
    deep = queue >= rules.disk_deep_queue and _is_at_its_most(disk, stretch)
    kind = SATURATED if deep else SLOW
    lost = np.clip(disk.queue, 0.0, 1.0) if disk.stall is None else np.nan_to_num(disk.stall)
    held = [
        Held("disk.wait", disk.wait, long_s),
        Held("disk.queue", disk.queue, rules.disk_deep_queue if deep else None, AT_LEAST if deep else "mean"),
        Held("disk.busy", disk.busy, None, "mean"),
    ]
    if disk.stall is not None:
        held.append(Held("stall.io.some", lost, rules.io_stall_enter))
    times = wait / disk.normal.wait_s if disk.normal.wait_s > 0 else 0.0
    why = (
        f"{queue:.1f} requests were in flight on average: more came than it could answer."
        if deep
        else f"It answered {served:.0f} requests a second, where it has served {disk.normal.served_per_s:.0f} at its "
        f"normal pace: it is "
        "the disk that was slow, not the load that was high."
    )
    extra = np.maximum(disk.wait - disk.normal.wait_s, 0.0) * disk.requests
    return bench.finding(
        kind,
        stretch,
        rise=disk.wait,
        harm=None if deep else Harm(bench.seconds(extra, stretch), "of extra wait"),
        lost=lost,
        held=held,
        estimated=disk.stall is None,
        explanation=f"A request to {bench.device} took {wait * 1000:.1f} ms, {times:.0f} times its normal of "
        f"{disk.normal.wait_s * 1000:.1f} ms, for {spell_duration(stretch.length_s(bench.timebase))}. {why}",
        considered=(
            "Busy at its normal pace: no, waits rose far above this disk's own normal.",
            "Slow with few requests: no, they queued."
            if deep
            else "Too many requests at once: no, it answered fewer than it has served quickly.",
        ),
    )


def _is_only_demand(disk: _Disk, stretch: Stretch) -> bool:
    """Whether the few requests in flight account for the wait: each is served as quickly as ever, one after
    the other.
    """
    rules = disk.bench.rules
    few = disk.bench.mean(disk.queue, stretch) < rules.disk_deep_queue
    return few and _is_at_its_most(disk, stretch) and _service_times(disk, stretch) < rules.disk_service_times


def _is_at_its_most(disk: _Disk, stretch: Stretch) -> bool:
    """Whether it was never idle and served as many as it can."""
    bench, rules, normal = disk.bench, disk.bench.rules, disk.normal
    served = bench.mean(disk.requests, stretch)
    return (
        bench.mean(disk.busy, stretch) >= rules.disk_busy_leave
        and served >= rules.disk_plateau_share * normal.served_per_s
        # Whatever the time of one: a disk that serves far more than it did at its ease is not the slow one.
        and (served >= 2 * normal.served_per_s or _service_times(disk, stretch) < rules.disk_service_times)
    )


def _service_times(disk: _Disk, stretch: Stretch) -> float:
    """How many times as long as usual the disk worked for a request, larger requests allowed for; 1 where that is not
    known.
    """
    normal = disk.normal
    requests = float(disk.requests[stretch.ticks].sum())
    if normal.request_s <= 0 or requests <= 0:
        return 1.0
    here_s = float(disk.busy[stretch.ticks].sum()) / requests
    here_bytes = float(disk.moved[stretch.ticks].sum()) / requests
    larger = here_bytes / normal.request_bytes if normal.request_bytes > 0 else 1.0
    return here_s / normal.request_s / max(larger, 1.0)


def _steady(disk: _Disk, stretch: Stretch) -> RuledOut:
    bench = disk.bench
    wait, busy = bench.mean(disk.wait, stretch), bench.mean(disk.busy, stretch)
    return bench.ruled_out(
        STEADY,
        stretch,
        held=[
            Held("disk.busy", disk.busy, bench.rules.disk_busy_enter),
            Held("disk.wait", disk.wait, _steady_s(disk), BELOW),
        ],
        explanation=f"{bench.device} was busy for {busy:.0%} of {spell_duration(stretch.length_s(bench.timebase))}, "
        f"and each request took "
        f"{wait * 1000:.1f} ms; at its quickest one takes {disk.normal.wait_s * 1000:.1f} ms. It kept up.",
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
