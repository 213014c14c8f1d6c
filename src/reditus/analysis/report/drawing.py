"""Exhibits as pictures: SVG from frozen numbers, with the scales, inks and legends of the page."""

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from xml.sax.saxutils import escape

from reditus.analysis.report.clock import Clock, year_of
from reditus.analysis.report.inks import Theme, inks, mixed
from reditus.core.amounts import Scale, scale_for, spell_amount, spell_number, spell_round
from reditus.core.durations import spell_duration
from reditus.core.types import NS_PER_MS
from reditus.exchange.bundle.contents import Chart, Content, Line, Shapes

WIDTH, NARROW = 960, 720
"""Of a picture that stands alone, and of one on a page of paper: there its letters are as large as the text around."""
LEFT, RIGHT, HEAD, TITLE, AXIS, GAP = 64, 16, 40, 34, 22, 10
DECADES = 4
"""That a logarithmic scale spans below its top."""
BAND_SHARE, LAYER_SHARE = 0.22, 0.72
WIDEST_SAMPLE = 1.9
EDGE = 36
"""So near to the right edge a label of the axis does not fit on both sides."""
LETTER, TITLE_LETTER = 6.4, 8.2
"""Width of a letter of the key and of the title, on average: text cannot be measured here."""
MOST_KEYS = 6
AXIS_LABELS = {WIDTH: 10, NARROW: 7}
SHAPES_HEIGHT = 74
SANS = "'Public Sans Variable', 'Public Sans', 'Helvetica Neue', Arial, sans-serif"
SERIF = "'Source Serif 4 Variable', 'Source Serif 4', Georgia, serif"

Ink = Mapping[str, str]
Values = Sequence[float | None]
Place = Callable[[float, float], str]


@dataclass(frozen=True, slots=True)
class _Frame:
    """Where a chart's values lie in the picture."""

    start_ms: float
    end_ms: float
    y: float
    height: float
    width: int = NARROW

    @property
    def right(self) -> int:
        """Where values end."""
        return self.width - RIGHT

    def x(self, at_ms: float) -> float:
        share = (at_ms - self.start_ms) / max(self.end_ms - self.start_ms, 1)
        return LEFT + min(max(share, 0.0), 1.0) * (self.right - LEFT)

    def place(self, at_ms: float, height: float) -> str:
        return f"{_tenth(self.x(at_ms))} {_tenth(self.y + self.height * (1 - min(max(height, 0.0), 1.0)))}"


def _tenth(value: float) -> str:
    # As a browser rounds.
    return f"{math.floor(value * 10 + 0.5) / 10:.1f}"


def _text(words: str, x: float, y: float, size: float, ink: str, anchor: str = "start", weight: int = 400,
          serif: bool = False) -> str:  # fmt: skip
    family = f' font-family="{SERIF}"' if serif else ""
    return (
        f'<text x="{x:g}" y="{y:g}" font-size="{size:g}" fill="{ink}" text-anchor="{anchor}" '
        f'font-weight="{weight}"{family}>{escape(words)}</text>'
    )


def height_of(value: float, top: float, *, log: bool) -> float:
    """Where a value stands between the lower edge, 0, and the upper, 1."""
    if not top > 0:
        return 0.0
    if not log:
        return min(max(value / top, 0.0), 1.0)
    return min(max(1 + math.log10(value / top) / DECADES, 0.0), 1.0) if value > 0 else 0.0


def _path(times_ms: Sequence[float], heights: Values, place: Place) -> str:
    """A line through what is known, broken where nothing is."""
    out, is_open = [], False
    for at_ms, height in zip(times_ms, heights, strict=True):
        if height is None:
            is_open = False
            continue
        out.append(f"{'L' if is_open else 'M'}{place(at_ms, height)}")
        is_open = True
    return "".join(out)


