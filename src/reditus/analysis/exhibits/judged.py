"""Findings, what was ruled out, and differences, as exhibits."""

from collections.abc import Sequence

from reditus.analysis.diagnosis import DiagnosisResult
from reditus.analysis.exhibits.origin import Pinned, frozen_content
from reditus.analysis.exhibits.tables import OF_THE_ROW, PROBABILITY, Cells
from reditus.core.comparison import Comparison, Difference
from reditus.core.comparison.differences import Distribution, shapes_of
from reditus.core.diagnosis.finding import Evidence, Finding, RuledOut
from reditus.core.errors import CoreError
from reditus.core.measures import measure_named
from reditus.core.rfc3339 import spell_time
from reditus.core.window import Window
from reditus.exchange.bundle.contents import Content, Figure, Head, Part, Sentences, Shapes, Table
from reditus.store.read.reader import Reader


class NothingPinned(CoreError, LookupError):
    """What was to be pinned is not there any more."""


def pin_finding(reader: Reader, pinned: Pinned, result: DiagnosisResult, finding: str) -> Content:
    """A finding by its id, or something that was ruled out. Raise NothingPinned where there is none of that id."""
    for found in result.diagnosis.findings:
        if found.id == finding:
            return _finding(reader, pinned, result, found)
    for excused in result.diagnosis.ruled_out:
        if excused.id == finding:
            return _ruled_out(reader, pinned, excused)
    raise NothingPinned(
        f"no finding {finding!r} is in this window; GET …/diagnosis of the same window lists those that are"
    )


def _titled(title: str, device: str | None) -> str:
    return f"{title}, {device}" if device else title


def _finding(reader: Reader, pinned: Pinned, result: DiagnosisResult, found: Finding) -> Content:
    lines = [found.explanation, *(f"Considered: {line}" for line in found.considered)]
    parts: list[Part] = [Sentences(lines=lines), _evidence(found.evidence)]
    who = result.processes.get(found.id)
    if who is not None and who.processes:
        rows: list[Cells] = [[f"{name or 'not named'} {process.pid}", process.share] for process, name in who.processes]
        heads = [Head(title="process"), Head(title="share", unit="share")]
        parts.append(Table(title="Processes that took part", heads=heads, rows=rows))
    parts.append(Sentences(title="What to look at next", lines=list(found.next)))
    lost = "time lost, estimated" if found.time_lost_estimated else "time lost"
    figures = [
        Figure(label=lost, value=found.time_lost_s, unit="duration"),
        Figure(label=found.harm.of, value=found.harm.seconds, unit="duration"),
        Figure(label="confidence", value=found.confidence, unit="share"),
        Figure(label="began within", value=found.onset.uncertainty_s, unit="duration"),
    ]
    if found.harm.of.startswith("of stall") or found.harm.seconds == found.time_lost_s:
        figures.pop(1)
    window = Window(found.start_ns, max(found.end_ns, found.start_ns + 1))
    return frozen_content(reader, pinned, "finding", _titled(found.title, found.device), parts, figures, window)


def _ruled_out(reader: Reader, pinned: Pinned, excused: RuledOut) -> Content:
    parts: list[Part] = [Sentences(lines=[excused.explanation]), _evidence(excused.evidence)]
    window = Window(excused.start_ns, max(excused.end_ns, excused.start_ns + 1))
    title = f"Ruled out: {_titled(excused.title, excused.device)}"
    return frozen_content(reader, pinned, "ruled-out", title, parts, window=window)


def _evidence(evidence: Sequence[Evidence]) -> Table:
    heads = [
        Head(title="measure"), Head(title="device"), Head(title="value", unit=OF_THE_ROW),
        Head(title="threshold", unit=OF_THE_ROW), Head(title="reads"), Head(title="unit"),
    ]  # fmt: skip
    rows: list[Cells] = [
        [measure_named(item.measure).title, item.device or "", item.value, item.threshold, item.reads, item.unit.value]
        for item in evidence
    ]
    return Table(title="Evidence", heads=heads, rows=rows)


def pin_difference(
    reader: Reader, pinned: Pinned, found: Comparison, sentence: str, measure: str, device: str | None
) -> Content:
    """A row of a comparison by its measure and device. Raise NothingPinned where there is none."""
    rows = [item for item in (*found.differences, *found.alike) if item.measure.name == measure]
    item = next((item for item in rows if item.device == device), None)
    if item is None:
        raise NothingPinned(f"{measure} of {device or 'the machine'} is not among what was compared in these windows")
    unit = item.measure.unit.value
    shapes = shapes_of(item, found.window, found.reference)
    heads = [
        Head(title="side"),
        *(Head(title=title, unit=unit) for title in ("low", "q1", "median", "q3", "p95", "high", "mean")),
    ]
    table = Table(
        title="Both sides", heads=heads, rows=[_side("window", item.window), _side("reference", item.reference)]
    )
    drawn = Shapes(
        title=_titled(item.measure.title, item.device), resource=item.measure.resource, unit=unit, low=shapes.low,
        high=shapes.high, log=shapes.log, window=[min(float(value), 1.0) for value in shapes.window],
        reference=[min(float(value), 1.0) for value in shapes.reference], window_label="window",
        reference_label="reference", window_at=item.window.median, reference_at=item.reference.median,
    )  # fmt: skip
    reference = found.reference.window
    when = f"from {spell_time(reference.start_ns)} to {spell_time(reference.end_ns)}"
    lines = [sentence, f"The reference is {found.reference.name} {when}."]
    figures = [
        Figure(label="window", value=item.window.median, unit=unit),
        Figure(label="reference", value=item.reference.median, unit=unit),
        Figure(label="times as much", value=item.ratio, unit=""),
        Figure(label="Cliff’s delta", value=item.effect.delta, unit=""),
        Figure(label="p", value=item.effect.p, unit=PROBABILITY),
    ]
    parts: list[Part] = [drawn, table, Sentences(lines=lines)]
    return frozen_content(reader, pinned, "difference", _title(item), parts, figures)


def _title(item: Difference) -> str:
    name = _titled(item.measure.title, item.device)
    return f"{name}: {'more' if item.rises else 'less'} than in the reference"


def _side(name: str, side: Distribution) -> Cells:
    return [name, side.low, side.q1, side.median, side.q3, side.p95, side.high, side.mean]
