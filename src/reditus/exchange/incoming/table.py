"""Anybody's table read by its mapping, chunk by chunk, into blocks."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from itertools import repeat
from pathlib import Path
from uuid import UUID

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from reditus.core.blocks import Block
from reditus.core.durations import counted
from reditus.core.errors import SchemaError
from reditus.core.facts import HostFacts
from reditus.core.schema import Column, Kind, Schema
from reditus.core.types import FloatArray, IntArray
from reditus.exchange.incoming.building import BlockBuilder, Left
from reditus.exchange.incoming.mapping import ColumnMapping, MappingError, TableMapping
from reditus.exchange.incoming.numbers import numbers_of
from reditus.exchange.incoming.rows import Ragged, Sample, chunks_of, usual_width
from reditus.exchange.incoming.series_names import series_meaning, unit_factor
from reditus.exchange.incoming.times import UNKNOWN_NS, TimeReader

GROUP = "table"
MOST_SERIES, MOST_NAMES = 10_000, 100_000
"""Of a table with a row a value: those that are read, and all."""
MOST_SAID = 8
LEFT_OUT = -1


@dataclass(slots=True)
class TableReading:
    """A table while it is read: what came of it so far."""

    mapping: TableMapping
    archive: UUID
    boot: UUID
    ragged: Ragged = field(default_factory=Ragged)
    left: Left = field(default_factory=Left)
    timeless: int = 0
    """Rows without a time that can be read."""
    first_timeless: str | None = None
    strange: dict[str, int] = field(default_factory=dict)
    """Cells that are no numbers, by the column's name."""
    unread: set[str] = field(default_factory=set)
    """Names that are left out."""
    schemas: list[Schema] = field(default_factory=list)
    facts: HostFacts = field(default_factory=HostFacts)
    """What the columns tell of the host."""
    ticks: int = 0
    rows: int = 0

    def remarks(self) -> list[str]:
        """What was left out, and why, in sentences."""
        out = []
        if self.ragged.count:
            out.append(f"{counted(self.ragged.count, 'row')} with more or fewer cells than the others left out")
        if self.timeless:
            out.append(
                f"{counted(self.timeless, 'row')} without a time of the form {self.mapping.time.form} left out; "
                f"the first says {self.first_timeless!r}"
            )
        if self.left.backwards:
            out.append(f"{counted(self.left.backwards, 'row')} that go back in time left out")
        if self.left.twice:
            out.append(f"{counted(self.left.twice, 'row')} of a time that was there already left out")
        if self.unread:
            first = ", ".join(sorted(self.unread)[:MOST_SAID])
            more = f" and {len(self.unread) - MOST_SAID:,} more" if len(self.unread) > MOST_SAID else ""
            out.append(f"left out: {first}{more}")
        out += [f"{name}: {counted(count, 'cell')} without a number: unknown" for name, count in self.strange.items()]
        return out


def read_table(
    path: Path, sample: Sample, reading: TableReading, check: Callable[[int], None] = lambda _: None
) -> Iterator[Block]:
    """The blocks of a table. `check` is called with the rows so far, and may raise. Raise MappingError."""
    mapping = reading.mapping
    mapping.check()
    width = usual_width(sample.rows[mapping.first_row :] or sample.rows)
    wanted = set(mapping.time.places) | {column.place for column in mapping.columns}
    if mapping.long is not None:
        wanted |= {mapping.long.value, *mapping.long.names, *([] if mapping.long.unit is None else [mapping.long.unit])}
    if max(wanted) >= width:
        raise MappingError(f"the mapping speaks of column {max(wanted) + 1}; the rows have {width}")
    broken = any("\n" in cell for row in sample.rows for cell in row)
    times = TimeReader(mapping.time)
    take = _Long(reading) if mapping.long is not None else _Wide(reading)
    for chunk in chunks_of(path, mapping, width, wanted, reading.ragged, broken=broken):
        at_ns, known = _times(chunk, times, reading)
        yield from take.add(at_ns, chunk.filter(pa.array(known)))
        reading.rows += chunk.num_rows
        check(reading.rows)
    yield from take.end()
    if not reading.ticks:
        raise MappingError(
            "no row of the file can be used: " + ("; ".join(reading.remarks()) or "it has no rows behind its names")
        )


