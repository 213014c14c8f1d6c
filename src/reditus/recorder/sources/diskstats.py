"""/proc/diskstats (Documentation/admin-guide/iostats.rst): every field of every block device.

Sectors are 512 bytes whatever the device says. Times are milliseconds that the kernel prints as 32-bit numbers.
"""

from reditus.core.counters import DISK, DISK_DIRECTION
from reditus.core.layout import Column
from reditus.recorder.kernel_text import Field, lines
from reditus.recorder.sources.source import Source, column

_SECTOR, _MS = (512, 1), (1, 1000)
NAME_AT = 2


def _per_direction(direction: str, device: str) -> list[Column]:
    key = {DISK: device, DISK_DIRECTION: direction}
    return [
        column("system.disk.operations", key),
        column("system.disk.merged", key),
        column("system.disk.io", key, scale=_SECTOR),
        column("system.disk.operation_time", key, scale=_MS, bits=32),
    ]


def _columns(device: str) -> list[Column]:
    """In the kernel's order; older kernels end after the weighted time, or after the discards."""
    own = {DISK: device}
    flush = {DISK: device, DISK_DIRECTION: "flush"}
    return [
        *_per_direction("read", device),
        *_per_direction("write", device),
        column("system.disk.pending_operations", own),
        column("system.disk.io_time", own, scale=_MS, bits=32),
        column("system.disk.weighted_io_time", own, scale=_MS, bits=32),
        *_per_direction("discard", device),
        column("system.disk.operations", flush),
        column("system.disk.operation_time", flush, scale=_MS, bits=32),
    ]


def learn(text: bytes) -> list[Field]:
    fields: list[Field] = []
    for words in lines(text):
        if len(words) > NAME_AT + 1:
            device = words[NAME_AT].text.decode("utf-8", "replace")
            fields.extend(
                Field(found, word.at) for found, word in zip(_columns(device), words[NAME_AT + 1 :], strict=False)
            )
    return fields


SOURCE = Source("disk", ("/proc/diskstats",), learn)
