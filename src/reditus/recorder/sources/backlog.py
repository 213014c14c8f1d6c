"""/proc/net/softnet_stat: each core's input backlog, in hexadecimal; a line per core that is online."""

from reditus.core.kernel_columns import backlog
from reditus.recorder.kernel_text import Field, lines
from reditus.recorder.sources.source import Source

FIELDS = ("processed", "dropped", "squeezed")
CORE_AT = 12
"""Since Linux 5.10 the thirteenth field is the core's number; before, a line's place has to do."""


def decimal(text: bytes) -> bytes:
    """The same numbers in decimal, each line with its core in front, for the one parser that all sources share."""
    out = []
    for place, line in enumerate(text.splitlines()):
        words = line.split()
        try:
            core = int(words[CORE_AT], 16) if len(words) > CORE_AT else place
            out.append(b"cpu%d %d %d %d\n" % (core, int(words[0], 16), int(words[1], 16), int(words[2], 16)))
        except (ValueError, IndexError):
            continue
    return b"".join(out)


def learn(text: bytes) -> list[Field]:
    fields: list[Field] = []
    for words in lines(text):
        core = words[0].text.removeprefix(b"cpu").decode("ascii", "replace")
        fields.extend(Field(backlog(name, core), word.at) for name, word in zip(FIELDS, words[1:], strict=False))
    return fields


SOURCE = Source("backlog", "/proc/net/softnet_stat", learn, prepare=decimal)
