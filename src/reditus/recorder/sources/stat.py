"""/proc/stat: processor time by mode, interrupts, switches, forks, runnable and blocked tasks."""

import os
import re

from reditus.core.kernel_columns import CPU_MODES, cpu_time, kernel_column
from reditus.recorder.kernel_text import Field, Word, lines
from reditus.recorder.sources.source import Source

SINGLE = {
    b"intr": "system.cpu.interrupts",
    b"ctxt": "system.cpu.context_switches",
    b"btime": "system.boot_time",
    b"processes": "system.process.created",
    b"procs_running": "system.process.runnable",
    b"procs_blocked": "system.process.blocked",
    b"softirq": "system.cpu.soft_interrupts",
}
_CPU = re.compile(rb"^cpu(\d*)$")


def learn(text: bytes) -> list[Field]:
    """Fields of /proc/stat."""
    fields: list[Field] = []
    for words in lines(text):
        label = words[0].text
        cpu = _CPU.match(label)
        if cpu:
            fields.extend(_cpu_fields(cpu[1].decode(), words[1:]))
        elif label in SINGLE and len(words) > 1:
            # softirq goes on with a number per kind, and intr did until `shortened`; the first is their sum.
            fields.append(Field(kernel_column(SINGLE[label]), words[1].at))
    return fields


def _cpu_fields(number: str, words: list[Word]) -> list[Field]:
    ticks_per_s = os.sysconf("SC_CLK_TCK")
    return [
        Field(cpu_time(mode, number or None, ticks_per_s=ticks_per_s), word.at)
        for mode, word in zip(CPU_MODES, words, strict=False)
    ]


def shortened(text: bytes) -> bytes:
    """Without the hundreds of numbers, one per interrupt line, that /proc/interrupts tells with their names
    and cores.
    """
    start = text.find(b"\nintr ")
    first_end = text.find(b" ", start + len(b"\nintr "))
    line_end = text.find(b"\n", start + 1)
    return text[:first_end] + text[line_end:] if start >= 0 and 0 < first_end < line_end else text


SOURCE = Source("cpu", "/proc/stat", learn, prepare=shortened)
