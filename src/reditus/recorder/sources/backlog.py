"""/proc/net/softnet_stat: each core's input backlog, in hexadecimal; a line per core that is online."""

from reditus.core.kernel_columns import backlog
from reditus.recorder.kernel_text import Field, lines
from reditus.recorder.sources.source import Source

FIELDS = ("processed", "dropped", "squeezed")
WIDTH = 9
"""Of a field, with the blank behind it."""
CORE_AT = 12
"""Since Linux 5.10 the thirteenth field is the core's number; before, a line's place has to do."""


def decimal(text: bytes) -> bytes:
    """The same numbers in decimal, each line with its core in front, for the one parser that all sources share."""
    out = []
    for place, line in enumerate(text.splitlines()):
        # The kernel prints "%08x " for each: cutting costs a third of splitting.
        core = line[CORE_AT * WIDTH : (CORE_AT + 1) * WIDTH]
        try:
            out.append(
                b"cpu%d %d %d %d\n"
                % (
                    int(core, 16) if core else place,
                    int(line[:WIDTH], 16),
                    int(line[WIDTH : 2 * WIDTH], 16),
                    int(line[2 * WIDTH : 3 * WIDTH], 16),
                )
            )
        except ValueError:
            continue
    return b"".join(out)


def learn(text: bytes) -> list[Field]:
    """Fields of /proc/net/softnet_stat."""
    fields: list[Field] = []
    for words in lines(text):
        core = words[0].text.removeprefix(b"cpu").decode("ascii", "replace")
        fields.extend(Field(backlog(name, core), word.at) for name, word in zip(FIELDS, words[1:], strict=False))
    return fields


SOURCE = Source("backlog", "/proc/net/softnet_stat", learn, prepare=decimal)
