"""/proc/diskstats (Documentation/admin-guide/iostats.rst): every field of every block device."""

from reditus.core.kernel_columns import disk_columns
from reditus.recorder.kernel_text import Field, lines
from reditus.recorder.sources.source import Source

NAME_AT = 2


def learn(text: bytes) -> list[Field]:
    """Fields of /proc/diskstats."""
    fields: list[Field] = []
    for words in lines(text):
        if len(words) > NAME_AT + 1:
            device = words[NAME_AT].text.decode("utf-8", "replace")
            fields.extend(
                Field(found, word.at) for found, word in zip(disk_columns(device), words[NAME_AT + 1 :], strict=False)
            )
    return fields


SOURCE = Source("disk", "/proc/diskstats", learn)
