"""/sys/devices/system/cpu: the speed of each core, and how often heat or power held it back.

Documentation/admin-guide/pm/cpufreq.rst; the throttle counts are those of Intel's thermal driver.
"""

import re
from collections.abc import Iterator

from reditus.core.counters import CPU_NUMBER, THROTTLE
from reditus.core.kernel_columns import kernel_column
from reditus.recorder.kernel_text import Field, Word
from reditus.recorder.sources.source import SLOW_S, Source, each_file

_CORE = re.compile(r"/cpu(\d+)/(.+)$")
KILOHERTZ = (1_000, 1)


def learn_file(path: str, body: list[list[Word]]) -> Iterator[Field]:
    """The speed of a core."""
    found = _CORE.search(path)
    if not found or not body:
        return
    core, name = found[1], found[2]
    at = body[0][0].at
    if name == "cpufreq/scaling_cur_freq":
        yield Field(kernel_column("system.cpu.frequency", {CPU_NUMBER: core}, scale=KILOHERTZ), at)
    elif name.endswith("_throttle_count"):
        part = name.removeprefix("thermal_throttle/").removesuffix("_throttle_count")
        yield Field(kernel_column("system.cpu.linux.throttled", {CPU_NUMBER: core, THROTTLE: part}), at)


_FOLDER = "/sys/devices/system/cpu/cpu*"
SOURCE = Source(
    "cpu.frequency", f"{_FOLDER}/cpufreq/scaling_cur_freq", each_file(learn_file),
    more=(f"{_FOLDER}/thermal_throttle/core_throttle_count", f"{_FOLDER}/thermal_throttle/package_throttle_count"),
    pace_s=SLOW_S,
)  # fmt: skip
