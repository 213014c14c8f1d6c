"""Protocols and sockets, on values worked out by hand."""

import numpy as np
import pytest

from builders import a_frame
from reditus.core.counters import (
    PROTOCOL,
    PROTOCOL_FIELD,
)
from reditus.core.errors import UnknownCounter
from reditus.core.kernel_columns import kernel_column, protocol_event
from reditus.core.measures import measure_named


def last(frame, name, device=None):
    value = float(measure_named(name).derive(frame, device).values[-1])
    return None if np.isnan(value) else round(value, 6)


def test_protocols_count_each_for_itself():
    frame = a_frame(
        {
            protocol_event("ip6", "InReceives"): [7, 107],
            protocol_event("icmp", "InMsgs"): [0, 3],
            kernel_column("system.network.linux.sockets", {PROTOCOL: "tcp", PROTOCOL_FIELD: "tw"}): [5, 9],
        },
        group="protocols",
    )
    assert (last(frame, "net.ip6.received"), last(frame, "net.icmp.received"), last(frame, "net.tcp.time_wait")) == (
        100, 3, 9,
    )  # fmt: skip
    with pytest.raises(UnknownCounter):
        last(frame, "net.ip.received")
