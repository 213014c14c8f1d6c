"""/proc/interrupts: interrupts by kind and core. A wide file on large machines, so read less often."""

import re

from reditus.core.counters import CPU_NUMBER, INTERRUPT
from reditus.core.kernel_columns import kernel_column
from reditus.recorder.kernel_text import Field
from reditus.recorder.sources.source import SLOW_S, Source, rows_per_core

_NUMBERED = re.compile(rb"^ *(\d+):", re.MULTILINE)
MOST_NAME = 100


def prepare(raw: bytes) -> bytes:
    """A line's number is a name, and has to look like one."""
    return _NUMBERED.sub(rb"irq\1", raw)


def learn(text: bytes) -> list[Field]:
    """Fields of /proc/interrupts, by kind and core."""
    fields: list[Field] = []
    for cores, words in rows_per_core(text):
        counts = words[1 : 1 + len(cores)]
        if len(counts) < len(cores) or not all(word.text.isdigit() for word in counts):
            continue  # ERR and MIS have one number for all cores
        name = words[0].text.rstrip(b":").decode("ascii", "replace")
        rest = [word.text.decode("utf-8", "replace") for word in words[1 + len(cores) :]]
        # What a numbered line serves is its last word; a named one is known by its name.
        title = f"{name} {rest[-1]}"[:MOST_NAME] if name.startswith("irq") and rest else name.lower()
        for core, word in zip(cores, counts, strict=True):
            fields.append(Field(kernel_column("system.cpu.interrupts", {INTERRUPT: title, CPU_NUMBER: core}), word.at))
    return fields


SOURCE = Source("interrupt", "/proc/interrupts", learn, prepare, pace_s=SLOW_S)
