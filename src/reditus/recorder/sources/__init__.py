"""One module per kernel interface: which files, and what their words mean. The list below is what is recorded."""

from reditus.recorder.sources import diskstats, loadavg, meminfo, netdev, pressure, schedstat, stat, vmstat
from reditus.recorder.sources.source import Source

SOURCES: tuple[Source, ...] = (
    stat.SOURCE,
    schedstat.SOURCE,
    loadavg.SOURCE,
    meminfo.SOURCE,
    vmstat.SOURCE,
    diskstats.SOURCE,
    netdev.SOURCE,
    pressure.SOURCE,
)

__all__ = ["SOURCES", "Source"]
