"""/proc/meminfo: every field, under the kernel's own name; sizes in kB, huge pages as counts."""

from reditus.core.counters import MEMORY_FIELD
from reditus.core.kernel_columns import kernel_column, memory_size
from reditus.recorder.kernel_text import Field, lines
from reditus.recorder.sources.source import Source


def learn(text: bytes) -> list[Field]:
    """Fields of /proc/meminfo."""
    fields: list[Field] = []
    for words in lines(text):
        name = words[0].text.rstrip(b":").decode("ascii", "replace")
        if len(words) == 3 and words[2].text == b"kB":
            fields.append(Field(memory_size(name), words[1].at))
        elif len(words) == 2 and name.startswith("HugePages"):
            fields.append(Field(kernel_column("system.memory.linux.huge_pages", {MEMORY_FIELD: name}), words[1].at))
    return fields


SOURCE = Source("memory", "/proc/meminfo", learn)
