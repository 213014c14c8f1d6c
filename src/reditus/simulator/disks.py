"""Disks: a service-time model for each, and Little's law between its counters."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from reditus.core.kernel_columns import disk_columns
from reditus.core.schema import Column
from reditus.core.types import FloatArray, IntArray
from reditus.simulator.counting import Tally
from reditus.simulator.demand import Load
from reditus.simulator.scenario import Disk, FaultKind, Scenario

SECTOR_BYTES = 512
TINY = 1e-12
SWAP_DEPTH = 8.0
"""Requests for swap under way at most, in each direction."""


@dataclass(slots=True)
class Flow:
    """Requests to one disk of one kind: a rate, their size, and waiting for them."""

    bytes_per_s: FloatArray
    size: int
    is_read: bool
    depth: float
    """Requests that it has under way at most: it waits before it asks for more."""
    waits: float
    share: FloatArray | float = 1.0
    """Share of the requests that was served."""
    again: FloatArray | float = 0.0
    """Share of the requests that had been in memory a moment ago."""


@dataclass(slots=True)
class Served:
    """What a disk did. Rates are per second."""

    reads: FloatArray
    writes: FloatArray
    read_bytes: FloatArray
    write_bytes: FloatArray
    read_wait_s: FloatArray
    write_wait_s: FloatArray
    queue: FloatArray
    busy: FloatArray
    blocked: FloatArray
    """Tasks asleep until a request is done."""
    reading_swap: FloatArray
    """Those of them that wait for a page of their own memory."""
    rereading: FloatArray
    """Those of them that wait for a page of a file which was in memory a moment ago."""


def serve(disk: Disk, flows: list[Flow], slow: FloatArray, swap_in: Flow | None = None) -> Served:
    """Queueing in one disk that serves `parallel` requests at a time.

    Who asks for less than a fair part gets all of it, and waits for a free server (Sakasegawa's approximation, 1977)
    and behind those who are never satisfied. Those always have as many requests under way as they may, so that their
    wait is that number over their rate (Little's law).
    """
    ticks = len(slow)
    zero = np.zeros(ticks)
    rates = [flow.bytes_per_s / flow.size for flow in flows]
    # Requests that are served at the same time have the disk's whole rate between them.
    at_once = sum(
        (
            np.minimum(flow.depth, rate * slow * (disk.service_s + flow.size / disk.bytes_per_s))
            for flow, rate in zip(flows, rates, strict=True)
        ),
        zero,
    )
    at_once = np.clip(at_once, 1.0, disk.parallel)
    services = [slow * (disk.service_s + flow.size * at_once / disk.bytes_per_s) for flow in flows]
    work = [rate * service for rate, service in zip(rates, services, strict=True)]
    got = _shared_out(
        [np.minimum(each, flow.depth) for each, flow in zip(work, flows, strict=True)], flows, disk.parallel
    )
    short = [each > part * (1 + 1e-9) for each, part in zip(work, got, strict=True)]
    calm = sum((np.where(less, 0.0, part) for less, part in zip(short, got, strict=True)), zero)
    ahead = sum((less * flow.depth for less, flow in zip(short, flows, strict=True)), zero)
    ahead_s = sum(
        (less * flow.depth * service for less, flow, service in zip(short, flows, services, strict=True)), zero
    )
    # Only requests beyond what is served at a time stand in anybody's way.
    behind_s = ahead_s / disk.parallel * np.clip((ahead - disk.parallel + 1) / np.maximum(ahead, TINY), 0.0, 1.0)
    use = np.minimum(calm / disk.parallel, 0.98)
    power = np.sqrt(2.0 * (disk.parallel + 1.0)) - 1.0
    crowd = use**power / (disk.parallel * (1.0 - use))
    out = Served(*(zero.copy() for _ in range(11)))
    room = np.ones(ticks)
    for flow, rate, service, each, part, less in zip(flows, rates, services, work, got, short, strict=True):
        share = flow.share = np.where(less, part / np.maximum(each, TINY), 1.0)
        done = rate * share
        wait_s = np.where(less, flow.depth / np.maximum(done, TINY), service * (1.0 + crowd) + behind_s) * (done > 0)
        under_way = done * wait_s
        out.queue += under_way
        room = np.maximum(room, np.where(rate > 0, flow.depth, 0.0))
        if flow.is_read:
            out.reads += done
            out.read_bytes += done * flow.size
            out.read_wait_s += under_way
        else:
            out.writes += done
            out.write_bytes += done * flow.size
            out.write_wait_s += under_way
        out.blocked += under_way * flow.waits
        out.rereading += under_way * flow.waits * flow.again
        if flow is swap_in:
            out.reading_swap += under_way
    # Of several that come and go by themselves, the share of time with at least one under way; who is never satisfied
    # always has one.
    room = np.maximum(room, out.queue)
    out.busy = np.where(ahead >= 1.0, 1.0, 1.0 - (1.0 - out.queue / room) ** room)
    # Until here the sums over requests; per request from here.
    out.read_wait_s /= np.maximum(out.reads, TINY)
    out.write_wait_s /= np.maximum(out.writes, TINY)
    return out


def _shared_out(wanted: list[FloatArray], flows: list[Flow], servers: int) -> list[FloatArray]:
    """Fair parts of the disk's time, by depth: what one does not need is the others'."""
    if sum(np.max(each, initial=0.0) for each in wanted) <= servers:
        return wanted
    got = [np.zeros_like(each) for each in wanted]
    open_ = [each > 0 for each in wanted]
    left = np.full_like(wanted[0], float(servers))
    for _ in range(len(wanted)):
        weight = sum((flow.depth * still for flow, still in zip(flows, open_, strict=True)), np.zeros_like(left))
        changed = False
        for at, flow in enumerate(flows):
            fair = left * flow.depth / np.maximum(weight, TINY)
            content = open_[at] & (wanted[at] <= fair)
            if content.any():
                got[at][content] = wanted[at][content]
                open_[at] = open_[at] & ~content
                changed = True
        left = servers - sum(got, np.zeros_like(left))
        if not changed:
            break
    weight = sum((flow.depth * still for flow, still in zip(flows, open_, strict=True)), np.zeros_like(left))
    for at, flow in enumerate(flows):
        part = np.minimum(left * flow.depth / np.maximum(weight, TINY), wanted[at])
        got[at] = np.where(open_[at], part, got[at])
    return got


class Disks:
    """All disks of a machine, part by part."""

    def __init__(self, scenario: Scenario) -> None:
        self._scenario, self._machine = scenario, scenario.machine
        self._by_name = {disk.name: disk for disk in self._machine.disks}
        self._tally = Tally()
        self.swapped: tuple[FloatArray, FloatArray] = (np.zeros(0), np.zeros(0))
        """Bytes a second that were swapped in and out at the last step."""

    def bottom(self, name: str | None) -> tuple[str, ...]:
        """The disks over which the requests to this one are spread."""
        disk = self._by_name[name] if name else self._machine.disks[0]
        return disk.on or (disk.name,)

    def step(
        self, at_s: FloatArray, loads: list[Load], swap_in: FloatArray, swap_out: FloatArray, missed: FloatArray
    ) -> dict[str, Served]:
        """Serve everyone. `swap_in` and `swap_out` are wanted bytes a second, `missed` the share of rereads that files
        in memory do not answer. Sets the progress of each work.
        """
        flows: dict[str, list[Flow]] = {disk.name: [] for disk in self._machine.disks if not disk.on}
        owned: list[list[Flow]] = []
        for load in loads:
            below = self.bottom(load.work.disk)
            own: list[Flow] = []
            read = load.read + load.reread * missed
            for name in below:
                for wanted, size, is_read in (
                    (read, load.work.read_size, True),
                    (load.write, load.work.write_size, False),
                ):
                    if wanted.any():
                        part = Flow(wanted / len(below), size, is_read, load.work.depth / len(below), load.work.waits)
                        if is_read:
                            part.again = load.reread * missed / np.maximum(read, 1.0)
                        flows[name].append(part)
                        own.append(part)
            owned.append(own)
        swap_in_of: dict[str, Flow] = {}
        self.swapped = (np.zeros(len(at_s)), np.zeros(len(at_s)))
        if swap_in.any() or swap_out.any():
            name = self.bottom(self._machine.swap_disk)[0]
            into = Flow(swap_in, self._machine.swap_read_bytes, is_read=True, depth=SWAP_DEPTH, waits=1.0)
            grown = np.maximum(swap_out - swap_in, 0.0)
            # What comes in pushes as much out; how much can come in is known after a first look.
            serve(self._by_name[name], [*flows[name], into], self._slow(name, at_s))
            out = Flow(
                swap_in * into.share + grown,
                self._machine.swap_write_bytes,
                is_read=False,
                depth=SWAP_DEPTH,
                waits=0.1,
            )
            swap_in_of[name] = into
            flows[name] += [into, out]
        served = {
            name: serve(self._by_name[name], each, self._slow(name, at_s), swap_in_of.get(name))
            for name, each in flows.items()
        }
        if swap_in_of:
            self.swapped = (swap_in * into.share, out.bytes_per_s * out.share)
        for item, own in zip(loads, owned, strict=True):
            item.progress = np.minimum.reduce([np.asarray(flow.share) for flow in own]) if own else 1.0
        return served

    def counters(self, served: Mapping[str, Served]) -> dict[Column, IntArray]:
        """What /proc/diskstats would show. A volume repeats what those below it did."""
        out: dict[Column, IntArray] = {}
        for disk in self._machine.disks:
            parts = [served[name] for name in disk.on] if disk.on else [served[disk.name]]
            out |= self._columns(disk.name, parts)
        return out

    def _columns(self, name: str, parts: list[Served]) -> dict[Column, IntArray]:
        interval_s = self._scenario.interval_s

        def total(field: str) -> FloatArray:
            summed: FloatArray = np.add.reduce([getattr(part, field) for part in parts])
            return summed

        reads, writes, queue = total("reads"), total("writes"), total("queue")
        read_s = np.add.reduce([part.reads * part.read_wait_s for part in parts])
        write_s = np.add.reduce([part.writes * part.write_wait_s for part in parts])
        idle = np.multiply.reduce([1.0 - part.busy for part in parts])
        zero = np.zeros(len(reads))
        # In the order of /proc/diskstats; the level of requests under way stands among the counters.
        grown = np.stack(
            [
                reads, reads * 0.05, total("read_bytes") / SECTOR_BYTES, read_s * 1e3,
                writes, writes * 0.3, total("write_bytes") / SECTOR_BYTES, write_s * 1e3,
                zero, (1.0 - idle) * 1e3, queue * 1e3, zero, zero, zero, zero, zero, zero,
            ]
        ) * interval_s  # fmt: skip
        values = self._tally(name, grown, 40_000)
        values[8] = np.round(queue)
        return dict(zip(disk_columns(name), values, strict=True))

    def _slow(self, name: str, at_s: FloatArray) -> FloatArray:
        slow = np.ones(len(at_s))
        for fault in self._scenario.faults:
            if fault.kind is FaultKind.SLOW_DISK and fault.device == name:
                slow[(at_s > fault.start_s) & (at_s <= fault.end_s)] = fault.factor
        return slow
