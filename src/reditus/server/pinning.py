"""From what is requested to be pinned to what is frozen."""

from collections.abc import Callable
from typing import Any
from uuid import UUID

from reditus.analysis.comparison import common_bin_ns, compare_sides, interval_of, read_side
from reditus.analysis.diagnosis import DiagnosisResult, diagnose_timeline
from reditus.analysis.exhibits.charts import pin_figures, pin_strip, pin_ticks
from reditus.analysis.exhibits.judged import pin_difference, pin_finding
from reditus.analysis.exhibits.noted import pin_log, pin_note
from reditus.analysis.exhibits.origin import Pinned
from reditus.analysis.exhibits.tables import pin_facts, pin_moment, pin_use
from reditus.analysis.normal import incidents_elsewhere, with_unusual
from reditus.analysis.windows import requested_window
from reditus.core.comparison.verdict import verdict_of
from reditus.core.rfc3339 import parse_time
from reditus.core.window import Window, parse_window
from reditus.exchange.bundle.contents import MOST_ROWS, Content
from reditus.exchange.log_reading import zone_named
from reditus.server.cancellation import check_cancelled
from reditus.server.context import Context
from reditus.server.pin_schemas import (
    DifferencePinIn,
    FactsPinIn,
    FiguresPinIn,
    FindingPinIn,
    LogPinIn,
    MomentPinIn,
    NotePinIn,
    PinBase,
    StripPinIn,
    TicksPinIn,
    UsePinIn,
)
from reditus.store.archives.log_lines import LineChoice

LONG = (FindingPinIn, DifferencePinIn)
"""Pins that judge or compare, and so take their turn with diagnoses."""


def frozen_of(context: Context, pin: PinBase) -> Content:
    """Read what is to be pinned, and freeze it. Raise what the reading raises."""
    if pin.zone != "UTC":
        zone_named(pin.zone)
    window = parse_window(pin.start, pin.end, (None, None))
    archive = context.store.archives.get(pin.archive)
    # Given a host's id, all of its archives are read as one.
    name = "all archives" if pin.archive == archive.host.id else archive.name
    pinned = Pinned(pin.archive, name, window, pin.zone, pin.view)
    return _MAKERS[type(pin)](context, pin, pinned)


def _strips(context: Context, pin: Any, pinned: Pinned) -> Content:
    with context.store.reading(pin.archive, check_cancelled, context.budget) as reader:
        if isinstance(pin, StripPinIn):
            return pin_strip(reader, pinned, pin.strip.strip())
        strips = [strip.strip() for strip in pin.strips]
        return (pin_ticks if isinstance(pin, TicksPinIn) else pin_figures)(reader, pinned, strips)


def _moment(context: Context, pin: MomentPinIn, pinned: Pinned) -> Content:
    with context.store.reading(pin.archive, check_cancelled, context.budget) as reader:
        return pin_moment(reader, pinned, parse_time(pin.at), pin.names)


def _use(context: Context, pin: UsePinIn, pinned: Pinned) -> Content:
    with context.store.reading(pin.archive, check_cancelled, context.budget) as reader:
        return pin_use(reader, pinned, pin.by, pin.sort, pin.most, pin.match.strip())


def _facts(context: Context, pin: FactsPinIn, pinned: Pinned) -> Content:
    history = context.store.archives.facts_history(pin.archive)
    with context.store.reading(pin.archive, check_cancelled, context.budget) as reader:
        return pin_facts(reader, pinned, history)


def judged(context: Context, archive: UUID, window: Window | None = None) -> DiagnosisResult:
    """The diagnosis of a window, or of the whole archive as the page shows it."""
    allowance = context.budget.long
    elsewhere = incidents_elsewhere(context.store, archive, context.judged, check_cancelled, allowance)
    with context.store.reading(archive, check_cancelled, allowance) as reader:
        window = window or requested_window(reader, None, None)
        return with_unusual(reader, diagnose_timeline(reader, window, context.judged), elsewhere, context.judged)


def _finding(context: Context, pin: FindingPinIn, pinned: Pinned) -> Content:
    # The page's findings are those of the whole archive; one of a window has its id by where it begins there.
    whole = judged(context, pin.archive)
    ids = {item.id for item in whole.diagnosis.findings} | {item.id for item in whole.diagnosis.ruled_out}
    result = whole if pin.finding in ids else judged(context, pin.archive, pinned.window)
    with context.store.reading(pin.archive, check_cancelled, context.budget.long) as reader:
        return pin_finding(reader, pinned, result, pin.finding)


def _difference(context: Context, pin: DifferencePinIn, pinned: Pinned) -> Content:
    windows = [
        (pin.archive, pinned.window),
        (pin.reference or pin.archive, parse_window(pin.reference_start, pin.reference_end, (None, None))),
    ]
    intervals = []
    for archive, window in windows:
        with context.store.reading(archive, check_cancelled, context.budget.long) as reader:
            intervals.append(interval_of(reader, window))
    bin_ns, sides = common_bin_ns(intervals), []
    for archive, window in windows:
        with context.store.reading(archive, check_cancelled, context.budget.long) as reader:
            sides.append(read_side(reader, window, bin_ns))
    found = compare_sides(sides[0], sides[1], check_cancelled)
    sentence = verdict_of(found.measures).sentence
    with context.store.reading(pin.archive, check_cancelled, context.budget.long) as reader:
        return pin_difference(reader, pinned, found.measures, sentence, pin.measure, pin.device)


def _note(context: Context, pin: NotePinIn, pinned: Pinned) -> Content:
    found = context.store.markers.read(pin.archive, pinned.window, LineChoice(), MOST_ROWS)
    with context.store.reading(pin.archive, check_cancelled, context.budget) as reader:
        return pin_note(reader, pinned, found.markers, pin.ident)


def _log(context: Context, pin: LogPinIn, pinned: Pinned) -> Content:
    choice = LineChoice(pin.severity, tuple(pin.logs), pin.holding.strip())
    found = context.store.markers.read(pin.archive, pinned.window, choice, MOST_ROWS)
    others = sum(marker.kind != "log" for marker in found.markers)
    total = found.total - others
    with context.store.reading(pin.archive, check_cancelled, context.budget) as reader:
        return pin_log(reader, pinned, found.markers, total, pin.holding.strip())


_MAKERS: dict[type[PinBase], Callable[[Context, Any, Pinned], Content]] = {
    StripPinIn: _strips,
    FiguresPinIn: _strips,
    TicksPinIn: _strips,
    MomentPinIn: _moment,
    UsePinIn: _use,
    FactsPinIn: _facts,
    FindingPinIn: _finding,
    DifferencePinIn: _difference,
    NotePinIn: _note,
    LogPinIn: _log,
}
