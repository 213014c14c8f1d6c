"""A look at a table before it is read: its beginning as it stands there, and as its mapping reads it."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from hashlib import sha256
from pathlib import Path

import numpy as np
import pyarrow as pa

from reditus.exchange.errors import ExchangeError
from reditus.exchange.formats import FORMATS
from reditus.exchange.incoming.guessing import column_named, guess, names_of
from reditus.exchange.incoming.mapping import MappingError, Meaning, TableMapping
from reditus.exchange.incoming.numbers import number_in, numbers_of
from reditus.exchange.incoming.printed import ANY_DAY, guess_printed, names_in
from reditus.exchange.incoming.readers import recognised
from reditus.exchange.incoming.rows import SAMPLE_BYTES, Sample, sample_of, text_of, usual_width
from reditus.exchange.incoming.series_names import series_meaning, unit_factor
from reditus.exchange.incoming.text_layout import DAYLESS, Row, TextLayout, rows_of
from reditus.exchange.incoming.times import UNKNOWN_NS, TimeReader
from reditus.exchange.packed import beginning

CELLS = 8
LINES, HEAD_LINES = 400, 30
PRINTED = "printed "
MOST_SHOWN = 200
"""Columns in one look; a file may have more."""


@dataclass(frozen=True, slots=True)
class LookColumn:
    """A column: its first cells, and its numbers in the mapping's unit where it is mapped."""

    place: int
    name: str
    cells: Sequence[str]
    values: Sequence[float]


@dataclass(frozen=True, slots=True)
class LookName:
    """What has a name in a table with a row a value, or in printed text: its first values, as they stand there, and its
    numbers in the unit that it means.
    """

    name: str
    device: str
    cells: Sequence[str]
    values: Sequence[float]
    meaning: Meaning | None
    """By the mapping or the layout, else guessed, whatever it is of; None where it is left out."""


@dataclass(frozen=True, slots=True)
class Look:
    """What a file is taken for."""

    form: str
    mapping: TableMapping | None
    doubts: Sequence[str]
    heads: Sequence[Sequence[str]]
    columns: Sequence[LookColumn]
    times_ns: Sequence[int | None]
    problem: str | None = None
    layout: TextLayout | None = None
    """Of text that is printed at an interval, in place of a mapping."""
    names: Sequence[LookName] = ()
    """Of a table with a row a value, and of printed text."""

    @property
    def title(self) -> str:
        """The format's name, as people say it."""
        return FORMATS[self.form].title


def signature_of(path: Path, name: str) -> str | None:
    """Of a table's names, or of how a printed text is laid out; None for a file that is neither, or has none."""
    if recognised(path, name) != "csv":
        return None
    with beginning(path, SAMPLE_BYTES) as plain:
        sample = sample_of(plain)
        try:
            guessed = guess(sample).mapping
        except MappingError:
            lines = text_of(plain)
            layout = guess_printed(lines)
            if layout is not None:
                names = sorted(names_in(lines.splitlines(), layout))
                return f"{PRINTED}{_signed([layout.shape, layout.begin, *layout.head, *names], '')}"
            first = next((row for row in sample.rows if row), [])
            return _signed(first, sample.delimiter)
    return _signed(names_of(sample, guessed), sample.delimiter)


def is_printed(signature: str) -> bool:
    """Whether a signature is that of a printed text, which has a layout and no mapping."""
    return signature.startswith(PRINTED)


def _signed(names: Sequence[str], delimiter: str) -> str:
    return sha256("\0".join([delimiter, *names]).encode()).hexdigest()


def look_at(path: Path, name: str, mapping: TableMapping | None, layout: TextLayout | None = None) -> Look:
    """Look at a file, by a mapping, by a layout or by a guess. Raise ExchangeError for what cannot be read at all."""
    form = recognised(path, name)
    if form != "csv":
        return Look(form, None, [], [], [], [])
    with beginning(path, SAMPLE_BYTES) as plain:
        return _look_at_text(form, plain, mapping, layout)


def _look_at_text(form: str, path: Path, mapping: TableMapping | None, layout: TextLayout | None) -> Look:
    if layout is not None:
        return _printed(form, path, layout)
    sample = sample_of(path, mapping.delimiter if mapping else None, mapping.encoding if mapping else None)
    doubts: Sequence[str] = []
    problem = None
    if mapping is None:
        try:
            guessed = guess(sample)
            mapping, doubts = guessed.mapping, guessed.doubts
        except MappingError as why:
            found = guess_printed(text_of(path))
            if found is not None:
                return _printed(form, path, found)
            problem = str(why)
    return _seen(form, sample, mapping, doubts, problem)