def _area(times_ms: Sequence[float], upper: Values, lower: Values, place: Place) -> str:
    """The area between two columns, piece by piece of what is known of both."""
    out: list[str] = []
    over: list[str] = []
    under: list[str] = []

    def close() -> None:
        if over:
            out.append(f"M{'L'.join(over)}L{'L'.join(reversed(under))}Z")
        over.clear()
        under.clear()

    for at_ms, high, low in zip(times_ms, upper, lower, strict=True):
        if high is None or low is None:
            close()
            continue
        over.append(place(at_ms, high))
        under.append(place(at_ms, low))
    close()
    return "".join(out)


def stacked(layers: Sequence[Values]) -> list[list[float | None]]:
    """Running sums over layers; unknown where any layer is."""
    sums: list[list[float | None]] = []
    for layer in layers:
        below: Values = sums[-1] if sums else [0.0] * len(layer)
        sums.append(
            [None if value is None or base is None else base + value for value, base in zip(layer, below, strict=True)]
        )
    return sums


def _chart(chart: Chart, frame: _Frame, ink: Ink) -> str:
    own, paper, strong = ink[chart.resource.value], ink["paper"], ink["rule-strong"]
    width = frame.right - LEFT
    times_ms = [at_ns / NS_PER_MS for at_ns in chart.times_ns]

    def heights(column: Values) -> list[float | None]:
        return [None if value is None else height_of(value, chart.top, log=chart.log) for value in column]

    dotted = ' stroke-dasharray="1 4"'
    parts = [
        f'<path d="M{LEFT} {_tenth(frame.y + frame.height * share)}h{width}" stroke="{strong}"'
        f"{'' if share == 1 else dotted}/>"
        for share in (0, 0.5, 1)
    ]
    if chart.stacked:
        sums = stacked([line.values for line in chart.lines])
        for at, (line, total) in enumerate(zip(chart.lines, sums, strict=True)):
            below = heights(sums[at - 1]) if at else [0.0] * len(times_ms)
            fill = mixed(own, paper, line.weight * LAYER_SHARE)
            parts.append(f'<path d="{_area(times_ms, heights(total), below, frame.place)}" fill="{fill}"/>')
        if sums:
            d = _path(times_ms, heights(sums[-1]), frame.place)
            parts.append(f'<path d="{d}" fill="none" stroke="{own}"/>')
        return "".join(parts)
    if chart.band is not None:
        d = _area(times_ms, heights(chart.band.high), heights(chart.band.low), frame.place)
        parts.append(f'<path d="{d}" fill="{mixed(own, paper, BAND_SHARE)}"/>')
    for line in chart.lines:
        d = _path(times_ms, heights(line.values), frame.place)
        parts.append(
            f'<path d="{d}" fill="none" stroke="{mixed(own, paper, line.weight)}" stroke-width="{line.width:g}"'
            f"{_dashes(line)}/>"
        )
    return "".join(parts)


def _dashes(line: Line) -> str:
    return f' stroke-dasharray="{" ".join(f"{part:g}" for part in line.dash)}"' if line.dash else ""


def _key(chart: Chart, scale: Scale, frame: _Frame, y: float, ink: Ink) -> str:
    """The key to the lines that there is room for beside the title: each with its sample, its name and its mean."""
    own, x, parts = ink[chart.resource.value], float(frame.right), []
    room = frame.right - LEFT - len(chart.title) * TITLE_LETTER
    shown = chart.lines[:MOST_KEYS]
    while len(shown) > 1 and sum(len(line.label) + 6 for line in shown) * LETTER + 22 * len(shown) > room:
        shown = shown[:-1]
    for line in reversed(shown):
        words = f"{line.label} {spell_number(line.figures.mean if line.figures else None, scale)}".strip()
        x -= len(words) * LETTER + 22
        if chart.stacked:
            fill = mixed(own, ink["paper"], line.weight * LAYER_SHARE)
            sample = f'<rect x="{x:g}" y="{y - 8:g}" width="9" height="9" fill="{fill}" stroke="{ink["rule-strong"]}"/>'
        else:
            sample = (
                f'<path d="M{x:g} {y - 3.5:g}h12" stroke="{mixed(own, ink["paper"], line.weight)}" '
                f'stroke-width="{min(line.width, WIDEST_SAMPLE) or 1.25:g}"{_dashes(line)}/>'
            )
        parts += [sample, _text(words, x + 15, y, 10.5, ink["soft"])]
    return "".join(parts)


