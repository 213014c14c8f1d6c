"""Disks that were never seen with little to do: short captures, new disks, disks that never rest.

What such a disk takes unloaded is not known, so that no wait can be held to it. What is known: that it was never
without a request, how many were in flight, how long each took, and whether tasks lost time meanwhile. Small requests
that take several milliseconds each while tasks wait are a bottleneck whatever the disk can do; large ones may be no
more than a copy, and are not judged.
"""

import numpy as np

from reditus.core.diagnosis.disk_readings import DiskReadings
from reditus.core.diagnosis.finding import Finding, Harm, Kind
from reditus.core.diagnosis.finding_builder import AT_LEAST, Held
from reditus.core.diagnosis.sustained import Stretch, sustained, without
from reditus.core.durations import spell_duration
from reditus.core.measures.measure import or_zero
from reditus.core.types import BoolArray

WITH_STALL, WITHOUT_STALL = 0.6, 0.5
"""Confidence, where tasks are known to have lost time to I/O and where they are not."""


def judge_without_normal(disk: DiskReadings, kind: Kind, taken: list[Stretch]) -> list[tuple[Stretch, Finding]]:
    """Stretches in which the disk held tasks or many requests up, outside of those that are found already."""
    rules, base = disk.bench.rules, disk.bench.timebase
    enter, hold = _held_up(disk)
    free = without(sustained(enter, hold, base, rules), taken, len(disk.busy))
    return [
        (stretch, _finding(disk, kind, stretch))
        for stretch in free
        if stretch.length_s(base) >= rules.disk_sustained_s and disk.bench.mean(disk.busy, stretch) >= 0.8
    ]


def _held_up(disk: DiskReadings) -> tuple[BoolArray, BoolArray]:
    rules = disk.bench.rules
    full, held_full = disk.busy >= rules.disk_busy_enter, disk.busy >= rules.disk_busy_leave
    small = disk.moved < rules.disk_small_request_bytes * np.maximum(disk.requests, 1e-9)
    several = (disk.queue >= rules.disk_several_queue) & (disk.wait >= rules.disk_least_wait_s)
    deep = (disk.queue >= rules.disk_deep_queue) & (disk.wait >= rules.disk_least_wait_s)
    long_for_small = disk.wait >= rules.disk_small_wait_s
    stalled = disk.tasks_waiting >= rules.io_waiting_enter
    enter = full & small & (deep | (stalled & (several | long_for_small)))
    still = disk.tasks_waiting >= rules.io_waiting_leave
    hold = held_full & small & (deep | (still & (disk.wait >= rules.disk_small_wait_s / 2)))
    return enter, hold


def _finding(disk: DiskReadings, kind: Kind, stretch: Stretch) -> Finding:
    bench, rules = disk.bench, disk.bench.rules
    queue, wait = bench.mean(disk.queue, stretch), bench.mean(disk.wait, stretch)
    deep = queue >= rules.disk_deep_queue
    held = [
        Held("disk.busy", disk.busy, rules.disk_busy_enter),
        Held("disk.queue", disk.queue, rules.disk_deep_queue if deep else None, AT_LEAST if deep else "mean"),
        Held("disk.wait", disk.wait, None, "mean"),
    ]
    if disk.stall is not None:
        held.append(Held("stall.io.some", or_zero(disk.stall), None, "mean"))
    stalled = bench.mean(disk.tasks_waiting, stretch) >= rules.io_waiting_leave
    who = (
        "Tasks lost time to it"
        if stalled
        else "No task counts as waiting, for the requests were made many at a time, without waiting for each"
    )
    return bench.finding(
        kind,
        stretch,
        rise=np.where(disk.busy >= rules.disk_busy_leave, disk.busy, disk.busy / 2),
        lost=disk.tasks_waiting if stalled else np.clip(disk.queue, 0.0, 1.0),
        harm=None if stalled else Harm(bench.seconds(disk.wait * disk.requests, stretch), "of requests waiting"),
        held=held,
        estimated=True,
        confidence=WITH_STALL if disk.stall is not None and stalled else WITHOUT_STALL,
        explanation=f"{bench.device} was never without a request for {spell_duration(stretch.length_s(bench.timebase))}"
        f" ({bench.mean(disk.busy, stretch):.0%} busy): {queue:.1f} were in flight, each took {wait * 1000:.1f} ms, "
        f"and it answered {bench.mean(disk.requests, stretch):,.0f} a second. {who}. It was not seen with little to "
        "do, so that its normal is not known: it may be overloaded, or slow by itself.",
        considered=(
            "A limit above the disks: no, this device always had requests in flight.",
            "Busy at its normal pace: not known, its normal was never seen; a small request took several milliseconds.",
        ),
    )
