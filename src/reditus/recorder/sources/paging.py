"""/proc/vmstat: swap traffic, faults, reclaim, refaults, compaction, out-of-memory kills."""

import os

from reditus.core.kernel_columns import page_faults, paging_event, swap_pages
from reditus.core.layout import Column
from reditus.recorder.kernel_text import Field, lines
from reditus.recorder.sources.source import Source

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
    if name in ("pswpin", "pswpout"):
        return swap_pages(name.removeprefix("pswp"), page_bytes=os.sysconf("SC_PAGE_SIZE"))
    if name in ("pgfault", "pgmajfault"):
        return page_faults("major" if name == "pgmajfault" else "all")
    if name.startswith(EVENTS):
        return paging_event(name)
    return None


SOURCE = Source("paging", "/proc/vmstat", learn)
