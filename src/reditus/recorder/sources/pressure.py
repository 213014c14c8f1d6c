"""/proc/pressure/*: stall totals (Documentation/accounting/psi.rst), in microseconds."""

import re

from reditus.core.counters import RESOURCE, SCOPE
from reditus.recorder.kernel_text import Field
from reditus.recorder.sources.source import Source, column

RESOURCES = ("cpu", "memory", "io", "irq")
# The averages beside the totals are derived from them, and are not kept.
_PART = re.compile(rb"^@ \S*/(?P<resource>\w+)$|^(?P<scope>some|full) .*\btotal=(?P<total>\d+)$", re.MULTILINE)


def learn(text: bytes) -> list[Field]:
    fields: list[Field] = []
    resource = ""
    for found in _PART.finditer(text):
        if found["resource"]:
            resource = found["resource"].decode()
            continue
        key = {RESOURCE: resource, SCOPE: found["scope"].decode()}
        fields.append(Field(column("system.linux.pressure.time", key, scale=(1, 1_000_000)), found.start("total")))
    return fields


SOURCE = Source("stall", tuple(f"/proc/pressure/{name}" for name in RESOURCES), learn)
