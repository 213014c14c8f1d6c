"""Links and what they lose: a full one queues, drops, and gets segments again; a core that takes all packets has its
limit.
"""

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from reditus.core.counters import CONNECTION_STATE, PROTOCOL, PROTOCOL_FIELD
from reditus.core.kernel_columns import backlog, interface_columns, kernel_column, protocol_event
from reditus.core.schema import Column
from reditus.core.types import FloatArray, IntArray
from reditus.simulator.counting import Tally, generator
from reditus.simulator.demand import Load
from reditus.simulator.scenario import FaultKind, Scenario
from reditus.simulator.troubles import Troubles

FOURTH = 0.8
"""Share of the packets that are of IPv4."""
ICMP_SHARE, UDP_SHARE, SEGMENTS_AN_OPENING = 0.00002, 0.004, 0.0004
OPEN_AT_FIRST, OPEN_A_PACKET = 12, 0.004
USABLE = 0.94
"""Of a link's speed, what is left for data beside frames' heads and gaps."""
LEAST_LOSS, LOSS_WHEN_FULL = 0.0002, 0.012
RESENT_WHEN_DROPPED = 0.3
"""Of the packets dropped by a full backlog, those that held acknowledgements: they make us send again."""
MOST_SOFT = 0.97
"""Share of a core that packets get at most."""


@dataclass(slots=True)
class Carried:
    """What the links did."""

    soft_cores: FloatArray
    """Processor time that taking packets in cost, in cores."""
    link: dict[str, tuple[FloatArray, FloatArray, FloatArray, FloatArray, FloatArray]]
    """By link: bytes received and sent a second, packets of both, packets dropped while sending."""
    dropped: FloatArray
    """Packets a second that found the backlog full."""
    packets: FloatArray
    sent: FloatArray
    """Segments."""
    again: FloatArray


