"""/proc/schedstat: time that tasks ran, and waited to run, per core. Many kernels are built without it."""

import re

from reditus.core.kernel_columns import run_delay, run_time
from reditus.recorder.kernel_text import Field, lines
from reditus.recorder.sources.source import Source

_CPU = re.compile(rb"^cpu(\d+)$")
# Versions 15 to 17 agree on fields 7 and 8 of the cpu lines, in nanoseconds.
RUN_TIME_FIELD, RUN_DELAY_FIELD = 7, 8


def learn(text: bytes) -> list[Field]:
    """Fields of /proc/schedstat, by core."""
    fields: list[Field] = []
    for words in lines(text):
        cpu = _CPU.match(words[0].text)
        if cpu and len(words) > RUN_DELAY_FIELD:
            core = cpu[1].decode()
            fields.append(Field(run_time(core), words[RUN_TIME_FIELD].at))
            fields.append(Field(run_delay(core), words[RUN_DELAY_FIELD].at))
    return fields


SOURCE = Source("run", "/proc/schedstat", learn)
