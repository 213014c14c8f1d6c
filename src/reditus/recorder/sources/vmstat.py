"""/proc/vmstat: swap traffic, faults, reclaim, refaults, compaction, out-of-memory kills."""

import os

from reditus.core.counters import FAULT_TYPE, PAGING_DIRECTION, PAGING_EVENT
from reditus.core.layout import Column
from reditus.recorder.kernel_text import Field, lines
from reditus.recorder.sources.source import Source, column

EVENTS = (
    "pgscan", "pgsteal", "workingset_refault", "workingset_activate", "workingset_restore", "allocstall", "oom_kill",
    "compact_stall", "compact_fail", "compact_success", "pageoutrun", "pgactivate", "pgdeactivate", "pgpgin", "pgpgout",
    "drop_pagecache", "thp_fault",
)  # fmt: skip


def learn(text: bytes) -> list[Field]:
    fields: list[Field] = []
    for words in lines(text):
        name = words[0].text.decode("ascii", "replace")
        found = _column(name)
        if found and len(words) == 2:
            fields.append(Field(found, words[1].at))
    return fields


def _column(name: str) -> Column | None:
    page_bytes = os.sysconf("SC_PAGE_SIZE")
    if name in ("pswpin", "pswpout"):
        direction = {PAGING_DIRECTION: name.removeprefix("pswp")}
        return column("system.paging.operations", direction, scale=(page_bytes, 1))
    if name in ("pgfault", "pgmajfault"):
        # pgfault counts the major ones too.
        return column("system.paging.faults", {FAULT_TYPE: "major" if name == "pgmajfault" else "all"})
    if name.startswith(EVENTS):
        return column("system.paging.linux.events", {PAGING_EVENT: name})
    return None


SOURCE = Source("paging", ("/proc/vmstat",), learn)
