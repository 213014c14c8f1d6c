"""One module per kernel interface: which files, and what their words mean. The list below is what is recorded."""

from reditus.recorder.sources import diskstats, loadavg, meminfo, netdev, paging, pressure, schedstat, stat
from reditus.recorder.sources.source import Source

SOURCES: tuple[Source, ...] = (
    stat.SOURCE,
    schedstat.SOURCE,
    loadavg.SOURCE,
    meminfo.SOURCE,
    paging.SOURCE,
    diskstats.SOURCE,
    netdev.SOURCE,
    *pressure.SOURCES,
)

__all__ = ["SOURCES", "Source"]