def _axis(frame: _Frame, clock: Clock, y: float, ink: Ink) -> str:
    moments = clock.axis(frame.start_ms, frame.end_ms, AXIS_LABELS[frame.width])
    step_ms = moments[1] - moments[0] if len(moments) > 1 else 60_000
    is_dated = clock.day(frame.start_ms) != clock.day(frame.end_ms)
    out = []
    for at, at_ms in enumerate(moments):
        label = clock.axis_label(at_ms, step_ms)
        words = f"{clock.day(at_ms)} {label}" if is_dated and at == 0 and ":" in label else label
        x = _tenth(frame.x(at_ms))
        out.append(
            f'<path d="M{x} {y - GAP:g}v4" stroke="{ink["rule-strong"]}"/>'
            + _text(words, float(x), y + 8, 10.5, ink["soft"], "end" if float(x) > frame.width - EDGE else "middle")
        )
    return "".join(out)


def _svg(parts: Sequence[str], size: tuple[int, float], title: str, about: str, paper: str) -> str:
    width, height = size
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{width}" height="{height:g}" viewBox="0 0 {width} {height:g}" '
        f'font-family="{SANS}" role="img" aria-label="{escape(title, {chr(34): "&quot;"})}">'
        f"<title>{escape(title)}</title><desc>{escape(about)}</desc>"
        f'<rect width="100%" height="100%" fill="{paper}"/>{"".join(parts)}</svg>'
    )


def draw_chart(content: Content, chart: Chart, theme: Theme = "day", *, head: bool = True) -> str:
    """A chart as a whole SVG document. With its head it says of itself of which host, when, and by which clock."""
    ink = inks(theme)
    scale = scale_for(chart.unit, chart.top)
    clock = Clock(content.zone, year_of([content.start_ns, content.end_ns]))
    y: float = HEAD if head else 0
    averaged = ""
    if chart.bin_s is not None:
        averaged = f"means of {spell_duration(round(chart.bin_s) if chart.bin_s >= 1 else chart.bin_s)}"
    about = [scale.unit or "number", chart.about, "logarithmic" if chart.log else "", averaged]
    width = WIDTH if head else NARROW
    frame = _Frame(content.start_ns / NS_PER_MS, content.end_ns / NS_PER_MS, y + TITLE, chart.height, width)
    parts = [
        _text(chart.title, LEFT, y + 14, 15, ink["ink"], weight=600, serif=True),
        _text(" · ".join(part for part in about if part), LEFT, y + 28, 10.5, ink["soft"]),
        _key(chart, scale, frame, y + 14, ink),
        _text(f"{spell_round(chart.top, scale)} {scale.unit}".strip(), LEFT - 6, frame.y + 8, 10.5, ink["soft"], "end"),
        _text("" if chart.log else "0", LEFT - 6, frame.y + chart.height, 10.5, ink["soft"], "end"),
        _text(chart.missing, width / 2, frame.y + chart.height / 2, 12, ink["soft"], "middle")
        if chart.missing
        else _chart(chart, frame, ink),
    ]
    y = frame.y + chart.height + GAP
    parts.append(_axis(frame, clock, y, ink))
    when = f"{clock.window(content.start_ns, content.end_ns)}, {clock.name(content.start_ns, content.end_ns)}"
    if head:
        source = content.source
        parts += [
            _text(f"{source.host_name} · {source.archive_name}", LEFT, 22, 13, ink["ink"], weight=600),
            _text(when, frame.right, 22, 11, ink["soft"], "end"),
        ]
    title = f"{content.source.host_name}, {content.source.archive_name}: {chart.title}"
    return _svg(parts, (width, y + AXIS), title, f"{when}. {in_words(chart)}", ink["paper"])


