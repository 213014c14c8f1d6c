"""Strain: how hard a resource or a device is pressed, 0 to 1, so that weeks can be looked over at a glance.

Every strain is put together the same way: `1 − (1 − ½·use²) × (1 − loss)`. Use alone, with no task waiting, comes to a
half at most and hardly shows below a third; time lost, whatever the use, can bring it to 1. It is a picture for finding
the time and no verdict: that is what findings are for.
"""

from collections.abc import Callable, Iterable
from dataclasses import replace

import numpy as np

from reditus.core.counters import DISK as DEVICE
from reditus.core.counters import INTERFACE
from reditus.core.errors import UnknownCounter
from reditus.core.frame import Frame, Series, Timebase
from reditus.core.measures.disk import DISK, IO_TIME
from reditus.core.measures.measure import (
    Measure,
    Need,
    Per,
    Reach,
    Resource,
    Unit,
    highest,
    natural_key,
    or_zero,
    ratio,
)
from reditus.core.measures.memory import MEMORY, SWAP
from reditus.core.measures.network import IO, NETWORK, segments_sent
from reditus.core.measures.processor import PROCESSOR, core_count
from reditus.core.types import FloatArray

LOW_MEMORY = 0.2
"""Share of memory available below which nearness to the end counts as use."""
FAULTS_HALF_PER_S = 100.0
"""Major faults a second that count as half of the time lost: some 10 ms each on a spinning disk is a task that stands
still.
"""
SWAP_HALF_BYTES_PER_S = 1.0 * 2**20
"""Swap traffic that counts as half lost."""
SWAP_OUT_WEIGHT = 0.25
"""Writing out is housekeeping for a part; reading back is what tasks wait for."""
FULL_SWAP = 0.9
"""Share of swap held above which nearness to its end counts as use."""
SLOW_WAIT_S = 0.05
"""A wait per request that is slow for any disk: half of the time in which the disk is busy counts as lost."""
QUICK_WAIT_S = 0.005
"""Below this wait, tasks that are stalled on the disk are mostly those that exist to stream it."""
NEAR_FULL_LINK = 0.8
"""Use of a link from which senders begin to wait in their queues, where no counter sees them."""
FULL_LINK_LOSS = 0.6
"""What a full link counts as lost."""
BAD_PACKETS_HALF = 0.02
"""Share of damaged or unsent packets that counts as half lost."""
RESENT_HALF = 0.05
"""Share of segments sent again that counts as half lost."""
BACKLOG_HALF_PER_S = 10.0
"""Packets dropped from a backlog that count as half lost."""
MANY_SEGMENTS_PER_S = 100.0
"""So few segments a second make the share sent again count half: three of four lost says little of a quiet line."""

_NAMED = {measure.name: measure for measure in [*PROCESSOR, *MEMORY, *SWAP, *DISK, *NETWORK]}


def strain(use: FloatArray, loss: FloatArray) -> FloatArray:
    """Both 0 to 1, one entry a tick; unknown loss counts as none, unknown use too where loss is known."""
    unknown = np.isnan(use) & np.isnan(loss)
    use, loss = (np.clip(or_zero(part), 0.0, 1.0) for part in (use, loss))
    out: FloatArray = 1.0 - (1.0 - 0.5 * use**2) * (1.0 - loss)
    out[unknown] = np.nan
    return out


class _Behind:
    """The measures behind a strain, on one timebase: that of the first."""

    def __init__(self, frame: Frame, device: str | None, leading: str) -> None:
        self._frame = frame
        self._device = device
        first = _NAMED[leading].derive(frame, device)
        self.timebase = first.timebase
        self.leading = first.values

    def __call__(self, name: str, device: str | None = None) -> FloatArray | None:
        """A measure of the device or, where it has none, of the machine; None where the host does not tell it."""
        try:
            found = _NAMED[name].derive(self._frame, device)
        except UnknownCounter:
            return None
        return on_timebase(found, self.timebase)

    def own(self, name: str) -> FloatArray | None:
        return self(name, self._device)

    def sampled(self, use: FloatArray, *losses: FloatArray | None) -> Series:
        return Series(self.timebase, strain(use, together(losses, len(self.timebase))))


