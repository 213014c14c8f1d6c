"""/sys/devices/system/node: memory per node, and where allocations went (Documentation/admin-guide/numastat.rst)."""

import re
from collections.abc import Iterator

from reditus.core.counters import MEMORY_FIELD, NODE, PAGING_EVENT
from reditus.core.kernel_columns import KIBIBYTE, kernel_column
from reditus.recorder.kernel_text import Field, Word
from reditus.recorder.sources.source import SLOW_S, Source, each_file

_NODE = re.compile(r"/node(\d+)/")


def learn_file(path: str, body: list[list[Word]]) -> Iterator[Field]:
    """Fields of a memory node's meminfo."""
    found = _NODE.search(path)
    if not found:
        return
    node = found[1]
    for words in body:
        if path.endswith("/numastat") and len(words) == 2:
            event = words[0].text.decode("ascii", "replace")
            yield Field(
                kernel_column("system.memory.linux.node.events", {NODE: node, PAGING_EVENT: event}), words[1].at
            )
        elif words[0].text == b"Node" and len(words) >= 4:
            key = {NODE: node, MEMORY_FIELD: words[2].text.rstrip(b":").decode("ascii", "replace")}
            if len(words) == 5:
                yield Field(kernel_column("system.memory.linux.node.bytes", key, scale=KIBIBYTE), words[3].at)
            else:
                yield Field(kernel_column("system.memory.linux.node.huge_pages", key), words[3].at)


_FOLDER = "/sys/devices/system/node/node*"
SOURCE = Source(
    "memory.node", f"{_FOLDER}/meminfo", each_file(learn_file), more=(f"{_FOLDER}/numastat",), pace_s=SLOW_S
)
