"""Network measures, each direction for itself. Rates are bytes per second here; screens print bits for links."""

from functools import partial

import numpy as np

from reditus.core.counters import CPU_NUMBER, INTERFACE, NETWORK_DIRECTION
from reditus.core.errors import UnknownCounter
from reditus.core.frame import Frame, Series
from reditus.core.measures.measure import Measure, Need, Per, Reach, Resource, Unit, add, highest, ratio
from reditus.core.measures.protocols import counted, protocol_need

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


def _rate(frame: Frame, device: str | None, *, counter: str, direction: str) -> Series:
    return add(
        frame.rate(counter, {INTERFACE: name, NETWORK_DIRECTION: direction})
        for name in _interfaces(frame, device, counter)
    )


def _use(frame: Frame, device: str | None, *, direction: str) -> Series:
    """Rate over speed; of the machine, the fullest link. Unknown where the link tells no speed."""
    uses = []
    for name in _interfaces(frame, device, IO):
        moved = _rate(frame, name, counter=IO, direction=direction)
        link = frame.facts.links.get(name)
        speed = link.speed_bits_per_s if link else None
        uses.append(Series(moved.timebase, moved.values * 8 / speed if speed else np.full(len(moved), np.nan)))
    return Series(uses[0].timebase, highest([use.values for use in uses]))


def _needs(counter: str, direction: str) -> tuple[Need, ...]:
    return tuple(Need(counter, ((NETWORK_DIRECTION, direction),), reach) for reach in (Reach.THIS, Reach.WHOLE))


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
        _flow(f"net.{word}.packets", f"Packets {past}", Unit.PER_S, PACKETS, direction, f"Packets {past} per second.",
        Unit.COUNT),
        _flow(f"net.{word}.errors", f"Errors, {past}", Unit.PER_S, ERRORS, direction, "Damaged or failed packets.",
        Unit.COUNT),
        _flow(
            f"net.{word}.drops", f"Drops, {past}", Unit.PER_S, DROPPED, direction,
            "Packets thrown away. On receive they may be packets of unwanted protocols.", Unit.COUNT,
        ),
    ]  # fmt: skip


BACKLOG = "system.network.linux.backlog"


def _resent(frame: Frame, _: str | None) -> Series:
    """TCP retransmissions over all segments sent; unknown while none is sent."""
    again, sent = (frame.delta(need.counter, dict(need.fixed)) for need in _RESENT)
    return Series(again.timebase, np.clip(ratio(again.values, sent.values), 0.0, 1.0))


def segments_sent(frame: Frame) -> Series:
    """TCP segments a second."""
    sent = _RESENT[1]
    return frame.rate(sent.counter, dict(sent.fixed))


_RESENT = (protocol_need("tcp", "RetransSegs"), protocol_need("tcp", "OutSegs"))


def _backlog(word: str, title: str, text: str) -> Measure:
    counter = f"{BACKLOG}.{word}"

    def derive(frame: Frame, core: str | None) -> Series:
        cores = [core] if core is not None else frame.values_of(counter, CPU_NUMBER)
        if not cores:
            raise UnknownCounter(counter)
        return add(frame.rate(counter, {CPU_NUMBER: each}) for each in cores)

    needs = (Need(counter, (), Reach.THIS, optional=True), Need(counter, (), Reach.WHOLE))
    return Measure(
        f"net.backlog.{word}",
        title,
        Unit.PER_S,
        Resource.NETWORK,
        text,
        "Δ / Δt",
        needs,
        derive,
        per=Per.CORE,
        total=Unit.COUNT,
    )


PROTOCOLS = [
    Measure(
        "net.tcp.resent", "TCP retransmissions", Unit.SHARE, Resource.NETWORK,
        "TCP segments sent again, of all that were sent: what loss anywhere on the way costs. A full listen queue "
        "makes clients send again too.",
        "Δ(sent again) / Δ(sent)", _RESENT, _resent, per_event=True,
    ),
    counted("net.tcp.resets", "Connections reset", "tcp", "EstabResets",
    "Established connections that were cut off."),
    counted("net.tcp.failed_opens", "Failed connection attempts", "tcp", "AttemptFails", "Attempts that came to "
                                                                                           "nothing."),
    counted(
        "net.tcp.listen_overflows", "Listen queue overflows", "tcpext", "ListenOverflows",
        "Connections refused because a program did not take them fast enough.",
    ),
    counted(
        "net.udp.buffer_errors", "UDP receive buffer full", "udp", "RcvbufErrors",
        "Datagrams thrown away because a program did not read them fast enough.",
    ),
    counted("net.udp.no_port", "UDP, no listener", "udp", "NoPorts", "Datagrams for a port without a listener."),
    _backlog("dropped", "Backlog drops", "Packets thrown away because a core's input backlog was full."),
    _backlog("squeezed", "Backlog time squeezes", "Times that a core had packets left when its turn was over."),
]  # fmt: skip

NETWORK = [*_both_ways("receive", "receive", "received"), *_both_ways("send", "transmit", "sent"), *PROTOCOLS]