def together(losses: Iterable[FloatArray | None], ticks: int) -> FloatArray:
    """Losses that come on top of each other, none counted twice: 1 − Π(1 − loss). Unknown ones count as none."""
    left = np.ones(ticks)
    for loss in losses:
        if loss is not None:
            left *= 1.0 - np.clip(or_zero(loss), 0.0, 1.0)
    return 1.0 - left


def on_timebase(sampled: Series, timebase: Timebase) -> FloatArray:
    """Values on the ticks of another group: each interval has the value of the interval that its middle lies in."""
    if sampled.timebase is timebase:
        return sampled.values
    own = sampled.timebase
    out = np.full(len(timebase), np.nan)
    if not len(own):
        return out
    middle_ns = (timebase.start_ns + timebase.wall_ns) // 2
    # Groups are read one after the other, so an interval may begin a little after the middle of its own tick's.
    at = np.minimum(np.searchsorted(own.wall_ns, middle_ns), len(own) - 1)
    inside = (own.start_ns[at] <= middle_ns) & (middle_ns <= own.wall_ns[at])
    out[inside] = sampled.values[at[inside]]
    return out


def half_at(values: FloatArray, half: float) -> FloatArray:
    """0 for 0, ½ at `half`, towards 1 above."""
    amount = np.maximum(or_zero(values), 0.0)
    return amount / (amount + half)


def _processor(frame: Frame, core: str | None) -> Series:
    """Loss: how often a task waited and how much of the wanted time was waited for, in the geometric mean;
    and steal.
    """
    behind = _Behind(frame, core, "cpu.busy")
    cores = 1 if core is not None else core_count(frame)
    waiting, stolen = behind.own("cpu.waiting"), behind.own("cpu.steal")
    stalled = behind("stall.cpu.some") if core is None else None
    unmet = None if waiting is None else ratio(waiting, waiting + np.maximum(behind.leading, 1e-9))
    if unmet is not None and stalled is not None:
        waited: FloatArray | None = np.sqrt(np.maximum(unmet, 0.0) * np.maximum(stalled, 0.0))
    else:
        waited = unmet if unmet is not None else stalled
    return behind.sampled(behind.leading / cores, waited, None if stolen is None else stolen / cores)


def _memory(frame: Frame, _: str | None) -> Series:
    behind = _Behind(frame, None, "memory.available")
    total = behind("memory.total")
    share = behind.leading / total if total is not None else np.full(len(behind.timebase), np.nan)
    faults, kills = behind("memory.faults.major"), behind("memory.oom_kills")
    return behind.sampled(
        np.clip((LOW_MEMORY - share) / LOW_MEMORY, 0.0, 1.0),
        behind("stall.memory.some"),
        None if faults is None else half_at(faults, FAULTS_HALF_PER_S),
        None if kills is None else (or_zero(kills) > 0).astype(np.float64),
    )


def _swap(frame: Frame, _: str | None) -> Series:
    behind = _Behind(frame, None, "swap.in")
    out, held, total = behind("swap.out"), behind("swap.held"), behind("swap.total")
    traffic = behind.leading if out is None else behind.leading + SWAP_OUT_WEIGHT * out
    use = np.zeros(len(behind.timebase))
    if held is not None and total is not None:
        use = np.clip((or_zero(ratio(held, total)) - FULL_SWAP) / (1.0 - FULL_SWAP), 0.0, 1.0)
    use[np.isnan(behind.leading)] = np.nan
    loss = half_at(traffic, SWAP_HALF_BYTES_PER_S)
    loss[np.isnan(traffic)] = np.nan
    return Series(behind.timebase, strain(use, loss))


