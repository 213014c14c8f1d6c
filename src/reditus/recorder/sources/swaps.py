"""/proc/swaps: each swap device or file, its size and what is used of it."""

from reditus.core.counters import DISK, PAGING_STATE
from reditus.core.kernel_columns import KIBIBYTE, kernel_column
from reditus.recorder.kernel_text import Field, lines
from reditus.recorder.sources.source import Source

SIZE_AT, USED_AT = 2, 3


def learn(text: bytes) -> list[Field]:
    """Fields of /proc/swaps, by device."""
    fields: list[Field] = []
    for words in lines(text):
        if len(words) <= USED_AT or not words[0].text.startswith(b"/"):
            continue
        device = words[0].text.decode("utf-8", "replace").removeprefix("/dev/")
        for state, at in (("total", SIZE_AT), ("used", USED_AT)):
            key = {DISK: device, PAGING_STATE: state}
            fields.append(Field(kernel_column("system.paging.usage", key, scale=KIBIBYTE), words[at].at))
    return fields


SOURCE = Source("swap", "/proc/swaps", learn, empty=b"Filename")
