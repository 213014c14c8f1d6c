"""Protocols one by one: what IPv4, IPv6, TCP, UDP and ICMP took in and sent, and the sockets that there are."""

from reditus.core.counters import CONNECTION_STATE, PROTOCOL, PROTOCOL_FIELD
from reditus.core.measures.measure import Measure, Need, Resource, Unit

EVENTS = "system.network.linux.protocol"
LEVELS = "system.network.linux.protocol_state"
SOCKETS = "system.network.linux.sockets"
STATES = "system.network.connection.count"


def protocol_need(protocol: str, field: str) -> Need:
    """What a protocol counted, under the kernel's own names."""
    return _of(EVENTS, protocol, field)


def counted(name: str, title: str, protocol: str, field: str, text: str) -> Measure:
    """A measure of what a protocol counted, a second."""
    need = protocol_need(protocol, field)
    return Measure(
        name, title, Unit.PER_S, Resource.NETWORK, text, f"Δ{field} / Δt", (need,),
        lambda frame, _: frame.rate(need.counter, dict(need.fixed)), total=Unit.COUNT,
    )  # fmt: skip


def _of(counter: str, protocol: str, field: str) -> Need:
    return Need(counter, ((PROTOCOL, protocol), (PROTOCOL_FIELD, field)))


def _in_state(name: str, title: str, state: str, text: str) -> Measure:
    fixed = ((CONNECTION_STATE, state),)
    return Measure(
        name, title, Unit.COUNT, Resource.NETWORK, text, "as counted", (Need(STATES, fixed),),
        lambda frame, _: frame.level(STATES, dict(fixed)),
    )  # fmt: skip


def _level(name: str, title: str, counter: str, protocol: str, field: str, text: str) -> Measure:
    need = _of(counter, protocol, field)
    return Measure(
        name, title, Unit.COUNT, Resource.NETWORK, text, f"{field}, as read", (need,),
        lambda frame, _: frame.level(need.counter, dict(need.fixed)),
    )  # fmt: skip


PROTOCOLS = [
    counted("net.ip.received", "IPv4 packets received", "ip", "InReceives", "Packets taken in, damaged ones too."),
    counted("net.ip.sent", "IPv4 packets sent", "ip", "OutRequests", "Packets that programs of this machine sent."),
    counted("net.ip.discarded", "IPv4 packets discarded", "ip", "InDiscards", "Good packets without room."),
    counted("net.ip6.received", "IPv6 packets received", "ip6", "InReceives", "Packets taken in, damaged ones too."),
    counted("net.ip6.sent", "IPv6 packets sent", "ip6", "OutRequests", "Packets that programs of this machine sent."),
    counted("net.ip6.discarded", "IPv6 packets discarded", "ip6", "InDiscards",
           "Good packets for which there was no room."),
    counted("net.tcp.received", "TCP segments received", "tcp", "InSegs", "Segments taken in, damaged ones too."),
    counted("net.tcp.sent", "TCP segments sent", "tcp", "OutSegs", "Segments sent, those sent again not counted."),
    counted("net.tcp.opened", "TCP connections opened", "tcp", "ActiveOpens", "Connections that this machine opened."),
    counted("net.tcp.accepted", "TCP connections accepted", "tcp", "PassiveOpens",
           "Connections that others opened to this machine."),
    counted("net.tcp.errors", "TCP segments damaged", "tcp", "InErrs", "Segments received in error."),
    counted("net.udp.received", "UDP datagrams received", "udp", "InDatagrams", "Datagrams handed to programs (IPv4)."),
    counted("net.udp.sent", "UDP datagrams sent", "udp", "OutDatagrams", "Datagrams sent (IPv4)."),
    counted("net.udp6.received", "UDP datagrams received, IPv6", "udp6", "InDatagrams", "Handed to programs."),
    counted("net.udp6.sent", "UDP datagrams sent, IPv6", "udp6", "OutDatagrams", "Datagrams sent."),
    counted("net.icmp.received", "ICMP messages received", "icmp", "InMsgs", "Messages taken in (IPv4)."),
    counted("net.icmp.sent", "ICMP messages sent", "icmp", "OutMsgs", "Messages sent (IPv4)."),
    counted("net.icmp.unreachable", "ICMP: destination unreachable", "icmp", "InDestUnreachs",
           "Messages that say that something sent could not be delivered."),
    counted("net.icmp6.received", "ICMPv6 messages received", "icmp6", "InMsgs", "Messages taken in."),
    counted("net.icmp6.sent", "ICMPv6 messages sent", "icmp6", "OutMsgs", "Messages sent."),
    _level("net.tcp.established", "TCP connections established", LEVELS, "tcp", "CurrEstab",
           "Connections that are open, or that only the other side has closed."),
    _level("net.tcp.sockets", "TCP sockets", SOCKETS, "tcp", "inuse", "TCP sockets in use (IPv4), listening ones too."),
    _level("net.tcp.time_wait", "TCP sockets in TIME-WAIT", SOCKETS, "tcp", "tw",
           "Closed connections that are remembered for a minute. Many are normal on a server of short connections."),
    _level("net.tcp.orphaned", "TCP sockets without a program", SOCKETS, "tcp", "orphan",
           "Connections that no program holds any more, on their way to the end."),
    _in_state("net.tcp.listening", "TCP sockets that listen", "listen", "Sockets that wait for connections."),
    _in_state("net.tcp.syn_sent", "TCP sockets in SYN-SENT", "syn_sent",
              "Connections being opened that were not answered yet. Many: the other side, or the way to it, is down."),
    _in_state("net.tcp.syn_received", "TCP sockets in SYN-RECEIVED", "syn_received",
              "Connections that others are opening. Many: a flood, or answers that do not arrive."),
    _in_state("net.tcp.close_wait", "TCP sockets in CLOSE-WAIT", "close_wait",
              "Connections that the other side has closed and the program here has not. A number that only grows is a "
              "program that forgets to close."),
    _in_state("net.tcp.fin_wait_1", "TCP sockets in FIN-WAIT-1", "fin_wait_1",
              "Closed here, and not yet acknowledged by the other side."),
    _in_state("net.tcp.fin_wait_2", "TCP sockets in FIN-WAIT-2", "fin_wait_2",
              "Closed here, and waiting for the other side to close."),
    _in_state("net.tcp.last_ack", "TCP sockets in LAST-ACK", "last_ack", "Waiting for the last acknowledgement."),
    _in_state("net.tcp.closing", "TCP sockets in CLOSING", "closing", "Closed by both sides at once."),
    _level("net.udp.sockets", "UDP sockets", SOCKETS, "udp", "inuse", "UDP sockets in use (IPv4)."),
    _level("net.sockets", "Sockets", SOCKETS, "sockets", "used", "Sockets of every kind."),
]  # fmt: skip