def _disk(frame: Frame, device: str | None) -> Series:
    """One disk; of the machine the most strained one, or stalls that no disk is busy with."""
    if device is not None:
        return _one_disk(frame, device, _queue_sum(frame))
    names = frame.values_of(IO_TIME, DEVICE)
    bottom = sorted(frame.facts.bottom_disks(names) or names, key=natural_key)
    if not bottom:
        raise UnknownCounter(IO_TIME)
    queue = _queue_sum(frame)
    each = [_one_disk(frame, name, queue) for name in bottom]
    behind = _Behind(frame, None, "disk.busy")
    stalled = behind("stall.io.some")
    elsewhere = None if stalled is None else stalled * (1.0 - behind.leading)
    unexplained = strain(np.zeros(len(behind.timebase)), together([elsewhere], len(behind.timebase)))
    unexplained[np.isnan(behind.leading)] = np.nan
    return Series(behind.timebase, highest([*(item.values for item in each), unexplained]))


def _queue_sum(frame: Frame) -> Series | None:
    try:
        return _NAMED["disk.queue"].derive(frame, None)
    except UnknownCounter:
        return None


def _one_disk(frame: Frame, device: str, queue: Series | None) -> Series:
    """Loss: stall by the disk's share of all requests in flight, little of it while requests are quick; and
    long waits.
    """
    behind = _Behind(frame, device, "disk.busy")
    wait, own, stalled = behind.own("disk.wait"), behind.own("disk.queue"), behind("stall.io.some")
    every = None if queue is None else on_timebase(queue, behind.timebase)
    slow = None if wait is None else behind.leading * half_at(wait, SLOW_WAIT_S)
    held_up = None
    if stalled is not None and wait is not None and own is not None and every is not None:
        held_up = stalled * or_zero(np.clip(ratio(own, every), 0.0, 1.0)) * half_at(wait, QUICK_WAIT_S)
    return behind.sampled(behind.leading, held_up, slow)


def _network(frame: Frame, device: str | None) -> Series:
    """One interface; of the machine the most strained one, and what had to be sent again or fell off a full backlog."""
    if device is not None:
        return _one_link(frame, device)
    names = frame.facts.outer_links(frame.values_of(IO, INTERFACE))
    if not names:
        raise UnknownCounter(IO)
    behind = _Behind(frame, None, "net.receive.rate")
    each = highest([_one_link(frame, name).values for name in sorted(names, key=natural_key)])
    resent, backlog = behind("net.tcp.resent"), behind("net.backlog.dropped")
    lost = None
    if resent is not None:
        sent = on_timebase(segments_sent(frame), behind.timebase)
        lost = half_at(resent, RESENT_HALF) * half_at(sent, MANY_SEGMENTS_PER_S)
    dropped = None if backlog is None else half_at(backlog, BACKLOG_HALF_PER_S)
    left = (1.0 - each) * (1.0 - together([lost, dropped], len(each)))
    return Series(behind.timebase, 1.0 - left)


def _one_link(frame: Frame, device: str) -> Series:
    behind = _Behind(frame, device, "net.receive.rate")
    uses = [use for use in (behind.own("net.receive.use"), behind.own("net.send.use")) if use is not None]
    use = highest(uses) if uses else np.full(len(behind.timebase), np.nan)
    use = np.where(
        np.isnan(use) & ~np.isnan(behind.leading), 0.0, use
    )  # a link of unknown speed is not known to be used
    full = FULL_LINK_LOSS * np.clip((use - NEAR_FULL_LINK) / (1.0 - NEAR_FULL_LINK), 0.0, 1.0)
    bad = [behind.own(name) for name in ("net.receive.errors", "net.send.errors", "net.send.drops")]
    moved = [behind.own(name) for name in ("net.receive.packets", "net.send.packets")]
    broken = None
    if any(item is not None for item in bad) and all(item is not None for item in moved):
        failed = np.sum([or_zero(item) for item in bad if item is not None], axis=0)
        packets = np.sum([or_zero(item) for item in moved if item is not None], axis=0)
        broken = half_at(or_zero(ratio(failed, failed + packets)), BAD_PACKETS_HALF)
    return behind.sampled(use, full, broken)


