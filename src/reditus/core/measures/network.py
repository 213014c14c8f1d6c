"""Network measures, each direction for itself. Rates are bytes per second here; screens print bits for links."""

from functools import partial

import numpy as np

from reditus.core.counters import INTERFACE, NETWORK_DIRECTION
from reditus.core.errors import UnknownCounter
from reditus.core.frame import Frame, Sampled
from reditus.core.measures.measure import Measure, Need, Per, Reach, Resource, Unit, add

IO = "system.network.io"
PACKETS = "system.network.packet.count"
ERRORS = "system.network.errors"
DROPPED = "system.network.packet.dropped"


def _interfaces(frame: Frame, device: str | None, counter: str) -> list[str]:
    if device is not None:
        return [device]
    names = frame.facts.outer_links(frame.values_of(counter, INTERFACE))
    if not names:
        raise UnknownCounter(counter)
    return names


def _rate(frame: Frame, device: str | None, *, counter: str, direction: str) -> Sampled:
    return add(
        frame.rate(counter, {INTERFACE: name, NETWORK_DIRECTION: direction})
        for name in _interfaces(frame, device, counter)
    )


def _use(frame: Frame, device: str | None, *, direction: str) -> Sampled:
    """Rate over speed; of the machine, the fullest link. Unknown where the link tells no speed."""
    uses = []
    for name in _interfaces(frame, device, IO):
        moved = _rate(frame, name, counter=IO, direction=direction)
        link = frame.facts.links.get(name)
        speed = link.speed_bits_per_s if link else None
        uses.append(Sampled(moved.timebase, moved.values * 8 / speed if speed else np.full(len(moved), np.nan)))
    values = np.stack([use.values for use in uses])
    known = ~np.isnan(values)
    peak = np.where(known, values, -np.inf).max(axis=0)
    return Sampled(uses[0].timebase, np.where(known.any(axis=0), peak, np.nan))


def _needs(counter: str, direction: str) -> tuple[Need, ...]:
    return tuple(Need(counter, ((NETWORK_DIRECTION, direction),), reach) for reach in (Reach.THIS, Reach.EVERY))


def _flow(name: str, title: str, unit: Unit, counter: str, direction: str, text: str, total: Unit) -> Measure:
    return Measure(
        name, title, unit, Resource.NETWORK, text, "Δ / Δt", _needs(counter, direction),
        partial(_rate, counter=counter, direction=direction), per=Per.INTERFACE, total=total,
    )  # fmt: skip


def _both_ways(word: str, direction: str, past: str) -> list[Measure]:
    return [
        _flow(
            f"net.{word}.rate", f"Bytes {past}", Unit.BYTES_PER_S, IO, direction,
            f"Bytes {past} per second; of the machine, over the interfaces that lead out of it.", Unit.BYTES,
        ),
        Measure(
            f"net.{word}.use", f"Link use, {past}", Unit.SHARE, Resource.NETWORK,
            "Rate over the link's speed; of the machine, the fullest link. Unknown where the link tells no speed.",
            "8 × Δbytes / Δt / speed", _needs(IO, direction), partial(_use, direction=direction), per=Per.INTERFACE,
        ),
        _flow(f"net.{word}.packets", f"Packets {past}", Unit.PER_S, PACKETS, direction, f"Packets {past} per second.", Unit.COUNT),
        _flow(f"net.{word}.errors", f"Errors, {past}", Unit.PER_S, ERRORS, direction, "Damaged or failed packets.", Unit.COUNT),
        _flow(
            f"net.{word}.drops", f"Drops, {past}", Unit.PER_S, DROPPED, direction,
            "Packets thrown away. On receive they may be packets that nobody asked for.", Unit.COUNT,
        ),
    ]  # fmt: skip


NETWORK = [*_both_ways("receive", "receive", "received"), *_both_ways("send", "transmit", "sent")]
