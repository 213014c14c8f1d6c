"""/proc/schedstat: time that tasks ran, and waited to run, per core. Many kernels are built without it."""

import re

from reditus.core.counters import CPU_NUMBER
from reditus.recorder.kernel_text import Field, lines
from reditus.recorder.sources.source import Source, column

_CPU = re.compile(rb"^cpu(\d+)$")
# Versions 15 to 17 agree on fields 7 and 8 of the cpu lines, in nanoseconds.
RUN_TIME_FIELD, RUN_DELAY_FIELD = 7, 8
_NS = (1, 1_000_000_000)


def learn(text: bytes) -> list[Field]:
    fields: list[Field] = []
    for words in lines(text):
        cpu = _CPU.match(words[0].text)
        if cpu and len(words) > RUN_DELAY_FIELD:
            core = {CPU_NUMBER: cpu[1].decode()}
            fields.append(Field(column("system.cpu.run_time", core, scale=_NS), words[RUN_TIME_FIELD].at))
            fields.append(Field(column("system.cpu.run_delay", core, scale=_NS), words[RUN_DELAY_FIELD].at))
    return fields


SOURCE = Source("run", ("/proc/schedstat",), learn)
