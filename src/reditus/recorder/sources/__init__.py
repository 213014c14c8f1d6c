"""One module per kernel interface: which files, and what their words mean. The list below is what is recorded."""

from reditus.recorder.sources import (
    backlog,
    cgroups,
    diskstats,
    frequency,
    interrupts,
    links,
    loadavg,
    meminfo,
    netdev,
    nodes,
    paging,
    pressure,
    protocols,
    schedstat,
    sensors,
    single,
    sockets,
    softirqs,
    stat,
    swaps,
    zram,
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
    cgroups.SOURCE,
    interrupts.SOURCE,
    nodes.SOURCE,
    frequency.SOURCE,
    sensors.SOURCE,
    links.SOURCE,
    zram.SOURCE,
)

__all__ = ["SOURCES", "Source"]
