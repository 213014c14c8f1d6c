"""/proc/net/sockstat and sockstat6: sockets by protocol and state."""

from functools import partial

from reditus.core.counters import PROTOCOL, PROTOCOL_FIELD
from reditus.core.kernel_columns import kernel_column
from reditus.recorder.kernel_text import Field, lines
from reditus.recorder.sources.source import Source


def learn(text: bytes, *, suffix: str = "") -> list[Field]:
    """Fields of /proc/net/sockstat."""
    fields: list[Field] = []
    for words in lines(text):
        protocol = words[0].text.rstrip(b":").decode("ascii", "replace").lower()
        own = protocol if protocol.endswith(suffix) else protocol + suffix
        for name, value in zip(words[1::2], words[2::2], strict=False):
            key = {PROTOCOL: own, PROTOCOL_FIELD: name.text.decode("ascii", "replace")}
            fields.append(Field(kernel_column("system.network.linux.sockets", key), value.at))
    return fields


SOURCES = (
    Source("sockets", "/proc/net/sockstat", learn),
    Source("sockets.six", "/proc/net/sockstat6", partial(learn, suffix="6")),
)