def in_words(chart: Chart) -> str:
    """What a chart shows, for who cannot see it: lowest, mean and highest of each line."""
    if chart.missing:
        return chart.missing
    said = []
    for line in chart.lines:
        if line.figures is not None:
            low, mean, high = (
                spell_amount(value, chart.unit) for value in (line.figures.low, line.figures.mean, line.figures.high)
            )
            said.append(f"{line.label or chart.title}: lowest {low}, mean {mean}, highest {high}")
    return "; ".join(said)


def _outline(shape: Sequence[float], height: float) -> str:
    step = (NARROW - LEFT - RIGHT) / max(len(shape) - 1, 1)
    points = [
        f"{_tenth(LEFT + at * step)},{_tenth(4 + height - value * (height - 1))}" for at, value in enumerate(shape)
    ]
    return f"M{LEFT},{4 + height:g}L{'L'.join(points)}L{NARROW - RIGHT},{4 + height:g}Z"


def _share(shapes: Shapes, value: float) -> float:
    low, high = shapes.low, shapes.high
    if shapes.log and low > 0:
        low, high, value = math.log(low), math.log(high), math.log(max(value, low))
    return min(max((value - low) / (high - low), 0.0), 1.0) if high > low else 0.5


def draw_shapes(shapes: Shapes, theme: Theme = "day") -> str:
    """Both distributions of a measure on one scale: the reference pale behind, the window in its ink."""
    ink = inks(theme)
    own, paper = ink[shapes.resource.value], ink["paper"]
    y = 4 + SHAPES_HEIGHT
    parts = [
        f'<path d="{_outline(shapes.reference, SHAPES_HEIGHT)}" fill="{mixed(ink["rule-strong"], paper, 0.75)}"/>',
        f'<path d="{_outline(shapes.window, SHAPES_HEIGHT)}" fill="{own}" fill-opacity="0.55" stroke="{own}"/>',
        f'<path d="M{LEFT} {y}H{NARROW - RIGHT}" stroke="{ink["rule-strong"]}"/>',
    ]
    labels = ((shapes.reference_label, shapes.reference_at, ink["soft"]), (shapes.window_label, shapes.window_at, own))
    # Each label under its median; where they would touch, one row further down.
    for row, (label, value, colour) in enumerate(labels):
        x = LEFT + _share(shapes, value) * (NARROW - LEFT - RIGHT)
        anchor = "start" if x < NARROW / 3 else "end" if x > 2 * NARROW / 3 else "middle"
        words = f"{label} {spell_amount(value, shapes.unit)}"
        parts += [
            f'<path d="M{_tenth(x)} {y}v5" stroke="{colour}"/>',
            _text(words, x, y + 17 + 14 * row, 11, colour, anchor, weight=600 if row else 400),
        ]
    low, high = (spell_amount(value, shapes.unit) for value in (shapes.low, shapes.high))
    scale = f"{low} to {high}{', logarithmic' if shapes.log else ''}"
    about = "; ".join(f"{label} around {spell_amount(value, shapes.unit)}" for label, value, _ in labels)
    return _svg(parts, (NARROW, y + 38), shapes.title, f"{about}; from {scale}", paper)


def pictures(content: Content, theme: Theme = "day", *, head: bool = False) -> list[str]:
    """The pictures of an exhibit, in the order of those of its parts that have one."""
    out = []
    for part in content.parts:
        if isinstance(part, Chart):
            out.append(draw_chart(content, part, theme, head=head))
        elif isinstance(part, Shapes):
            out.append(draw_shapes(part, theme))
    return out
