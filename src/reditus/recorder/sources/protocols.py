"""/proc/net/snmp, netstat and snmp6 (Documentation/networking/snmp_counter.rst): what the protocols counted.

snmp and netstat come in pairs of lines, names above values; snmp6 has a name and a value a line.
"""

import re

from reditus.core.counters import PROTOCOL, PROTOCOL_FIELD
from reditus.core.kernel_columns import kernel_column, protocol_event
from reditus.core.schema import Column
from reditus.recorder.kernel_text import Field, lines
from reditus.recorder.sources.source import Source

# Settings and levels among the counters; MaxConn may be negative and never changes.
LEVELS = {"Forwarding", "DefaultTTL", "RtoAlgorithm", "RtoMin", "RtoMax", "CurrEstab"}
LEFT_OUT = {"MaxConn"}
_SIX = re.compile(r"^(Ip6|Icmp6|UdpLite6|Udp6)(\w+)$")


def learn_pairs(text: bytes) -> list[Field]:
    """Fields of /proc/net/snmp and netstat: a line of names, then one of values."""
    fields: list[Field] = []
    every = list(lines(text))
    for names, values in zip(every[::2], every[1::2], strict=False):
        if names[0].text != values[0].text or len(names) != len(values):
            continue
        protocol = names[0].text.rstrip(b":").decode("ascii", "replace").lower()
        for name, value in zip(names[1:], values[1:], strict=True):
            word = name.text.decode("ascii", "replace")
            if word not in LEFT_OUT:
                fields.append(Field(_column(protocol, word), value.at))
    return fields


def learn_six(text: bytes) -> list[Field]:
    """Fields of /proc/net/snmp6."""
    fields: list[Field] = []
    for words in lines(text):
        found = _SIX.match(words[0].text.decode("ascii", "replace"))
        if found and len(words) == 2:
            fields.append(Field(_column(found[1].lower(), found[2]), words[1].at))
    return fields


def _column(protocol: str, name: str) -> Column:
    if name in LEVELS:
        return kernel_column("system.network.linux.protocol_state", {PROTOCOL: protocol, PROTOCOL_FIELD: name})
    return protocol_event(protocol, name)


SOURCES = (
    Source("protocols", "/proc/net/snmp", learn_pairs),
    Source("protocols.more", "/proc/net/netstat", learn_pairs),
    Source("protocols.six", "/proc/net/snmp6", learn_six),
)
