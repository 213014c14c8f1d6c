"""Text that is printed at an interval, made into a table with a row a value."""

import csv
from collections.abc import Callable, Iterable
from pathlib import Path

import numpy as np

from reditus.core.counters import COUNTERS
from reditus.exchange.incoming.guessing import column_named
from reditus.exchange.incoming.mapping import MOST_TEXT, LongMapping, MappingError, Meaning, TableMapping
from reditus.exchange.incoming.numbers import number_in
from reditus.exchange.incoming.rows import lines_of
from reditus.exchange.incoming.text_layout import Row, TextLayout, guessed_layout, rows_of

HEAD = ("time", "name", "device", "value", "unit")
ROWS_BETWEEN = 10_000
ANY_DAY = "1970-01-01"
MOST_GUESSED = 200
"""Names whose meaning is written into a guess."""


def printed_mapping(layout: TextLayout) -> TableMapping:
    """How the rows are read that `write_rows` writes."""
    long = LongMapping(names=[1, 2], value=3, unit=4, meanings=layout.names)
    return TableMapping(time=layout.time_mapping(), long=long, names_row=0, first_row=1)


def write_rows(path: Path, target: Path, layout: TextLayout, check: Callable[[int], None]) -> None:
    """Every value of a text as a row. `check` is called with the rows so far, and may raise. Raise MappingError."""
    with target.open("w", newline="", encoding="utf-8") as file:
        out = csv.writer(file, lineterminator="\n")
        out.writerow(HEAD)
        for number, row in enumerate(rows_of(lines_of(path), layout)):
            value = row.value
            if row.unit:
                found = number_in(value, ".")
                value = value if found is None else repr(found)
            out.writerow((row.time, row.name, row.device, value, row.unit))
            if number % ROWS_BETWEEN == 0:
                check(number)


def guess_printed(text: str) -> TextLayout | None:
    """The layout of a text by its beginning, with what its names mean where that is more than a level of its own; None
    where it has none of the shapes.
    """
    layout = guessed_layout(text)
    return None if layout is None else layout.model_copy(update={"names": guessed_names(text.splitlines(), layout)})


def names_in(lines: Iterable[str], layout: TextLayout) -> set[str]:
    """The names that some lines have values for."""
    return {row.name for row in _rows(lines, layout)}


def _rows(lines: Iterable[str], layout: TextLayout) -> list[Row]:
    """The values of some lines, on any day; none where the layout cannot be: that is said where it is read."""
    dated = layout if layout.date else layout.model_copy(update={"date": ANY_DAY})
    try:
        return list(rows_of(lines, dated))
    except MappingError:
        return []


def guessed_names(lines: Iterable[str], layout: TextLayout) -> dict[str, Meaning | None]:
    """The names that are of the catalogue, or whose numbers never fall."""
    series: dict[str, dict[str, list[float]]] = {}
    units: dict[str, str] = {}
    for row in _rows(lines, layout):
        units.setdefault(row.name, row.unit)
        value = number_in(row.value, ".")
        series.setdefault(row.name, {}).setdefault(row.device, []).append(np.nan if value is None else value)
    out: dict[str, Meaning | None] = {}
    for name, by_device in series.items():
        every = [column_named(name, units[name], values=np.array(values)) for values in by_device.values()]
        first = every[0]
        is_ours = first.counter in COUNTERS
        is_name = len(name) <= MOST_TEXT and name.isprintable()
        if is_name and (is_ours or all(item.grows for item in every)) and len(out) < MOST_GUESSED:
            out[name] = Meaning(**first.model_dump(exclude={"place"}))
    return out
