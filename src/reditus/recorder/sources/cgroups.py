"""Control groups of the top level and named ones, both versions (Documentation/admin-guide/cgroup-v2.rst, cgroup-v1/).

Both are reported under the same counters, so that a measure need not know which one the machine has.
"""

import re
from collections.abc import Iterator, Sequence
from dataclasses import replace

from reditus.core.counters import CGROUP, CPU_MODE, DISK, DISK_DIRECTION, PAGING_EVENT, RESOURCE, SCOPE
from reditus.core.kernel_columns import MICROSECOND, NANOSECOND, TICKS_PER_S, kernel_column
from reditus.recorder.kernel_text import Field, Word
from reditus.recorder.sources.source import Source, each_file

_PLACE = re.compile(r"^/sys/fs/cgroup/(?:(?:cpu|cpuacct|cpu,cpuacct|memory|pids)/)?(?P<group>.+)/(?P<file>[^/]+)$")
CONTROLLERS = ("cpu", "cpuacct", "cpu,cpuacct", "memory", "blkio", "pids", "unified", "systemd")
_TOTAL = re.compile(rb"total=(\d+)$")
CPU = {
    b"usage_usec": ("time", {CPU_MODE: "all"}, MICROSECOND),
    b"user_usec": ("time", {CPU_MODE: "user"}, MICROSECOND),
    b"system_usec": ("time", {CPU_MODE: "system"}, MICROSECOND),
    b"nr_periods": ("periods", {}, (1, 1)),
    b"nr_throttled": ("throttled_periods", {}, (1, 1)),
    b"throttled_usec": ("throttled_time", {}, MICROSECOND),
    b"throttled_time": ("throttled_time", {}, NANOSECOND),
    # cpuacct.stat of version 1, in clock ticks
    b"user": ("time", {CPU_MODE: "user"}, (1, TICKS_PER_S)),
    b"system": ("time", {CPU_MODE: "system"}, (1, TICKS_PER_S)),
}
# Files of one number. A limit that is "max" or near 2^63 is none.
SINGLE = {
    "cpuacct.usage": ("system.cgroup.cpu.time", {CPU_MODE: "all"}, NANOSECOND),
    "memory.current": ("system.cgroup.memory.usage", {}, (1, 1)),
    "memory.usage_in_bytes": ("system.cgroup.memory.usage", {}, (1, 1)),
    "memory.max": ("system.cgroup.memory.limit", {}, (1, 1)),
    "memory.limit_in_bytes": ("system.cgroup.memory.limit", {}, (1, 1)),
    "memory.swap.current": ("system.cgroup.memory.swap", {}, (1, 1)),
    "pids.current": ("system.cgroup.tasks", {}, (1, 1)),
}
IO = {
    b"rbytes": ("system.cgroup.io", "read"),
    b"wbytes": ("system.cgroup.io", "write"),
    b"rios": ("system.cgroup.operations", "read"),
    b"wios": ("system.cgroup.operations", "write"),
}
MOST_DIGITS = 20  # 64 bits have no more
NO_LIMIT = 1 << 60
MEMORY_PARTS = (
    b"anon",
    b"file",
    b"shmem",
    b"slab",
    b"pgmajfault",
    b"workingset_refault_file",
    b"workingset_refault_anon",
)


def wants(path: str) -> bool:
    """Where version 1 is in use, what looks like a group of version 2 is a controller's root."""
    place = _PLACE.match(path)
    return place is not None and place["group"].partition("/")[0] not in CONTROLLERS


