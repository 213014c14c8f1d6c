"""Disk measures: how much, how many, how long each waited, how many at once. Little's law ties the last three."""

from functools import partial

import numpy as np

from reditus.core.counters import DISK as DEVICE
from reditus.core.counters import DISK_DIRECTION
from reditus.core.errors import UnknownCounter
from reditus.core.frame import Frame, Series
from reditus.core.measures.measure import Measure, Need, Per, Reach, Resource, Unit, add, highest, ratio
from reditus.core.measures.processor import stall_need, stalled

IO = "system.disk.io"
OPERATIONS = "system.disk.operations"
OPERATION_TIME = "system.disk.operation_time"
WEIGHTED = "system.disk.weighted_io_time"
IO_TIME = "system.disk.io_time"


def _attributes(device: str, direction: str | None) -> dict[str, str]:
    return {DEVICE: device} | ({DISK_DIRECTION: direction} if direction else {})


def _machine_disks(frame: Frame, counter: str) -> list[str]:
    names = frame.values_of(counter, DEVICE)
    if not names:
        raise UnknownCounter(counter)
    return frame.facts.bottom_disks(names) or names


def _flow(frame: Frame, device: str | None, *, counter: str, direction: str | None) -> Series:
    """Rate of one device, or the sum over the bottom devices, for those above repeat their bytes."""
    devices = [device] if device is not None else _machine_disks(frame, counter)
    return add(frame.rate(counter, _attributes(name, direction)) for name in devices)


def _swap_disks(frame: Frame, counter: str) -> list[str]:
    """The devices that memory is swapped out to: of a partition its own counters, of a file its filesystem's disk."""
    known = frame.values_of(counter, DEVICE)
    found = sorted({swap.disk for swap in frame.facts.swaps.values() if swap.disk in known})
    if not found:
        raise UnknownCounter(f"{counter} of the disks that swap lies on")
    return found


def _swap_flow(frame: Frame, _: str | None, *, direction: str) -> Series:
    return add(frame.rate(IO, _attributes(name, direction)) for name in _swap_disks(frame, IO))


def _swap_wait(frame: Frame, _: str | None) -> Series:
    keys = [_attributes(name, way) for name in _swap_disks(frame, OPERATIONS) for way in ("read", "write")]
    spent = add(frame.delta(OPERATION_TIME, key) for key in keys)
    done = add(frame.delta(OPERATIONS, key) for key in keys)
    return Series(spent.timebase, ratio(spent.values, done.values))


def _wait(frame: Frame, device: str | None, *, directions: tuple[str, ...]) -> Series:
    """Mean seconds a request took, over the requests that ended in the interval; unknown where none did."""
    devices = [device] if device is not None else _machine_disks(frame, OPERATIONS)
    keys = [_attributes(name, direction) for name in devices for direction in directions]
    spent = add(frame.delta(OPERATION_TIME, key) for key in keys)
    done = add(frame.delta(OPERATIONS, key) for key in keys)
    return Series(spent.timebase, ratio(spent.values, done.values))


def _size(frame: Frame, device: str | None, *, direction: str) -> Series:
    moved = _flow(frame, device, counter=IO, direction=direction)
    return Series(
        moved.timebase,
        ratio(moved.values, _flow(frame, device, counter=OPERATIONS, direction=direction).values),
    )


def _busy(frame: Frame, device: str | None) -> Series:
    devices = [device] if device is not None else _machine_disks(frame, IO_TIME)
    each = [frame.rate(IO_TIME, _attributes(name, None)) for name in devices]
    return Series(each[0].timebase, np.clip(highest([item.values for item in each]), 0.0, 1.0))


def _needs(counter: str, *directions: str) -> tuple[Need, ...]:
    fixed: list[tuple[tuple[str, str], ...]] = [((DISK_DIRECTION, direction),) for direction in directions] or [()]
    return tuple(Need(counter, key, reach) for key in fixed for reach in (Reach.THIS, Reach.WHOLE))


def _measure(name: str, title: str, unit: Unit, text: str, formula: str, needs: tuple[Need, ...],
derive: partial[Series],
             total: Unit | None = None) -> Measure:  # fmt: skip
    return Measure(
        name,
        title,
        unit,
        Resource.DISK,
        text,
        formula,
        needs,
        derive,
        per=Per.DISK,
        total=total,
        per_event=name.endswith((".wait", ".size")),
    )


