"""/proc/stat: processor time by mode, interrupts, switches, forks, runnable and blocked tasks."""

import os
import re

from reditus.core.counters import CPU_MODE, CPU_NUMBER
from reditus.recorder.kernel_text import Field, Word, lines
from reditus.recorder.sources.source import Source, column

# In the kernel's order; older kernels end earlier.
MODES = ("user", "nice", "system", "idle", "iowait", "interrupt", "softirq", "steal", "guest", "guest_nice")
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
    fields: list[Field] = []
    for words in lines(text):
        label = words[0].text
        cpu = _CPU.match(label)
        if cpu:
            fields.extend(_cpu_fields(cpu[1].decode(), words[1:]))
        elif label in SINGLE:
            # intr and softirq go on with a number per kind; the first is their sum.
            fields.append(Field(column(SINGLE[label]), words[1].at))
    return fields


def _cpu_fields(number: str, words: list[Word]) -> list[Field]:
    core = {CPU_NUMBER: number} if number else {}
    ticks_per_s = os.sysconf("SC_CLK_TCK")
    return [
        Field(column("system.cpu.time", {CPU_MODE: mode, **core}, scale=(1, ticks_per_s)), word.at)
        for mode, word in zip(MODES, words, strict=False)
    ]


SOURCE = Source("cpu", ("/proc/stat",), learn)