def learn_file(path: str, body: list[list[Word]]) -> Iterator[Field]:
    """Fields of one file of a control group."""
    place = _PLACE.match(path)
    if not place or not body or not wants(path):
        return
    own = {CGROUP: place["group"]}
    file = place["file"]
    if file in ("cpu.stat", "cpuacct.stat"):
        yield from _cpu(own, body)
    elif file in SINGLE:
        counter, more, scale = SINGLE[file]
        word = body[0][0]
        if word.text.isdigit() and len(word.text) <= MOST_DIGITS and int(word.text) < NO_LIMIT:
            yield Field(kernel_column(counter, own | more, scale=scale), word.at)
    elif file == "memory.events":
        for name, word in _pairs(body):
            yield Field(kernel_column("system.cgroup.memory.events", own | {PAGING_EVENT: name.decode()}), word.at)
    elif file == "memory.stat":
        yield from _memory(own, body)
    elif file == "io.stat":
        yield from _io(own, body)
    elif file.endswith(".pressure"):
        yield from _pressure(own | {RESOURCE: file.removesuffix(".pressure")}, body)


def _pairs(body: list[list[Word]]) -> Iterator[tuple[bytes, Word]]:
    return ((words[0].text, words[1]) for words in body if len(words) == 2)


def _cpu(own: dict[str, str], body: list[list[Word]]) -> Iterator[Field]:
    for name, word in _pairs(body):
        if name in CPU:
            counter, more, scale = CPU[name]
            yield Field(kernel_column(f"system.cgroup.cpu.{counter}", own | more, scale=scale), word.at)


def _memory(own: dict[str, str], body: list[list[Word]]) -> Iterator[Field]:
    for name, word in _pairs(body):
        if name in MEMORY_PARTS:
            counted = name.startswith((b"pg", b"workingset"))
            counter = "system.cgroup.memory.events" if counted else "system.cgroup.memory.parts"
            yield Field(kernel_column(counter, own | {PAGING_EVENT: name.decode()}), word.at)


def _io(own: dict[str, str], body: list[list[Word]]) -> Iterator[Field]:
    for words in body:
        device = words[0].text.decode("ascii", "replace")
        for word in words[1:]:
            name, _, _ = word.text.partition(b"=")
            if name in IO:
                counter, direction = IO[name]
                key = own | {DISK: device, DISK_DIRECTION: direction}
                yield Field(kernel_column(counter, key), word.at + len(name) + 1)


def _pressure(own: dict[str, str], body: list[list[Word]]) -> Iterator[Field]:
    for words in body:
        total = words[-1]
        if _TOTAL.match(total.text):
            key = own | {SCOPE: words[0].text.decode("ascii", "replace")}
            at = total.at + len(b"total=")
            yield Field(kernel_column("system.cgroup.pressure.time", key, scale=MICROSECOND), at)


_SECOND = "/sys/fs/cgroup/*"
_FILES = (
    "cpu.stat", "memory.current", "memory.max", "memory.swap.current", "memory.events", "memory.stat", "io.stat",
    "cpu.pressure", "memory.pressure", "io.pressure", "pids.current",
)  # fmt: skip
_FIRST = (
    "/sys/fs/cgroup/cpu/*/cpu.stat", "/sys/fs/cgroup/cpu/*/cpuacct.usage",
    "/sys/fs/cgroup/cpuacct/*/cpuacct.usage", "/sys/fs/cgroup/cpuacct/*/cpuacct.stat",
    "/sys/fs/cgroup/memory/*/memory.usage_in_bytes", "/sys/fs/cgroup/memory/*/memory.limit_in_bytes",
    "/sys/fs/cgroup/pids/*/pids.current",
)  # fmt: skip
SOURCE = Source(
    "cgroup", f"{_SECOND}/{_FILES[0]}", each_file(learn_file),
    more=(*(f"{_SECOND}/{name}" for name in _FILES[1:]), *_FIRST), wants=wants,
)  # fmt: skip


def with_named(source: Source, paths: Sequence[str]) -> Source:
    """The source with these groups too: paths below the root of all groups, or patterns of such."""
    places = [place for path in paths for place in (f"/sys/fs/cgroup/{path}/{name}" for name in _FILES)]
    places += [first.replace("/*/", f"/{path}/") for path in paths for first in _FIRST]
    return replace(source, more=(*source.more, *places))
