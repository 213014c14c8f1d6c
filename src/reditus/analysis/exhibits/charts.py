"""Strips, their figures and their ticks, as exhibits."""

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import Literal

import numpy as np

from reditus.analysis.exhibits.origin import Pinned, frozen_content, known, number
from reditus.analysis.log_series import is_log, log_drawn
from reditus.analysis.series import ChartSeries, drawn, read, series_named
from reditus.analysis.use_series import is_use, use_drawn
from reditus.core.amounts import round_top, scale_for
from reditus.core.errors import WindowError
from reditus.core.measures import Resource
from reditus.core.types import NS_PER_S, FloatArray, IntArray
from reditus.core.window import Summary, Window, points
from reditus.exchange.bundle.contents import (
    MOST_LINES,
    MOST_POINTS,
    MOST_ROWS,
    MOST_TICKS,
    Band,
    Chart,
    Content,
    Figure,
    Figures,
    Head,
    Line,
    Table,
    Ticks,
)
from reditus.store.read.reader import Reader

DRAWN_WIDTH = 880
MARGIN_POINTS = 8
"""Ticks before and after the window, and breaks, come on top of those that are counted."""


@dataclass(frozen=True, slots=True)
class StripLine:
    """A line that is wanted: of which measures, and how it is drawn."""

    names: tuple[str, ...]
    label: str = ""
    weight: float = 1.0
    width: float = 1.25
    dash: tuple[float, ...] = ()
    together: Literal["sum", "mean"] = "sum"
    """What becomes of several measures."""


@dataclass(frozen=True, slots=True)
class Strip:
    """A strip that is wanted."""

    title: str
    resource: Resource
    unit: str
    lines: tuple[StripLine, ...]
    about: str = ""
    stacked: bool = False
    log: bool = False
    top: float | None = None
    height: float = 100.0
    width: int = DRAWN_WIDTH
    bin_ns: int | None = None
    """Length of the bins, in place of a width; they are on whole multiples of it."""


@dataclass(slots=True)
class _Found:
    times_ns: IntArray
    bin_s: float | None
    by_name: dict[str, ChartSeries] = field(default_factory=dict)

    def values(self, name: str) -> FloatArray:
        """What a measure has along the chart's times."""
        series = self.by_name[name]
        if series.missing is None and len(series.times_ns) == len(self.times_ns):
            return series.mean
        return np.full(len(self.times_ns), np.nan)


def pin_strip(reader: Reader, pinned: Pinned, strip: Strip) -> Content:
    """A strip: its chart, the ticks behind it where they are few enough, and its figures."""
    chart = _chart(reader, pinned.window, strip)
    figures = [] if len(chart.lines) != 1 else _side(chart, chart.lines[0].figures)
    return frozen_content(reader, pinned, "strip", strip.title, [chart], figures)


def pin_figures(reader: Reader, pinned: Pinned, strips: Sequence[Strip]) -> Content:
    """Lowest, mean, 95th percentile, highest and total of each line of some strips."""
    tables = []
    for strip in strips:
        chart = _chart(reader, pinned.window, replace(strip, top=None))
        unit = chart.unit
        heads = [Head(title="line")] + [Head(title=title, unit=unit) for title in ("lowest", "mean", "p95", "highest")]
        rows: list[list[str | float | int | None]] = []
        for line in chart.lines:
            found = line.figures or Figures(coverage=0.0)
            rows.append([line.label or chart.title, found.low, found.mean, found.p95, found.high, found.coverage])
        tables.append(Table(title=chart.title, heads=[*heads, Head(title="coverage", unit="share")], rows=rows))
    title = f"Figures of {', '.join(strip.title for strip in strips)}"
    return frozen_content(reader, pinned, "figures", title, list(tables))


def pin_ticks(reader: Reader, pinned: Pinned, strips: Sequence[Strip]) -> Content:
    """A table of ticks. Raise WindowError where there are more than an exhibit keeps."""
    heads, columns = [Head(title="time", unit="ns")], []
    times: IntArray | None = None
    for strip in strips:
        for line in strip.lines:
            for name in line.names:
                key = series_named(reader, [name])[0]
                found = read(reader, [key], pinned.window)[1][0]
                if found.series is None:
                    continue
                times_ns, values = _inside(*points(found.series, pinned.window), pinned.window)
                if len(times_ns) > MOST_ROWS:
                    raise WindowError(
                        f"the window holds {len(times_ns)} ticks, and an exhibit keeps a table of at most {MOST_ROWS}; "
                        "choose a shorter window, or pin the strip"
                    )
                if times is None:
                    times = times_ns
                if len(values) == len(times) and len(heads) < MOST_LINES // 2:
                    heads.append(Head(title=f"{strip.title}, {line.label}".rstrip(", "), unit=strip.unit))
                    columns.append(known(values))
    rows: list[list[str | float | int | None]] = [
        [at_ns, *values] for at_ns, *values in zip((times if times is not None else np.zeros(0)).tolist(), *columns,
                                                   strict=True)
    ]  # fmt: skip
    table = Table(title="Ticks", heads=heads, rows=rows)
    return frozen_content(reader, pinned, "ticks", f"Ticks of {', '.join(strip.title for strip in strips)}", [table])


def _inside(times_ns: IntArray, values: FloatArray, window: Window) -> tuple[IntArray, FloatArray]:
    inside = (times_ns >= window.start_ns) & (times_ns < window.end_ns)
    return times_ns[inside], values[inside]


def _side(chart: Chart, found: Figures | None) -> list[Figure]:
    if found is None:
        return []
    return [
        Figure(label="low", value=found.low, unit=chart.unit),
        Figure(label="mean", value=found.mean, unit=chart.unit),
        Figure(label="high", value=found.high, unit=chart.unit),
        Figure(label="coverage", value=found.coverage, unit="share"),
    ]


