"""Disks: a service-time model for each, and Little's law between its counters."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from reditus.core.kernel_columns import disk_columns
from reditus.core.layout import Column
from reditus.core.types import FloatArray, IntArray
from reditus.simulator.counting import Tally
from reditus.simulator.demand import Asked
from reditus.simulator.scenario import Disk, FaultKind, Scenario

SECTOR_BYTES = 512
TINY = 1e-12


@dataclass(slots=True)
class Flow:
    """Requests to one disk of one kind: a rate, their size, and who waits for them."""

    bytes_per_s: FloatArray
    size: int
    is_read: bool
    depth: FloatArray
    """Requests that it has under way at the most."""
    waits: float


@dataclass(slots=True)
class Served:
    """What a disk did. Rates are per second."""

    share: FloatArray
    """Of what was asked, how much it gave."""
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


def serve(disk: Disk, flows: list[Flow], slow: FloatArray, swap_in: Flow | None = None) -> Served:
    """Queueing in one disk: as many requests as it serves at a time, an approximation of the wait for a free one (after
    Sakasegawa, 1977), and never more under way than those who ask allow.
    """
    ticks = len(slow)
    zero = np.zeros(ticks)
    rates, services, depth = [], [], zero.copy()
    for flow in flows:
        rate = flow.bytes_per_s / flow.size
        rates.append(rate)
        # The length's part is the share that one of the requests served at a time gets of the disk's whole rate.
        services.append(slow * (disk.service_s + flow.size * disk.parallel / disk.bytes_per_s))
        depth += flow.depth * (rate > 0)
    asked = sum(rates, zero)
    work = sum((rate * service for rate, service in zip(rates, services, strict=True)), zero)
    mean_s = work / np.maximum(asked, TINY)
    servers = np.maximum(np.minimum(depth, disk.parallel), 1.0)
    load = work / servers
    share = np.minimum(1.0, 1.0 / np.maximum(load, TINY))
    use = np.minimum(load, 0.999)
    delay_s = mean_s * use ** (np.sqrt(2.0 * (servers + 1.0)) - 1.0) / (servers * (1.0 - use))
    done = asked * share
    queue = np.minimum(done * (mean_s + delay_s), np.maximum(depth, done * mean_s))
    stretch = queue / np.maximum(work * share, TINY)
    """How many times its own service a request takes."""
    room = np.maximum(np.maximum(depth, queue), 1.0)
    busy = 1.0 - (1.0 - np.minimum(queue / room, 1.0)) ** room
    out = Served(
        share, zero.copy(), zero.copy(), zero.copy(), zero.copy(), zero.copy(), zero.copy(), queue, busy, zero.copy(),
        zero.copy(),
    )  # fmt: skip
    for flow, rate, service in zip(flows, rates, services, strict=True):
        got, wait_s = rate * share, service * stretch
        if flow.is_read:
            out.reads += got
            out.read_bytes += got * flow.size
            out.read_wait_s += got * wait_s
        else:
            out.writes += got
            out.write_bytes += got * flow.size
            out.write_wait_s += got * wait_s
        out.blocked += got * wait_s * flow.waits
        if flow is swap_in:
            out.reading_swap += got * wait_s
    # Until here the sums over requests; per request from here.
    out.read_wait_s /= np.maximum(out.reads, TINY)
    out.write_wait_s /= np.maximum(out.writes, TINY)
    return out


class Disks:
    """All disks of a machine, part by part."""

    def __init__(self, scenario: Scenario) -> None:
        self._scenario, self._machine = scenario, scenario.machine
        self._by_name = {disk.name: disk for disk in self._machine.disks}
        self._tally = Tally()

    def bottom(self, name: str | None) -> tuple[str, ...]:
        """The disks over which what is asked of this one is spread."""
        disk = self._by_name[name] if name else self._machine.disks[0]
        return disk.on or (disk.name,)

    def step(
        self, at_s: FloatArray, asked: list[Asked], swap_in: FloatArray, swap_out: FloatArray, missed: FloatArray
    ) -> dict[str, Served]:
        """Serve everyone. `swap_in` and `swap_out` are wanted bytes a second, `missed` the share of rereads that files
        in memory do not answer. Sets the progress of each work.
        """
        flows: dict[str, list[Flow]] = {disk.name: [] for disk in self._machine.disks if not disk.on}
        for one in asked:
            below = self.bottom(one.work.disk)
            read = one.read + one.reread * missed
            for name in below:
                depth = np.full(len(at_s), one.work.depth / len(below))
                for wanted, size, is_read in (
                    (read, one.work.read_size, True),
                    (one.write, one.work.write_size, False),
                ):
                    if wanted.any():
                        flows[name].append(Flow(wanted / len(below), size, is_read, depth, one.work.waits))
        swap_flow: dict[str, Flow] = {}
        for name in self.bottom(self._machine.swap_disk):
            if swap_in.any() or swap_out.any():
                depth = np.where(swap_in > 0, 12.0, 4.0)
                swap_flow[name] = Flow(swap_in, 4_096 * 4, is_read=True, depth=depth, waits=1.0)
                flows[name] += [swap_flow[name], Flow(swap_out, 4_096 * 16, is_read=False, depth=depth, waits=0.1)]
        served = {
            name: serve(self._by_name[name], each, self._slow(name, at_s), swap_flow.get(name))
            for name, each in flows.items()
        }
        for one in asked:
            shares = [served[name].share for name in self.bottom(one.work.disk)]
            moves = one.work.read_bytes_per_s + one.work.write_bytes_per_s + one.work.reread_bytes_per_s > 0
            one.progress = np.minimum.reduce(shares) if moves else 1.0
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
            return np.add.reduce([getattr(part, field) for part in parts])

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
