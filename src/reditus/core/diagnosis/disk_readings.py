"""What a disk did, tick by tick, and its own normal: what it is like when little queues."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from reditus.core.diagnosis.finding_builder import FindingBuilder, known
from reditus.core.diagnosis.inputs import Readings, nearest
from reditus.core.diagnosis.parameters import Parameters
from reditus.core.frame import Series, Timebase
from reditus.core.measures import Resource
from reditus.core.measures.measure import or_zero
from reditus.core.types import NS_PER_S, BoolArray, FloatArray

SERVED_QUANTILE = 0.95
BLOCKED_TICKS = 5


@dataclass(frozen=True, slots=True)
class DiskNormal:
    """What a disk is like when little queues."""

    is_known: bool
    """Whether it was seen with little to do for long enough; else it is what its busy time allows for at best."""
    wait_s: float
    usual_s: float
    """The wait; of a disk that was never seen without a queue, what it mostly takes."""
    served_per_s: float
    """Requests a second that it has served at its normal pace."""
    request_s: float
    """How long it works for a request, and how large that is; 0 where it was never seen without a queue."""
    request_bytes: float


@dataclass(frozen=True, slots=True)
class DiskReadings:
    """A disk at the ticks; all arrays have one entry a tick."""

    bench: FindingBuilder
    busy: FloatArray
    wait: FloatArray
    queue: FloatArray
    requests: FloatArray
    moved: FloatArray
    """Bytes a second, in both directions."""
    stall: FloatArray | None
    """Of the machine: no kernel tells it per disk."""
    tasks_waiting: FloatArray
    """Share of time in which a task waited for I/O: stall time, or as the count of blocked tasks has it."""
    normal: DiskNormal | None
    """None where it did too little to tell."""


def read_disk(readings: Readings, rules: Parameters, name: str) -> DiskReadings | None:
    """The disk's own counters and its normal; None where the host does not give them."""
    busy, wait = readings.sampled("disk.busy", name), readings.sampled("disk.wait", name)
    if busy is None or wait is None or len(busy) < 2:
        return None
    base = busy.timebase

    def of(measure: str) -> FloatArray:
        return known(readings.on(base, measure, name), len(busy))

    requests, queue = of("disk.read.requests") + of("disk.write.requests"), of("disk.queue")
    active = (requests >= rules.disk_active_per_s) & ~np.isnan(wait.values)
    stall = readings.on(base, "stall.io.some")
    return DiskReadings(
        bench=FindingBuilder(base, rules, Resource.DISK, name),
        busy=or_zero(busy.values),
        wait=np.where(active, or_zero(wait.values), 0.0),
        queue=queue,
        requests=requests,
        moved=of("disk.read.rate") + of("disk.write.rate"),
        stall=stall,
        tasks_waiting=_waiting(readings, base) if stall is None else or_zero(stall),
        normal=_normal_of(readings, rules, name),
    )


PAST_TIMES = 2.0
"""A disk that is so many times as slow all along as in the weeks before has become slow."""


def _normal_of(readings: Readings, rules: Parameters, name: str) -> DiskNormal | None:
    """From all that was recorded; None where it did too little to tell. The weeks before know better what the disk is
    like where it was never seen with little to do since, or was slow all along.
    """
    own = _normal_in(readings.over_all, rules, name)
    past = readings.past
    if past is None:
        return own
    before = _normal_in(lambda measure, device: past.get((measure, device)), rules, name)
    if before is None or not before.is_known:
        return own
    knows_better = own is None or not own.is_known or own.wait_s > PAST_TIMES * before.wait_s
    return before if knows_better else own


def _normal_in(read: Callable[[str, str | None], Series | None], rules: Parameters, name: str) -> DiskNormal | None:
    """From some measures of a disk over a long time."""
    wait = read("disk.wait", name)
    if wait is None or len(wait) < 2:
        return None

    def of(measure: str) -> FloatArray:
        sampled = read(measure, name)
        return known(None if sampled is None else nearest(sampled, wait.timebase), len(wait))

    requests, queue, busy = of("disk.read.requests") + of("disk.write.requests"), of("disk.queue"), of("disk.busy")
    waits = or_zero(wait.values)
    active = (requests >= rules.disk_active_per_s) & ~np.isnan(wait.values)
    alone = active & (queue <= rules.disk_shallow_queue)
    full = busy >= rules.disk_light_busy
    # A tick beside a full one is partly of it.
    beside = full | np.append(full[1:], False) | np.append(False, full[:-1])
    light = alone & ~beside
    seconds = wait.timebase.interval_ns / NS_PER_S

    def enough(ticks: BoolArray) -> bool:
        long = float(seconds[ticks].sum()) >= rules.disk_normal_s and ticks.sum() >= rules.disk_normal_least_ticks
        many = float((requests * seconds)[ticks].sum()) >= rules.disk_normal_requests
        return bool(ticks.sum() >= rules.disk_normal_ticks or (long and many))

    seen_alone, is_known = enough(alone), enough(light)
    if is_known:
        alone = light
    if seen_alone:
        pace = waits[alone]
    elif enough(active):
        # It was never seen without a queue. Busy time over requests is what one takes when they are served one by one.
        pace = np.minimum(waits[active], busy[active] / requests[active])
    else:
        return None
    wait_s = float(np.quantile(pace, rules.disk_normal_quantile))
    usual = active & (waits < rules.disk_wait_steady_times * wait_s)
    # One that became slow is alone at its slow pace too: only what it took at its ease says what one takes.
    at_ease = alone & usual
    few = float(requests[at_ease].sum()) if seen_alone else 0.0
    return DiskNormal(
        is_known=is_known,
        wait_s=wait_s,
        usual_s=wait_s if seen_alone else float(np.quantile(waits[active], rules.disk_normal_quantile)),
        served_per_s=float(np.quantile(requests[usual], SERVED_QUANTILE)) if usual.any() else 0.0,
        request_s=float(busy[at_ease].sum()) / few if few else 0.0,
        request_bytes=float((of("disk.read.rate") + of("disk.write.rate"))[at_ease].sum()) / few if few else 0.0,
    )


def _waiting(readings: Readings, base: Timebase) -> FloatArray:
    """Without stall totals: tasks in uninterruptible sleep, at most one, over some ticks, for they are counted once a
    tick.
    """
    blocked = np.clip(known(readings.on(base, "cpu.blocked"), len(base)), 0.0, 1.0)
    padded = np.pad(blocked, BLOCKED_TICKS // 2, mode="edge")
    mean: FloatArray = np.convolve(padded, np.full(BLOCKED_TICKS, 1.0 / BLOCKED_TICKS), "valid")
    return mean
