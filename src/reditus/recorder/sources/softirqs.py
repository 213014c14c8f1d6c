"""/proc/softirqs: deferred interrupt work by kind and core."""

from reditus.core.counters import CPU_NUMBER, SOFT_INTERRUPT
from reditus.core.kernel_columns import kernel_column
from reditus.recorder.kernel_text import Field
from reditus.recorder.sources.source import Source, rows_per_core


def learn(text: bytes) -> list[Field]:
    """Fields of /proc/softirqs, by kind and core."""
    fields: list[Field] = []
    for cores, words in rows_per_core(text):
        kind = words[0].text.rstrip(b":").decode("ascii", "replace").lower()
        for core, word in zip(cores, words[1:], strict=False):
            key = {SOFT_INTERRUPT: kind, CPU_NUMBER: core}
            fields.append(Field(kernel_column("system.cpu.soft_interrupts", key), word.at))
    return fields


SOURCE = Source("softirq", "/proc/softirqs", learn)