def _times(chunk: pa.RecordBatch, times: TimeReader, reading: TableReading) -> tuple[IntArray, np.ndarray]:
    columns = [pc.utf8_trim_whitespace(chunk.column(str(place))) for place in reading.mapping.time.places]
    texts = columns[0] if len(columns) == 1 else pc.binary_join_element_wise(*columns, " ")
    at_ns = times.read_all(texts)
    known = at_ns != UNKNOWN_NS
    if not known.all():
        if reading.first_timeless is None:
            reading.first_timeless = texts[int(np.flatnonzero(~known)[0])].as_py()[:60]
        reading.timeless += int((~known).sum())
    return at_ns[known], known


class _Wide:
    """A row a tick."""

    def __init__(self, reading: TableReading) -> None:
        self._reading = reading
        self._builder = BlockBuilder(
            reading.archive,
            reading.boot,
            GROUP,
            [column_of(item) for item in reading.mapping.columns],
            reading.left,
            [place for place, item in enumerate(reading.mapping.columns) if item.kind == "rate"],
        )
        reading.schemas = self._builder.schemas

    def add(self, at_ns: IntArray, chunk: pa.RecordBatch) -> Iterator[Block]:
        reading = self._reading
        values = np.empty((len(at_ns), len(reading.mapping.columns)))
        for place, item in enumerate(reading.mapping.columns):
            values[:, place], strange = numbers_of(chunk.column(str(item.place)), reading.mapping.decimal)
            if strange:
                reading.strange[item.counter] = reading.strange.get(item.counter, 0) + strange
        yield from self._builder.add(at_ns, values)
        reading.ticks = self._builder.ticks

    def end(self) -> Iterator[Block]:
        yield from self._builder.end()
        self._reading.ticks = self._builder.ticks
        self._reading.facts = self._builder.facts()