def _printed(form: str, path: Path, layout: TextLayout) -> Look:
    """Text that is printed at an interval: its first lines as words, and what is read of them."""
    lines = text_of(path).splitlines()[:LINES]
    heads = [line.split() for line in lines[:HEAD_LINES]]
    columns: dict[tuple[str, str], list[Row]] = {}
    times: list[str] = []
    problem, dated = None, layout
    if layout.form == "time" and layout.date is None:
        # What the lines hold is seen all the same.
        problem, dated = DAYLESS, layout.model_copy(update={"date": ANY_DAY})
    try:
        for row in rows_of(lines, dated):
            columns.setdefault((row.name, row.device), []).append(row)
            if not times or times[-1] != row.time:
                times.append(row.time)
    except MappingError as why:
        problem = str(why)
    if not columns and problem is None:
        problem = "no line of the first ones holds values by this layout"
    names = [_named(rows, layout.names) for rows in list(columns.values())[:MOST_SHOWN]]
    read = TimeReader(layout.time_mapping()).read(times).tolist() if times else []
    known = [None if at == UNKNOWN_NS or dated is not layout else at for at in read]
    if known and dated is layout and all(at is None for at in known):
        problem = problem or f"no time of the first lines is of the form {layout.form}"
    return Look(form, None, [], heads, [], known, problem, layout, names)


def _named(rows: Sequence[Row], meanings: Mapping[str, Meaning | None], decimal: str = ".") -> LookName:
    first = rows[0]
    mapped = series_meaning(meanings, first.name, [first.device], first.unit)
    up, down = mapped.scale if mapped is not None else (1, 1)
    values = [
        np.nan if found is None else found * unit_factor(first.unit, row.unit) * up / down
        for row in rows
        for found in (number_in(row.value, decimal),)
    ]
    # What it is of is no part of what the name means: that is one for all devices.
    meaning = meanings.get(first.name)
    if meaning is None and mapped is not None:
        meaning = Meaning(**column_named(first.name or "value", first.unit).model_dump(exclude={"place"}))
    return LookName(
        first.name, first.device, [row.value for row in rows[:CELLS]], values, meaning if mapped is not None else None
    )


def _names_of(mapping: TableMapping, rows: Sequence[Sequence[str]], width: int) -> list[LookName]:
    """Of a table with a row a value."""
    long = mapping.long
    if long is None or max(long.value, long.unit or 0, *long.names) >= width:
        return []
    found: dict[tuple[str, str], list[Row]] = {}
    for row in rows:
        name, *devices = (row[place].strip() for place in long.names)
        unit = row[long.unit].strip() if long.unit is not None else ""
        device = " ".join(filter(None, devices))
        found.setdefault((name, device), []).append(Row("", name, device, row[long.value], unit))
    return [_named(rows, long.meanings, mapping.decimal) for rows in list(found.values())[:MOST_SHOWN]]


def _seen(form: str, sample: Sample, mapping: TableMapping | None, doubts: Sequence[str], problem: str | None) -> Look:
    first = mapping.first_row if mapping else 0
    width = usual_width(sample.rows[first:] or sample.rows)
    rows = [row for row in sample.rows[first:] if len(row) == width]
    names = names_of(sample, mapping) if mapping else [f"column {place + 1}" for place in range(width)]
    mapped = {column.place: column for column in mapping.columns} if mapping else {}
    columns = []
    for place in range(min(width, MOST_SHOWN)):
        cells = [row[place] for row in rows]
        values: list[float] = []
        if mapping and place in mapped:
            up, down = mapped[place].scale
            values = (numbers_of(pa.array(cells, pa.string()), mapping.decimal)[0] * up / down).tolist()
        columns.append(LookColumn(place, names[place] if place < len(names) else "", cells[:CELLS], values))
    times: list[int | None] = []
    if mapping:
        try:
            mapping.check()
            times = _times(mapping, rows, width)
        except ExchangeError as why:
            problem = problem or str(why)
        if times and all(at is None for at in times):
            problem = problem or f"no time of the first rows is of the form {mapping.time.form}"
    named = _names_of(mapping, rows, width) if mapping else []
    if mapping is not None and mapping.long is not None:
        form = "csv-long"
    return Look(form, mapping, doubts, sample.rows[:first], columns, times, problem, None, named)


def _times(mapping: TableMapping, rows: Sequence[Sequence[str]], width: int) -> list[int | None]:
    if max(mapping.time.places) >= width:
        raise MappingError(f"the time would be in column {max(mapping.time.places) + 1}; the rows have {width}")
    texts = [" ".join(row[place] for place in mapping.time.places) for row in rows]
    return [None if at == UNKNOWN_NS else at for at in TimeReader(mapping.time).read(texts).tolist()]