class Network:
    """A simulated machine's links and protocols."""

    def __init__(self, scenario: Scenario) -> None:
        self._scenario, self._machine = scenario, scenario.machine
        self._tally = Tally()
        self._rng = generator(scenario.seed, "protocols")
        self._troubles = Troubles(scenario)

    def step(self, at_s: FloatArray, loads: list[Load]) -> Carried:
        """Carry what is sent over the links, at most as much as they take."""
        ticks = len(at_s)
        lost = np.full(ticks, LEAST_LOSS)
        for fault in self._scenario.faults:
            if fault.kind is FaultKind.LOSSY_LINE:
                lost[(at_s > fault.start_s) & (at_s <= fault.end_s)] += fault.factor
        wanted = {link.name: [np.zeros(ticks) for _ in range(4)] for link in self._machine.links}
        for load in loads:
            into = wanted[load.work.link or self._machine.links[0].name]
            into[0] += load.receive
            into[1] += load.send
            into[2] += load.receive / load.work.packet_bytes
            into[3] += load.send / load.work.packet_bytes
        shares = {}
        for link in self._machine.links:
            room = link.bits_per_s / 8 * USABLE
            shares[link.name] = [np.minimum(1.0, room / np.maximum(wanted[link.name][way], 1.0)) for way in (0, 1)]
        packets_in = sum((wanted[name][2] * share[0] for name, share in shares.items()), np.zeros(ticks))
        soft = packets_in * self._machine.packet_cost_s
        takers = 1.0 if self._machine.packets_core is not None else float(self._machine.cores)
        taken = np.minimum(1.0, takers * MOST_SOFT / np.maximum(soft, 1e-12))
        carried = Carried(soft * taken, {}, packets_in * (1 - taken), packets_in, np.zeros(ticks), np.zeros(ticks))
        for link in self._machine.links:
            receive, send, packets_received, packets_sent = wanted[link.name]
            share_in, share_out = shares[link.name]
            # A link that gets more than it carries drops what its queue cannot hold.
            loss = lost + LOSS_WHEN_FULL * (1 - share_out)
            sent = packets_sent * share_out
            carried.link[link.name] = (
                receive * share_in * taken,
                send * share_out,
                packets_received * share_in * taken,
                sent,
                sent * (loss - lost),
            )
            carried.sent += sent
            carried.again += sent * loss + sent * (1 - taken) * RESENT_WHEN_DROPPED
        return carried

    def counters(self, at_s: FloatArray, carried: Carried) -> dict[str, dict[Column, IntArray]]:
        """Counters of interfaces and protocols."""
        interval_s = self._scenario.interval_s
        network: dict[Column, IntArray] = {}
        for name, (receive, send, packets_received, packets_sent, dropped) in carried.link.items():
            grown = np.zeros((16, len(receive)))
            grown[0], grown[1], grown[8], grown[9], grown[11] = receive, packets_received, send, packets_sent, dropped
            grown[2] = self._troubles.level(FaultKind.DAMAGE, at_s, name)
            network |= dict(zip(interface_columns(name), self._tally(name, grown * interval_s, 9_000), strict=True))
        return {
            "network": network,
            "backlog": self._backlog(carried),
            **self._protocols(at_s, carried),
            "sockets": self._sockets(carried),
            "sockets.state": self._states(carried),
        }

    def _established(self, carried: Carried) -> IntArray:
        return np.round(OPEN_AT_FIRST / 2 + np.sqrt(carried.packets + carried.sent) * OPEN_A_PACKET * 18).astype(
            np.int64
        )

    def _sockets(self, carried: Carried) -> dict[Column, IntArray]:
        """The more there is to say, the more sockets say it."""
        busy = np.sqrt(carried.packets + carried.sent)
        levels = {
            ("tcp", "inuse"): OPEN_AT_FIRST + busy * OPEN_A_PACKET * 20,
            ("tcp", "tw"): busy * OPEN_A_PACKET * 60,
            ("tcp", "orphan"): busy * 0.0,
            ("udp", "inuse"): 4 + busy * 0.0,
            ("sockets", "used"): 90 + busy * OPEN_A_PACKET * 24,
        }
        return {
            kernel_column("system.network.linux.sockets", {PROTOCOL: protocol, PROTOCOL_FIELD: name}): np.round(
                level
            ).astype(np.int64)
            for (protocol, name), level in levels.items()
        }

    def _states(self, carried: Carried) -> dict[Column, IntArray]:
        """Some are always on their way up or down; nothing forgets to close its connections."""
        busy = np.sqrt(carried.packets + carried.sent) * OPEN_A_PACKET
        levels = {
            "listen": 6 + busy * 0.0,
            "fin_wait_2": busy * 2,
            "close_wait": busy * 0.3,
            "syn_received": busy * 0.2,
        }
        none = np.zeros(len(busy))
        names = ("syn_sent", "syn_received", "fin_wait_1", "fin_wait_2", "close_wait", "last_ack", "listen", "closing")
        return {
            kernel_column("system.network.connection.count", {CONNECTION_STATE: name}): np.round(
                levels.get(name, none)
            ).astype(np.int64)
            for name in names
        }

    def _protocols(self, at_s: FloatArray, carried: Carried) -> dict[str, dict[Column, IntArray]]:
        interval_s, ticks = self._scenario.interval_s, len(carried.sent)
        zero = np.zeros(ticks)
        packets = (carried.packets - carried.dropped) * interval_s
        sent = (carried.sent + carried.again) * interval_s
        segments = packets + sent
        refused = self._troubles.level(FaultKind.LISTEN_QUEUE, at_s) * interval_s
        growth: dict[str, dict[tuple[str, str], NDArray[Any]]] = {
            "protocols": {
                ("tcp", "AttemptFails"): self._rng.poisson(0.02 * interval_s, ticks),
                ("tcp", "EstabResets"): self._rng.poisson(0.01 * interval_s, ticks),
                ("tcp", "InSegs"): packets,
                ("tcp", "InErrs"): zero,
                ("tcp", "OutSegs"): sent,
                ("tcp", "RetransSegs"): carried.again * interval_s,
                ("tcp", "ActiveOpens"): segments * SEGMENTS_AN_OPENING * 0.3,
                ("tcp", "PassiveOpens"): segments * SEGMENTS_AN_OPENING * 0.7,
                ("ip", "InReceives"): packets * FOURTH,
                ("ip", "OutRequests"): sent * FOURTH,
                ("ip", "InDiscards"): zero,
                ("icmp", "InMsgs"): packets * ICMP_SHARE,
                ("icmp", "OutMsgs"): packets * ICMP_SHARE,
                ("icmp", "InDestUnreachs"): packets * ICMP_SHARE * 0.1,
                ("udp", "InDatagrams"): packets * UDP_SHARE,
                ("udp", "OutDatagrams"): sent * UDP_SHARE,
                ("udp", "NoPorts"): self._rng.poisson(0.05 * interval_s, ticks),
                ("udp", "RcvbufErrors"): self._troubles.level(FaultKind.DATAGRAMS, at_s) * interval_s,
            },
            "protocols.six": {
                ("ip6", "InReceives"): packets * (1 - FOURTH),
                ("ip6", "OutRequests"): sent * (1 - FOURTH),
                ("ip6", "InDiscards"): zero,
                ("icmp6", "InMsgs"): packets * ICMP_SHARE,
                ("icmp6", "OutMsgs"): packets * ICMP_SHARE,
                ("udp6", "InDatagrams"): packets * UDP_SHARE * 0.1,
                ("udp6", "OutDatagrams"): sent * UDP_SHARE * 0.1,
            },
            "protocols.more": {
                ("tcpext", "ListenOverflows"): refused,
                ("tcpext", "ListenDrops"): refused,
                ("tcpext", "TCPLostRetransmit"): carried.again * 0.02 * interval_s,
                ("tcpext", "TCPBacklogDrop"): zero,
            },
        }
        out = {
            group: {
                protocol_event(protocol, name): self._tally(
                    (protocol, name), np.asarray(grown, dtype=np.float64), 2_000
                )
                for (protocol, name), grown in events.items()
            }
            for group, events in growth.items()
        }
        now = {PROTOCOL: "tcp", PROTOCOL_FIELD: "CurrEstab"}
        out["protocols"][kernel_column("system.network.linux.protocol_state", now)] = self._established(carried)
        return out

    def _backlog(self, carried: Carried) -> dict[Column, IntArray]:
        core_of, cores, interval_s = self._machine.packets_core, self._machine.cores, self._scenario.interval_s
        use = carried.soft_cores / (1.0 if core_of is not None else cores)
        parts = {
            "processed": carried.packets - carried.dropped,
            "dropped": carried.dropped,
            # Out of its share of time with packets left: the more often the fuller the core.
            "squeezed": np.clip(use - 0.7, 0.0, None) * 900,
        }
        out: dict[Column, IntArray] = {}
        nothing = np.zeros(len(use), dtype=np.int64)
        for word, grown in parts.items():
            share = grown * interval_s / (1 if core_of is not None else cores)
            counted = self._tally(word, share)
            for core in range(cores):
                out[backlog(word, str(core))] = counted if core_of in (core, None) else nothing
        return out
