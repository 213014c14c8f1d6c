"""Counters that are not in the catalogue as measures, `other.NAME`: what others count, under their own names."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from reditus.core.errors import UnknownCounter
from reditus.core.frame import Frame, Series
from reditus.core.measures.measure import (
    Measure,
    Need,
    Per,
    Reach,
    Resource,
    Unit,
    escaped,
    natural_key,
    spell_attributes,
)
from reditus.core.schema import Column, Kind

PREFIX = "other."
_LEVELS = {
    "By": Unit.BYTES, "By/s": Unit.BYTES_PER_S, "s": Unit.SECONDS, "%": Unit.SHARE, "Cel": Unit.CELSIUS,
    "W": Unit.WATTS, "Hz": Unit.HERTZ, "1/s": Unit.PER_S, "/min": Unit.PER_MIN, "1/min": Unit.PER_MIN,
}  # fmt: skip
_RATES = {"By": Unit.BYTES_PER_S, "s": Unit.SHARE, "J": Unit.WATTS}
_PLAIN = ("1", "")


@dataclass(frozen=True, slots=True, eq=False)
class OtherMeasure(Measure):
    """Growth per second of what grows, the level of what does not. Its devices are what its attributes tell apart."""

    def devices(self, columns: Iterable[Column]) -> list[str]:
        """All attributes of each column, in natural order."""
        # Without super(): a dataclass with slots is another class than the one that the method was written in.
        found = {spell_attributes(column) for column in columns if column.counter == self.needs[0].counter}
        return sorted((device for device in found if device is not None), key=natural_key)


def is_other(text: str) -> bool:
    """Whether a name is that of such a measure."""
    return text.startswith(PREFIX)


def other_name(counter: str) -> str:
    """How the measure of a counter is called in requests and links.

    >>> other_name("Queue; depth")
    'other.Queue%3B%20depth'
    """
    return f"{PREFIX}{escaped(counter)}"


def other_measure(columns: Sequence[Column]) -> OtherMeasure:
    """The measure of a counter by all of its columns; unit and kind are those of the first."""
    first = columns[0]
    counter, growing = first.counter, first.kind is Kind.CUMULATIVE
    unit, said = _unit(first)
    growth = "growth per second" if growing else "as it was sent"
    return OtherMeasure(
        name=other_name(counter),
        title=f"{counter}{said}",
        unit=unit,
        resource=Resource.OTHER,
        help=f"{counter}, counted by others: {growth}. Its unit is {first.unit or 'not said'}. No rule judges it.",
        formula="Δ / Δt" if growing else "as read",
        needs=(Need(counter, reach=Reach.THIS),),
        derive=lambda frame, device: _derive(frame, counter, device),
        per=Per.OTHER if any(column.attributes for column in columns) else None,
        whole=any(not column.attributes for column in columns),
    )


def _unit(column: Column) -> tuple[Unit, str]:
    """The unit of the measure, and what is said of it where it is none of ours."""
    if column.kind is Kind.LEVEL:
        known = _LEVELS.get(column.unit)
        plain = Unit.COUNT
    else:
        known = _RATES.get(column.unit)
        plain = Unit.PER_S
    if known is not None:
        return known, ""
    own = column.unit in _PLAIN or column.unit.startswith("{")
    return plain, "" if own else f" ({column.unit}{'' if column.kind is Kind.LEVEL else '/s'})"


def _derive(frame: Frame, counter: str, device: str | None) -> Series:
    for column in frame.columns_of(counter):
        if spell_attributes(column) == device:
            attributes = dict(column.attributes)
            series = frame.level(counter, attributes) if column.kind is Kind.LEVEL else frame.rate(counter, attributes)
            return Series(series.timebase, series.values / 100) if column.unit == "%" else series
    raise UnknownCounter(f"{counter} {device or ''}".rstrip())
