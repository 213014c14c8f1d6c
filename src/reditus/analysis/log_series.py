"""Lines of logs as series for a strip: how many a second, of each log, of all, and of those that hold some letters.

Names are `log.lines` and `log.errors`, with `@LOG` for one log and `@*` for each; `{holding=TEXT}` before it counts
only the lines that hold TEXT, percent-encoded, in which `*` stands for any letters.
"""

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from urllib.parse import unquote

import numpy as np

from reditus.analysis.series import ChartSeries, Read, draw
from reditus.core.binning.edges import aligned_edges, requested_edges
from reditus.core.errors import UnknownCounter, UnknownMeasure
from reditus.core.frame import Frame, Series, Timebase
from reditus.core.measures import Measure, Per, Resource, Unit
from reditus.core.measures.selection import EVERY_DEVICE, SeriesKey
from reditus.core.types import NS_PER_S, FloatArray
from reditus.core.window import Window
from reditus.store.archives.log_lines import LineChoice
from reditus.store.read.reader import Reader
from reditus.store.records import LineCount, LogInfo

LINES, ERRORS = "log.lines", "log.errors"
TITLES = {LINES: "Log lines", ERRORS: "Errors logged"}
MOST_CELLS = 50_000
"""A window is counted in cells as long as the archive's interval, or in so many longer ones."""
MOST_LOGS = 64
"""Drawn at once for `@*`."""
_NAME = re.compile(r"^(?P<what>log\.(?:lines|errors))(?:\{holding=(?P<holding>[^{},@]{1,600})\})?(?:@(?P<log>.+))?$")


@dataclass(frozen=True, slots=True)
class LogName:
    """What a name of lines stands for."""

    name: str
    """As it was requested, without a log: letters may be encoded or not."""
    what: str
    holding: str
    log: str | None
    """None: of all logs; `*`: of each."""

    @property
    def measure(self) -> Measure:
        """The measure that the series is of."""
        return _measure(self.name, self.what, self.holding)


@lru_cache(maxsize=256)
def _measure(name: str, what: str, holding: str) -> Measure:
    lines = "Lines as bad as an error, or worse" if what == ERRORS else "Lines"
    return Measure(
        name=name,
        title=TITLES[what] + (f" with {holding!r}" if holding else ""),
        unit=Unit.PER_S,
        resource=Resource.LOG,
        help=f"{lines} that were logged a second. Known from a log's first line to its last.",
        formula="lines / s",
        needs=(),
        derive=_not_of_counters,
        per=Per.LOG,
        total=Unit.COUNT,
    )


def is_log(text: str) -> bool:
    """Whether a name is one of lines of logs."""
    return text.startswith("log.")


def parse_log(text: str) -> LogName:
    """Raise UnknownMeasure for a name that is none."""
    found = _NAME.match(text)
    if found is None:
        raise UnknownMeasure(text, [*TITLES, *(f"{name}{{holding=TEXT}}" for name in TITLES)])
    holding = unquote(found["holding"] or "")
    if "\0" in holding:  # which no text in the database can hold
        raise UnknownMeasure(text, list(TITLES))
    name = text if found["log"] is None else text.removesuffix(f"@{found['log']}")
    return LogName(name, found["what"], holding, found["log"])


def read_log_series(reader: Reader, names: Sequence[str], window: Window) -> list[Read]:
    """The series of these names, in their order, as if each cell of the window were a tick."""
    parsed = [parse_log(name) for name in dict.fromkeys(names)]
    logs = reader.logs() if parsed else []
    cell_ns = cell_of(window, reader.extent.interval_ns or NS_PER_S)
    counts: dict[str, Sequence[LineCount]] = {}
    out: list[Read] = []
    for name in parsed:
        reader.check()
        if name.holding not in counts:
            counts[name.holding] = reader.line_counts(
                _whole(window, cell_ns), cell_ns, LineChoice(holding=name.holding)
            )
        for log in _wanted(name, logs):
            own = [item for item in logs if log in (None, item.name)]
            key = SeriesKey(name.measure, log)
            if not own:
                out.append(Read(key, None, f"{key.name}: nothing of this log is kept with this archive"))
                continue
            out.append(Read(key, _series(name, own, counts[name.holding], window, cell_ns), None))
    return out


def log_drawn(
    reader: Reader, names: Sequence[str], window: Window, width: int, bin_ns: int | None = None
) -> list[ChartSeries]:
    """Lines a second ready for a chart. Raise UnknownMeasure."""
    if not names:
        return []
    cell_ns = cell_of(window, reader.extent.interval_ns or NS_PER_S)
    edges_ns = None if bin_ns is None else requested_edges(window, bin_ns)
    charts = draw(read_log_series(reader, names, window), window, width, edges_ns=edges_ns)
    return [replace(chart, summary_of_s=cell_ns / NS_PER_S) if chart.summary else chart for chart in charts]


def cell_of(window: Window, interval_ns: int) -> int:
    """The length of the cells that lines are counted in: whole seconds, and not shorter than the interval."""
    least_ns = max(interval_ns, -(-(window.end_ns - window.start_ns) // MOST_CELLS))
    return max(-(-least_ns // NS_PER_S), 1) * NS_PER_S


def _whole(window: Window, cell_ns: int) -> Window:
    """From one cell before the window to its end, in whole cells."""
    edges_ns = aligned_edges(window, cell_ns)
    return Window(int(edges_ns[0]) - cell_ns, int(edges_ns[-1]))


def _wanted(name: LogName, logs: Sequence[LogInfo]) -> list[str | None]:
    if name.log != EVERY_DEVICE:
        return [name.log]
    heaviest = sorted(logs, key=lambda item: -item.lines)[:MOST_LOGS]
    return [*sorted(item.name for item in heaviest)]


def _series(
    name: LogName, logs: Sequence[LogInfo], counts: Sequence[LineCount], window: Window, cell_ns: int
) -> Series:
    whole = _whole(window, cell_ns)
    cells = (whole.end_ns - whole.start_ns) // cell_ns
    ends_ns = whole.start_ns + cell_ns * np.arange(1, cells + 1, dtype=np.int64)
    own = {item.name for item in logs}
    values: FloatArray = np.zeros(cells)
    for item in counts:
        if item.log in own:
            values[item.cell] += item.errors if name.what == ERRORS else item.lines
    first_ns, last_ns = min(item.first_ns for item in logs), max(item.last_ns for item in logs)
    values[(ends_ns <= first_ns) | (ends_ns - cell_ns > last_ns)] = np.nan
    timebase = Timebase(ends_ns, ends_ns, np.zeros(cells, dtype=np.int64), np.full(cells, cell_ns, dtype=np.int64))
    return Series(timebase, values / (cell_ns / NS_PER_S))


def _not_of_counters(_: Frame, __: str | None) -> Series:
    raise UnknownCounter("lines are counted in logs, not derived from counters")
