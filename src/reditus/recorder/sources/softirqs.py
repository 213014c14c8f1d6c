"""/proc/softirqs: deferred interrupt work by kind and core."""

from reditus.core.counters import CPU_NUMBER, SOFT_INTERRUPT
from reditus.core.kernel_columns import kernel_column
from reditus.recorder.kernel_text import Field, lines
from reditus.recorder.sources.source import Source


def learn(text: bytes) -> list[Field]:
    cores: list[str] = []
    fields: list[Field] = []
    for words in lines(text):
        if words[0].text.startswith(b"CPU"):
            cores = [word.text.removeprefix(b"CPU").decode("ascii", "replace") for word in words]
            continue
        kind = words[0].text.rstrip(b":").decode("ascii", "replace").lower()
        for core, word in zip(cores, words[1:], strict=False):
            key = {SOFT_INTERRUPT: kind, CPU_NUMBER: core}
            fields.append(Field(kernel_column("system.cpu.soft_interrupts", key), word.at))
    return fields


SOURCE = Source("softirq", "/proc/softirqs", learn)