def _drawn(
    reader: Reader, names: Sequence[str], window: Window, width: int, bin_ns: int | None
) -> dict[str, ChartSeries]:
    """Each of the names, which may be of measures, of use, or of log lines."""
    plain = [name for name in names if not is_use(name) and not is_log(name)]
    keys = [series_named(reader, [name])[0] for name in plain]
    found = dict(zip(plain, drawn(reader, keys, window, width, bin_ns), strict=True)) if keys else {}
    for name in names:
        if is_use(name):
            whole, _, part = name.partition("@")
            every = use_drawn(reader, [f"{whole}@*" if part else whole], window, width)
            found |= dict.fromkeys([name], next((item for item in every if (item.key.device or "") == part), every[0]))
        elif is_log(name):
            found[name] = log_drawn(reader, [name], window, width, bin_ns)[0]
    return found


def _chart(reader: Reader, window: Window, strip: Strip) -> Chart:
    names = list(dict.fromkeys(name for line in strip.lines for name in line.names))
    points = MOST_POINTS // 2
    if strip.bin_ns is not None and (window.end_ns - window.start_ns) // strip.bin_ns > points:
        raise WindowError(f"the window holds more than {points} such bins, the most that an exhibit keeps")
    by_name = _drawn(reader, names, window, min(strip.width, points), strip.bin_ns)
    there = [by_name[name] for name in names if name in by_name and by_name[name].missing is None]
    base = {"title": strip.title, "about": strip.about, "resource": strip.resource, "unit": strip.unit,
            "stacked": strip.stacked, "log": strip.log, "height": strip.height}  # fmt: skip
    if not there:
        why = next((item.missing for item in by_name.values() if item.missing), "Nothing recorded.")
        return Chart(**base, top=strip.top or 1.0, bin_s=None, times_ns=[], lines=[], missing=why[:300])
    found = _Found(there[0].times_ns, there[0].bin_s, by_name)
    lines = [_line(found, line) for line in strip.lines if all(name in by_name for name in line.names)]
    band = _band(there[0]) if len(lines) == 1 and len(names) == 1 and not strip.stacked else None
    return Chart(
        **base,
        top=strip.top if strip.top and strip.top > 0 else _top(strip, lines, band),
        bin_s=found.bin_s,
        times_ns=found.times_ns.tolist(),
        lines=lines,
        band=band,
        ticks=None if found.bin_s is None else _ticks(reader, window, names),
    )


def _line(found: _Found, line: StripLine) -> Line:
    parts = [name for name in line.names if found.by_name[name].missing is None]
    if len(line.names) == 1:
        values = found.values(line.names[0])
        summary = found.by_name[line.names[0]].summary
        figures = None if summary is None else _figures(summary)
    else:
        by = max(len(parts), 1) if line.together == "mean" else 1
        columns = (
            np.stack([found.values(name) for name in parts]) if parts else np.full((1, len(found.times_ns)), np.nan)
        )
        unknown = np.isnan(columns).all(axis=0)
        values = np.where(unknown, np.nan, np.nansum(columns, axis=0) / by)
        figures = _together([found.by_name[name].summary for name in parts], values, by)
    return Line(
        label=line.label[:300], names=list(line.names), weight=line.weight, width=line.width, dash=list(line.dash),
        values=known(values), figures=figures,
    )  # fmt: skip


def _figures(summary: Summary) -> Figures:
    return Figures(
        low=number(summary.low),
        mean=number(summary.mean),
        p95=number(summary.p95),
        high=number(summary.high),
        total=number(summary.total),
        coverage=summary.coverage,
    )


def _together(summaries: Sequence[Summary | None], values: FloatArray, by: int) -> Figures | None:
    every = [summary for summary in summaries if summary is not None]
    seen = values[~np.isnan(values)]
    means = [summary.mean for summary in every if summary.mean is not None]
    if not every or not len(seen):
        return None
    return Figures(
        low=float(seen.min()),
        mean=sum(means) / by if means else None,
        high=float(seen.max()),
        coverage=max(summary.coverage for summary in every),
    )


def _band(series: ChartSeries) -> Band | None:
    if series.low is None or series.high is None:
        return None
    return Band(low=known(series.low), high=known(series.high))


def _top(strip: Strip, lines: Sequence[Line], band: Band | None) -> float:
    columns = [[value or 0.0 for value in line.values] for line in lines]
    if strip.stacked and columns:
        columns = [[sum(each) for each in zip(*columns, strict=True)]]
    if band is not None:
        columns.append([value or 0.0 for value in band.high])
    highest = max((max(column, default=0.0) for column in columns), default=0.0)
    return round_top(highest, scale_for(strip.unit, highest))


def _ticks(reader: Reader, window: Window, names: Sequence[str]) -> Ticks | None:
    """The ticks behind what is drawn; None where they are too many, or where there are none behind it."""
    if any(is_use(name) or is_log(name) for name in names) or len(names) > MOST_LINES:
        return None
    interval_ns = reader.extent.interval_ns or NS_PER_S
    if ((window.end_ns - window.start_ns) // interval_ns + MARGIN_POINTS) * len(names) > MOST_TICKS:
        return None
    keys = [series_named(reader, [name])[0] for name in names]
    times: IntArray | None = None
    columns = []
    for item in read(reader, keys, window)[1]:
        if item.series is None:
            return None
        times_ns, values = points(item.series, window)
        if times is None:
            times = times_ns
        if len(times_ns) != len(times):
            return None
        columns.append(known(values))
    if times is None or len(times) * len(columns) > MOST_TICKS:
        return None
    return Ticks(times_ns=times.tolist(), columns=columns)
