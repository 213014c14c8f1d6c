"""Packets and connections that were thrown away on this machine: each has a counter of its own."""

from dataclasses import dataclass, replace

from reditus.core.counters import INTERFACE
from reditus.core.diagnosis.finding import Finding, Kind
from reditus.core.diagnosis.finding_builder import FindingBuilder, Held
from reditus.core.diagnosis.inputs import Readings
from reditus.core.diagnosis.parameters import Parameters
from reditus.core.diagnosis.rule import Context, Judgement, Rule
from reditus.core.diagnosis.sustained import sustained
from reditus.core.durations import spell_duration
from reditus.core.measures import Resource
from reditus.core.measures.measure import natural_key, or_zero
from reditus.core.measures.network import ERRORS


@dataclass(frozen=True, slots=True)
class _Event:
    """A kind that is counted: so many a second, sustained, are a finding."""

    kind: Kind
    measure: str
    least: str
    """Name of the parameter."""
    what: str
    considered: str
    per_interface: bool = False


ERRORS_IN = Kind(
    "net.errors",
    "Interface errors",
    is_problem=True,
    meaning="Packets arrived damaged or could not be sent, sustained: a cable, a plug, a card or a mismatch of "
    "settings.",
    requires=("net.receive.errors",),
    evidence=("net.receive.errors", "net.send.errors"),
    look_alikes="`net.loss`: lost on the way, and counted by no interface here.",
    next_steps=(
        "Change cable, plug and port, one at a time; compare speed and duplex on both ends.",
        "Look at the card and its driver's messages in Notes.",
    ),
    without="Without the counter it cannot be reported.",
)
LISTEN = Kind(
    "net.listen_overflow",
    "Listen queue overflow",
    is_problem=True,
    meaning="A program did not take new connections as fast as they came, and the queue in front of it overflowed.",
    requires=("net.tcp.listen_overflows",),
    evidence=("net.tcp.listen_overflows",),
    look_alikes="`net.loss`: the clients send again as on a lossy line.",
    next_steps=("See which program takes connections, and what held it up.", "If it was only a burst: a longer queue."),
    without="Without the counter it cannot be reported.",
)
UDP = Kind(
    "net.udp_overflow",
    "UDP receive buffer overflow",
    is_problem=True,
    meaning="A program did not read its datagrams as fast as they came, and its receive buffer overflowed.",
    requires=("net.udp.buffer_errors",),
    evidence=("net.udp.buffer_errors",),
    look_alikes="Datagrams lost on the way, which this machine does not count.",
    next_steps=("See which program reads datagrams, and what held it up.", "If it was only a burst: a larger buffer."),
    without="Without the counter it cannot be reported.",
)
BACKLOG = Kind(
    "net.backlog",
    "Packet backlog overflow",
    is_problem=True,
    meaning="A core did not take packets in as fast as they came, and its input backlog overflowed.",
    requires=("net.backlog.dropped",),
    evidence=("net.backlog.dropped", "net.backlog.squeezed"),
    look_alikes="`net.udp_overflow`: lost later, at the program.",
    next_steps=("See whether one core answers all packets.", "Spread the interface's queues over several cores."),
    without="Without the counter it cannot be reported.",
)
KINDS = (ERRORS_IN, LISTEN, UDP, BACKLOG)
_EVENTS = (
    _Event(
        ERRORS_IN,
        "net.receive.errors",
        "net_errors_per_s",
        "packets arrived damaged",
        "Loss on the way: no, this interface counted the damage itself.",
        per_interface=True,
    ),
    _Event(
        ERRORS_IN,
        "net.send.errors",
        "net_errors_per_s",
        "packets could not be sent",
        "A full link: no, these failed.",
        per_interface=True,
    ),
    _Event(
        LISTEN,
        "net.tcp.listen_overflows",
        "listen_overflows_per_s",
        "connections found the queue full",
        "A lossy line: no, the queue of a program on this machine was full.",
    ),
    _Event(
        UDP,
        "net.udp.buffer_errors",
        "udp_errors_per_s",
        "datagrams were thrown away because a program's buffer was full",
        "Loss on the way: no, they had arrived.",
    ),
    _Event(
        BACKLOG,
        "net.backlog.dropped",
        "backlog_drops_per_s",
        "packets were thrown away before anything looked at them",
        "A program that reads too slowly: no, the packets did not get that far.",
    ),
)
NEEDS = tuple(item.measure for item in _EVENTS)


def judge_packets(context: Context) -> Judgement:
    """Judge what interfaces, queues and buffers dropped."""
    readings, rules = context.readings, context.parameters
    names = readings.frame.facts.outer_links(readings.frame.values_of(ERRORS, INTERFACE))
    return [
        finding
        for event in _EVENTS
        for device in (sorted(names, key=natural_key) if event.per_interface else [None])
        for finding in _found(readings, rules, event, device)
    ], []


def _found(readings: Readings, rules: Parameters, event: _Event, device: str | None) -> list[Finding]:
    sampled = readings.counted(event.measure, device)
    if sampled is None or len(sampled) < 2:
        return []
    bench = FindingBuilder(sampled.timebase, rules, Resource.NETWORK, device)
    rate, least = or_zero(sampled.values), float(getattr(rules, event.least))
    # What is counted comes in bursts; the pauses between belong to it.
    uneven = replace(rules, merge_break_s=rules.counted_merge_s)
    return [
        bench.finding(
            event.kind,
            item,
            rise=rate,
            lost=None,
            held=[Held(event.measure, rate, least)],
            explanation=f"{bench.mean(rate, item) * item.length_s(bench.timebase):,.0f} {event.what} in "
            f"{spell_duration(item.length_s(bench.timebase))}{f' at {device}' if device else ''}. Unless their "
            "senders notice and send again, they are lost.",
            considered=(event.considered,),
        )
        for item in sustained(rate >= least, rate > 0, bench.timebase, uneven)
        if bench.mean(rate, item) >= least / 2
    ]


RULE = Rule(
    id="packets",
    kinds=KINDS,
    needs=NEEDS,
    judge=judge_packets,
)
