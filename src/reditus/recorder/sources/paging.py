"""/proc/vmstat, all of it: swap traffic, faults, reclaim, refaults, compaction, out-of-memory kills, page levels."""

import os

from reditus.core.kernel_columns import memory_pages, page_faults, paging_event, swap_pages
from reditus.core.schema import Column
from reditus.recorder.kernel_text import Field, lines
from reditus.recorder.sources.source import Source


def learn(text: bytes) -> list[Field]:
    """Fields of /proc/vmstat that count events."""
    fields: list[Field] = []
    for words in lines(text):
        name = words[0].text.decode("ascii", "replace")
        if len(words) == 2:
            fields.append(Field(_column(name), words[1].at))
    return fields


def _column(name: str) -> Column:
    if name in ("pswpin", "pswpout"):
        return swap_pages(name.removeprefix("pswp"), page_bytes=os.sysconf("SC_PAGE_SIZE"))
    if name in ("pgfault", "pgmajfault"):
        return page_faults("major" if name == "pgmajfault" else "all")
    if name.startswith("nr_"):
        return memory_pages(name, page_bytes=os.sysconf("SC_PAGE_SIZE"))
    return paging_event(name)


SOURCE = Source("paging", "/proc/vmstat", learn)