class _Long:
    """A row a value: those of one time become a tick. What has a name for the first time begins other columns."""

    def __init__(self, reading: TableReading) -> None:
        assert reading.mapping.long is not None
        self._reading, self._long = reading, reading.mapping.long
        self._series: dict[tuple[str, ...], tuple[int, str]] = {}
        """By name and what it is of: its place among the columns, and the unit that it first came in."""
        self._cells: dict[tuple[tuple[str, ...], str], tuple[int, float]] = {}
        """By the same and a unit: the place, and what a number is multiplied by to be in the first unit."""
        self._described: list[Column] = []
        self._known: dict[tuple[str, tuple[tuple[str, str], ...]], str] = {}
        self._rates: list[int] = []
        self._builder: BlockBuilder | None = None
        self._held: tuple[IntArray, IntArray, FloatArray] | None = None
        """Rows of the last time, which the next chunk may have more of."""

    def add(self, at_ns: IntArray, chunk: pa.RecordBatch) -> Iterator[Block]:
        values, strange = numbers_of(chunk.column(str(self._long.value)), self._reading.mapping.decimal)
        if strange:
            self._reading.strange["value"] = self._reading.strange.get("value", 0) + strange
        places, factors = self._places(chunk)
        values = values * factors
        read = places != LEFT_OUT
        if not read.all():
            at_ns, places, values = at_ns[read], places[read], values[read]
        if self._held is not None:
            at_ns, places, values = (
                np.concatenate(pair) for pair in zip(self._held, (at_ns, places, values), strict=True)
            )
        order = np.argsort(at_ns, kind="stable")
        at_ns, places, values = at_ns[order], places[order], values[order]
        last = at_ns == at_ns[-1] if len(at_ns) else np.zeros(0, dtype=bool)
        self._held = at_ns[last], places[last], values[last]
        yield from self._ticks(at_ns[~last], places[~last], values[~last])

    def end(self) -> Iterator[Block]:
        if self._held is not None:
            yield from self._ticks(*self._held)
        if self._builder is not None:
            yield from self._builder.end()
            self._reading.ticks += self._builder.ticks
            self._reading.facts = self._builder.facts()

    def _places(self, chunk: pa.RecordBatch) -> tuple[IntArray, FloatArray]:
        names = [chunk.column(str(place)).to_pylist() for place in self._long.names]
        units = chunk.column(str(self._long.unit)).to_pylist() if self._long.unit is not None else repeat("")
        places, factors = np.empty(chunk.num_rows, dtype=np.int64), np.empty(chunk.num_rows)
        for row, cell in enumerate(zip(zip(*names, strict=True), units, strict=False)):
            found = self._cells.get(cell)
            if found is None:
                found = self._cells[cell] = self._place(*cell)
            places[row], factors[row] = found
        return places, factors

    def _place(self, key: tuple[str, ...], unit: str) -> tuple[int, float]:
        if len(self._cells) >= MOST_NAMES:
            raise MappingError(f"the file has over {MOST_NAMES:,} different names, most of them left out")
        unit = unit.strip()
        if key not in self._series:
            self._series[key] = self._add(key, unit), unit
        place, first = self._series[key]
        return place, unit_factor(first, unit)

    def _add(self, key: tuple[str, ...], unit: str) -> int:
        """The place of what has a name for the first time; LEFT_OUT where it is not read."""
        name, *devices = (text.strip() for text in key)
        mapped = series_meaning(self._long.meanings, name, devices, unit)
        if mapped is None:
            chosen = name in self._long.meanings and self._long.meanings[name] is None
            self._reading.unread.add(name if chosen else " ".join(filter(None, (name, *devices))))
            return LEFT_OUT
        column = column_of(mapped)
        same = column.counter, column.attributes
        if same in self._known:
            raise MappingError(
                f"{self._known[same]} and {' '.join(key).strip()} are both {column.counter} with the same "
                "attributes; tell them apart by an attribute, or leave one out"
            )
        place = len(self._described)
        if place >= MOST_SERIES:
            raise MappingError(f"the file has over {MOST_SERIES:,} different names; is that its column of names?")
        self._known[same] = " ".join(key).strip()
        self._described.append(column)
        if mapped.kind == "rate":
            self._rates.append(place)
        return place

    def _ticks(self, at_ns: IntArray, places: IntArray, values: FloatArray) -> Iterator[Block]:
        if not len(at_ns):
            return
        if self._builder is None or len(self._builder.columns) < len(self._described):
            if self._builder is not None:
                yield from self._builder.end()
                self._reading.ticks += self._builder.ticks
            before = self._builder
            self._builder = BlockBuilder(
                self._reading.archive,
                self._reading.boot,
                GROUP,
                list(self._described),
                self._reading.left,
                list(self._rates),
            )
            if before is not None:
                self._builder.go_on_from(before)
            self._reading.schemas += self._builder.schemas
        ticks_ns, rows = np.unique(at_ns, return_inverse=True)
        table = np.full((len(ticks_ns), len(self._builder.columns)), np.nan)
        table[rows, places] = values
        yield from self._builder.add(ticks_ns, table)


def column_of(item: ColumnMapping) -> Column:
    """The column that a mapping describes. Raise MappingError."""
    try:
        column = Column.of(
            item.counter,
            item.attributes,
            unit=item.unit or "1",
            kind=Kind.CUMULATIVE if item.grows else Kind.LEVEL,
            scale=item.scale,
            double=True,
        )
        Column.from_json(column.as_json())
    except SchemaError as why:
        raise MappingError(f"column {item.place + 1} cannot be called so: {why}") from why
    return column