def _per_direction(direction: str, past: str) -> list[Measure]:
    return [
        _measure(
            f"disk.{direction}.rate", f"Bytes {past}", Unit.BYTES_PER_S, f"Bytes {past} per second.",
            "Δsectors × 512 B / Δt", _needs(IO, direction),
            partial(_flow, counter=IO, direction=direction), total=Unit.BYTES,
        ),
        _measure(
            f"disk.{direction}.requests", f"{direction.capitalize()} requests", Unit.PER_S,
            f"{direction.capitalize()} requests completed per second.", "Δrequests / Δt", _needs(OPERATIONS, direction),
            partial(_flow, counter=OPERATIONS, direction=direction), total=Unit.COUNT,
        ),
        _measure(
            f"disk.{direction}.wait", f"Wait per {direction} request", Unit.SECONDS,
            "Mean time from a request's start to its completion.", "Δtime in requests / Δrequests",
            (*_needs(OPERATION_TIME, direction), *_needs(OPERATIONS, direction)), partial(_wait, directions=(direction,
            )),
        ),
        _measure(
            f"disk.{direction}.size", f"Size of a {direction} request", Unit.BYTES,
            "Mean size of the requests.", "Δbytes / Δrequests",
            (*_needs(IO, direction), *_needs(OPERATIONS, direction)), partial(_size, direction=direction),
        ),
    ]  # fmt: skip


def _stall(scope: str, text: str) -> Measure:
    return Measure(
        f"stall.io.{scope}", f"Stalled on I/O ({scope})", Unit.SHARE, Resource.DISK, text,
        "Δtotal / Δt of the I/O pressure file",
        (stall_need("io", scope),), partial(stalled, resource="io", scope=scope), total=Unit.SECONDS,
    )  # fmt: skip


def _every(counter: str, *directions: str) -> tuple[Need, ...]:
    return tuple(Need(counter, ((DISK_DIRECTION, way),), Reach.EVERY) for way in directions)


SWAP_DISK = [
    *(
        Measure(
            f"swap.disk.{direction}", f"{past} on swap's disk", Unit.BYTES_PER_S, Resource.SWAP,
            f"Bytes {past.lower()} on the devices that swap lies on, by all programs: of a file it is its whole disk.",
            "Δsectors × 512 B / Δt", _every(IO, direction), partial(_swap_flow, direction=direction), total=Unit.BYTES,
        )
        for direction, past in (("read", "Read"), ("write", "Written"))
    ),
    Measure(
        "swap.disk.wait", "Wait on swap's disk", Unit.SECONDS, Resource.SWAP,
        "Mean time that a read or write took on the devices that swap lies on: what a page that comes back costs.",
        "Δtime in requests / Δrequests, reads and writes",
        (*_every(OPERATION_TIME, "read", "write"), *_every(OPERATIONS, "read", "write")), _swap_wait, per_event=True,
    ),
]  # fmt: skip
DISK = [
    _measure(
        "disk.queue", "Requests in flight", Unit.COUNT,
        "Mean number of requests in flight. By Little's law it is requests per second × wait.",
        "Δweighted time / Δt", _needs(WEIGHTED), partial(_flow, counter=WEIGHTED, direction=None),
    ),
    _measure(
        "disk.wait", "Wait per request", Unit.SECONDS,
        "Mean time that a read or write took. High is high against the device's own normal.",
        "Δtime in requests / Δrequests, reads and writes",
        (*_needs(OPERATION_TIME, "read", "write"), *_needs(OPERATIONS, "read", "write")),
        partial(_wait, directions=("read", "write")),
    ),
    _measure(
        "disk.busy", "Disk busy", Unit.SHARE,
        "Share of time with at least one request in flight; of the machine, that of the busiest disk. 1 means never "
        "without a request, not at capacity: a device that serves many at once has room left.",
        "Δbusy time / Δt, at most 1", _needs(IO_TIME), partial(_busy),
    ),
    *_per_direction("read", "read"),
    *_per_direction("write", "written"),
    _stall("some", "Share of time in which at least one task was held up by I/O."),
    _stall("full", "Share of time in which every task that had work was held up by I/O."),
]  # fmt: skip
