"""TCP sockets by state. Established and TIME-WAIT sockets, of which a server may have a hundred thousand, are counted
by the kernel itself (/proc/net/snmp, sockstat); only the others are looked through.
"""

import socket
from collections import Counter
from itertools import chain, islice

import numpy as np
import structlog

from reditus.core.counters import CONNECTION_STATE
from reditus.core.kernel_columns import kernel_column
from reditus.core.schema import Column
from reditus.core.types import NS_PER_S, IntArray
from reditus.recorder.socket_diagnosis import (
    CLOSE_WAIT,
    CLOSING,
    FIN_WAIT_1,
    FIN_WAIT_2,
    LAST_ACK,
    LISTEN,
    SYN_RECEIVED,
    SYN_SENT,
    states_of,
)

log = structlog.get_logger()

STATES = {
    SYN_SENT: "syn_sent",
    SYN_RECEIVED: "syn_received",
    FIN_WAIT_1: "fin_wait_1",
    FIN_WAIT_2: "fin_wait_2",
    CLOSE_WAIT: "close_wait",
    LAST_ACK: "last_ack",
    LISTEN: "listen",
    CLOSING: "closing",
}
COLUMNS = tuple(kernel_column("system.network.connection.count", {CONNECTION_STATE: name}) for name in STATES.values())
MOST = 20_000
"""Beyond so many nothing is reported: to count them takes some hundredths of a second between two ticks."""
PACE_S = 60
"""The kernel walks its whole table for it: 6 ms were measured on a machine of 24 GiB."""
REST_NS = 300 * NS_PER_S
"""So long nothing is looked at where there were too many, or the kernel does not tell."""


class SocketStates:
    """A probe (sampler.Probe)."""

    group = "sockets.state"
    pace_s = PACE_S

    def __init__(self) -> None:
        self._rest_until_ns = 0
        self._reported = ""

    def read(self, now_ns: int) -> tuple[tuple[Column, ...], IntArray]:
        """How many there are in each state; nothing where that is not known."""
        if now_ns < self._rest_until_ns:
            return (), np.zeros(0, dtype=np.int64)
        try:
            counted = self._counted()
        except OSError as why:
            return self._leave_out(now_ns, why.strerror or str(why))
        if counted.total() > MOST:
            return self._leave_out(now_ns, f"more than {MOST} are on their way up or down")
        self._reported = ""
        return COLUMNS, np.array([counted[state] for state in STATES], dtype=np.int64)

    def _counted(self) -> "Counter[int]":
        families = (states_of(family, socket.IPPROTO_TCP, *STATES) for family in (socket.AF_INET, socket.AF_INET6))
        return Counter(islice(chain.from_iterable(families), MOST + 1))

    def _leave_out(self, now_ns: int, why: str) -> tuple[tuple[Column, ...], IntArray]:
        if why != self._reported:
            log.warning("TCP sockets by state are left out", reason=why)
        self._reported, self._rest_until_ns = why, now_ns + REST_NS
        return (), np.zeros(0, dtype=np.int64)