def _needs(leading: str, *others: str) -> tuple[Need, ...]:
    """What the measures behind it need; only those of the first are required."""
    found: dict[tuple[object, ...], Need] = {}
    for name in (leading, *others):
        for need in _NAMED[name].needs:
            # A device's strain looks at the machine as a whole, too.
            reach = Reach.EVERY if need.reach is Reach.WHOLE else need.reach
            renewed = replace(need, reach=reach, optional=need.optional or name != leading)
            key = (renewed.counter, renewed.fixed, renewed.reach)
            if key not in found or found[key].optional:
                found[key] = renewed
    return tuple(found.values())


BEHIND: dict[str, tuple[str, ...]] = {
    "cpu.strain": ("cpu.busy", "cpu.waiting", "stall.cpu.some", "cpu.steal"),
    "memory.strain": (
        "memory.available",
        "memory.total",
        "stall.memory.some",
        "memory.faults.major",
        "memory.oom_kills",
    ),
    "swap.strain": ("swap.in", "swap.out", "swap.held", "swap.total"),
    "disk.strain": ("disk.busy", "disk.wait", "disk.queue", "stall.io.some"),
    "net.strain": (
        "net.receive.rate",
        "net.receive.use",
        "net.send.use",
        "net.receive.errors",
        "net.send.errors",
        "net.send.drops",
        "net.receive.packets",
        "net.send.packets",
        "net.tcp.resent",
        "net.backlog.dropped",
    ),
}
"""The measures that each strain is made of, the required one first."""


def _measure(
    name: str, title: str, resource: Resource, text: str, loss: str,
    derive: Callable[[Frame, str | None], Series], per: Per | None = None,
) -> Measure:  # fmt: skip
    formula = f"1 − (1 − ½·use²) × (1 − loss); {loss}"
    return Measure(name, title, Unit.SHARE, resource, text, formula, _needs(*BEHIND[name]), derive, per=per)


STRAIN = [
    _measure(
        "cpu.strain", "Processor strain", Resource.PROCESSOR,
        "Pressed by use, by tasks that wait for a core, and by time that the hypervisor gave to other guests. Busy "
        "cores that no task waits for come to a half at most.",
        "use: busy ÷ cores; loss: √(stalled × waiting ÷ (waiting + busy)), either alone where the other is missing, "
        "and the share stolen",
        _processor, Per.CORE,
    ),
    _measure(
        "memory.strain", "Memory strain", Resource.MEMORY,
        "Pressed when less than a fifth is available, when tasks are stalled for memory, when faults read from disk, "
        "and when a process is killed for lack of it. A full cache does not show.",
        f"use: how far available is below {LOW_MEMORY:.0%}; loss: stalled, major faults (half at "
        f"{FAULTS_HALF_PER_S:g}/s), "
        "a kill",
        _memory,
    ),
    _measure(
        "swap.strain", "Swap strain", Resource.SWAP,
        "Pressed by traffic, reading back four times as much as writing out, and by its last tenth. What is parked "
        "there quietly does not show.",
        f"use: the last tenth of swap; loss: in + ¼ out, half at {SWAP_HALF_BYTES_PER_S / 2**20:g} MiB/s",
        _swap,
    ),
    _measure(
        "disk.strain", "Disk strain", Resource.DISK,
        "Pressed by being busy, by tasks that it holds up, and by long waits. A disk that streams with short waits "
        "comes little above a half. Of the machine: its most strained disk, or stalls that no disk is busy with.",
        f"use: busy; loss: stalled on I/O × share of the requests in flight × wait (half at {QUICK_WAIT_S * 1000:g} "
        f"ms), and busy × wait (half at {SLOW_WAIT_S * 1000:g} ms)",
        _disk, Per.DISK,
    ),
    _measure(
        "net.strain", "Network strain", Resource.NETWORK,
        "Pressed by full links, damaged packets, segments that had to be sent again, and packets that fell off a full "
        "backlog. Of the machine: its most strained link, and what is only known of all together.",
        f"use: rate ÷ speed; loss: use above {NEAR_FULL_LINK:.0%}, errors (half at {BAD_PACKETS_HALF:.0%} of packets), "
        f"sent again (half at {RESENT_HALF:.0%}), backlog drops",
        _network, Per.INTERFACE,
    ),
]  # fmt: skip
