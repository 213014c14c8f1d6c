"""/proc/pressure/*: stall totals (Documentation/accounting/psi.rst), in microseconds."""

import re

from reditus.core.kernel_columns import stall_total
from reditus.recorder.kernel_text import Field
from reditus.recorder.sources.source import Source

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
        fields.append(Field(stall_total(resource, found["scope"].decode()), found.start("total")))
    return fields


SOURCE = Source("stall", tuple(f"/proc/pressure/{name}" for name in RESOURCES), learn)
