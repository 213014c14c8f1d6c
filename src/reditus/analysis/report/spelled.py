"""Frozen numbers in words and cells, by the clock that they were frozen with."""

from reditus.analysis.exhibits.tables import OF_THE_ROW, PROBABILITY
from reditus.analysis.report.clock import Clock
from reditus.core.amounts import UNKNOWN, spell_amount
from reditus.core.durations import spell_duration
from reditus.exchange.bundle.contents import Content, Table

SPOKEN = "duration"
LEAST_P = 0.001


def spell_cell(value: str | float | int | None, unit: str | None, clock: Clock) -> str:
    """A cell of a table in its unit; texts as they are."""
    if value is None:
        return UNKNOWN
    if isinstance(value, str):
        return value
    if unit == "ns":
        return clock.instant(int(value))
    if unit == PROBABILITY:
        return f"< {LEAST_P:g}" if float(value) < LEAST_P else f"{float(value):.3f}"
    if unit == SPOKEN:
        return spell_duration(float(value))
    return spell_amount(float(value), unit or "")


def table_cells(table: Table, clock: Clock) -> tuple[list[tuple[str, bool]], list[list[str]]]:
    """Heads, each with whether it is of numbers, and rows as texts. A column of the rows' units is left out: it stands
    behind the numbers.
    """
    of_rows = any(head.unit == OF_THE_ROW for head in table.heads)
    heads = table.heads[:-1] if of_rows else table.heads
    rows = []
    for row in table.rows:
        own = str(row[-1]) if of_rows else None
        rows.append(
            [
                spell_cell(cell, own if head.unit == OF_THE_ROW else head.unit, clock)
                for cell, head in zip(row, heads, strict=False)
            ]
        )
    return [(head.title, head.unit is not None and head.unit != "ns") for head in heads], rows


def spell_versions(content: Content) -> str:
    """By what the numbers were made."""
    versions = content.versions
    return f"Reditus {versions.reditus}, derivation {versions.derivation}, rules {versions.rules}"


def spell_where(content: Content, clock: Clock) -> str:
    """Host, archive, window and clock of an exhibit."""
    source = content.source
    parts = [f"{source.host_name} · {source.archive_name}"]
    if content.end_ns - content.start_ns <= 1:
        parts.append(clock.instant(content.start_ns))
    else:
        parts.append(clock.window(content.start_ns, content.end_ns))
    parts.append(clock.name(content.start_ns, content.end_ns))
    if source.interval_s is not None:
        parts.append(f"every {spell_duration(source.interval_s)}")
    return " · ".join(parts)
