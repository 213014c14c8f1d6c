"""/proc/net/dev: every column of every interface, each direction for itself. It is per network namespace."""

import re

from reditus.core.kernel_columns import interface_columns
from reditus.recorder.kernel_text import Field
from reditus.recorder.sources.source import Source

_LINE = re.compile(rb"^[ \t]*(?P<name>[^\s:]\S*?):[ \t]*(?P<numbers>[\d \t]+)$", re.MULTILINE)
_NUMBER = re.compile(rb"\d+")


def learn(text: bytes) -> list[Field]:
    """Fields of /proc/net/dev."""
    fields: list[Field] = []
    for line in _LINE.finditer(text):
        places = [line.start("numbers") + found.start() for found in _NUMBER.finditer(line["numbers"])]
        columns = interface_columns(line["name"].decode("utf-8", "replace"))
        fields.extend(Field(found, at) for found, at in zip(columns, places, strict=False))
    return fields


SOURCE = Source("network", "/proc/net/dev", learn)
