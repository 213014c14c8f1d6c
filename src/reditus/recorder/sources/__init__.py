"""One module per kernel interface: which files, and what their words mean. The list below is what is recorded."""

from reditus.recorder.sources import (
    backlog,
    diskstats,
    loadavg,
    meminfo,
    netdev,
    paging,
    pressure,
    protocols,
    schedstat,
    single,
    sockets,
    softirqs,
    stat,
    swaps,
)
from reditus.recorder.sources.source import Source

SOURCES: tuple[Source, ...] = (
    stat.SOURCE,
    schedstat.SOURCE,
    softirqs.SOURCE,
    loadavg.SOURCE,
    meminfo.SOURCE,
    paging.SOURCE,
    swaps.SOURCE,
    diskstats.SOURCE,
    netdev.SOURCE,
    *protocols.SOURCES,
    *sockets.SOURCES,
    backlog.SOURCE,
    *single.SOURCES,
    *pressure.SOURCES,
)

__all__ = ["SOURCES", "Source"]
