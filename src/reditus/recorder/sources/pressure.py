"""/proc/pressure/*: stall totals (Documentation/accounting/psi.rst), in microseconds."""

import re
from functools import partial

from reditus.core.kernel_columns import stall_total
from reditus.recorder.kernel_text import Field
from reditus.recorder.sources.source import Source

RESOURCES = ("cpu", "memory", "io", "irq")
# The averages beside the totals are derived from them, and are not kept.
_LINE = re.compile(rb"^(?P<scope>some|full) .*\btotal=(?P<total>\d+)$", re.MULTILINE)


def learn(resource: str, text: bytes) -> list[Field]:
    """The totals of a file of /proc/pressure."""
    return [
        Field(stall_total(resource, found["scope"].decode()), found.start("total")) for found in _LINE.finditer(text)
    ]


SOURCES = tuple(
    Source(f"stall.{resource}", f"/proc/pressure/{resource}", partial(learn, resource)) for resource in RESOURCES
)
