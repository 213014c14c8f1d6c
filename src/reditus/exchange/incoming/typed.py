"""Tables whose columns have types already: Parquet, Arrow IPC streams, and JSON lines of numbers."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from itertools import islice
from pathlib import Path
from typing import Any

import numpy as np
import orjson
import pyarrow as pa
import pyarrow.parquet as pq

from reditus.core.types import FloatArray, IntArray
from reditus.exchange.incoming.guessing import column_named
from reditus.exchange.incoming.mapping import MOST_COLUMNS, ColumnMapping, MappingError, TimeMapping
from reditus.exchange.incoming.times import UNKNOWN_NS, TimeReader, guessed_form

MOST_VALUES = 1 << 24
"""Of one row group or batch, decoded."""
LINES_AT_ONCE = 4_096
MOST_LINE_BYTES = 4 << 20
Chunk = tuple[IntArray, FloatArray]


@dataclass(frozen=True, slots=True)
class TypedTable:
    """Columns, and their ticks chunk by chunk."""

    columns: list[ColumnMapping]
    chunks: Iterator[Chunk]
    remarks: list[str]


def parquet_table(path: Path) -> TypedTable:
    """A Parquet file of measures. Raise MappingError."""
    try:
        file = pq.ParquetFile(path)
        schema = file.schema_arrow
    except (pa.ArrowException, OSError) as why:
        raise MappingError(f"the file cannot be read as Parquet: {str(why)[:200]}") from why
    time, columns, remarks = _described(schema)

    def chunks() -> Iterator[Chunk]:
        with file:
            for group in range(file.num_row_groups):
                _check_size(file.metadata.row_group(group).num_rows, len(schema))
                yield from _chunk(file.read_row_group(group), time, columns)

    return TypedTable(columns, _readable(chunks(), "Parquet"), remarks)


def arrow_table(path: Path) -> TypedTable:
    """An Arrow IPC stream of measures. Raise MappingError."""
    try:
        with pa.OSFile(str(path)) as source, pa.ipc.open_stream(source) as stream:
            schema = stream.schema
    except (pa.ArrowException, OSError) as why:
        raise MappingError(f"the file cannot be read as an Arrow IPC stream: {str(why)[:200]}") from why
    time, columns, remarks = _described(schema)

    def chunks() -> Iterator[Chunk]:
        with pa.OSFile(str(path)) as source, pa.ipc.open_stream(source) as stream:
            for batch in stream:
                _check_size(batch.num_rows, len(schema))
                batch.validate(full=True)
                yield from _chunk(pa.table(batch), time, columns)

    return TypedTable(columns, _readable(chunks(), "an Arrow IPC stream"), remarks)


def _readable(chunks: Iterator[Chunk], what: str) -> Iterator[Chunk]:
    try:
        yield from chunks
    except (pa.ArrowException, OSError) as why:
        raise MappingError(f"the file cannot be read as {what}: {str(why)[:200]}") from why


def _check_size(rows: int, columns: int) -> None:
    if rows * columns > MOST_VALUES:
        raise MappingError(
            f"a part of the file has {rows:,} rows of {columns:,} columns; at most {MOST_VALUES:,} values are read at "
            "once. Write it in smaller row groups"
        )


def _described(schema: pa.Schema) -> tuple[int, list[ColumnMapping], list[str]]:
    """Which column is the time, and what the others mean."""
    try:
        return _columns_of(schema)
    except UnicodeDecodeError as why:
        raise MappingError(f"the name of a column is no UTF-8: {why}") from why


def _columns_of(schema: pa.Schema) -> tuple[int, list[ColumnMapping], list[str]]:
    if len(schema) > MOST_COLUMNS:
        raise MappingError(f"the file has {len(schema):,} columns; at most {MOST_COLUMNS:,} are taken")
    times = [place for place, field in enumerate(schema) if pa.types.is_timestamp(field.type)]
    if not times:
        raise MappingError("no column is a timestamp, so that nothing says when its numbers are of")
    columns, left, seen = [], [], set[str]()
    # All names, also the time's, which is not needed: one that is none would be found in the middle of the reading.
    names = [field.name for field in schema]
    for place, field in enumerate(schema):
        if place in times:
            continue
        if not (pa.types.is_floating(field.type) or pa.types.is_integer(field.type) or pa.types.is_boolean(field.type)):
            left.append(names[place])
            continue
        metadata = {
            key.decode("utf-8", "replace"): text.decode("utf-8", "replace")
            for key, text in (field.metadata or {}).items()
        }
        columns.append(_distinct(column_named(names[place] or "value", metadata.get("unit", ""), place=place), seen))
    if not columns:
        raise MappingError("no column beside the time holds numbers")
    remarks = [f"{', '.join(left[:5])}: no numbers; left out"] if left else []
    return times[0], columns, remarks


def _distinct(column: ColumnMapping, seen: set[str]) -> ColumnMapping:
    key = f"{column.counter} {sorted(column.attributes.items())}"
    if key in seen:
        column = column_named(f"{column.counter} ({column.place + 1})", column.unit, place=column.place)
    seen.add(key)
    return column


def _chunk(table: pa.Table, time: int, columns: Sequence[ColumnMapping]) -> Iterator[Chunk]:
    if table.num_rows == 0:
        return
    at = table.column(time).combine_chunks().cast(pa.timestamp("ns"), safe=False)
    known = np.asarray(at.is_valid())
    times_ns = at.fill_null(0).cast(pa.int64()).to_numpy(zero_copy_only=False)
    values = np.empty((table.num_rows, len(columns)))
    for place, column in enumerate(columns):
        numbers = table.column(column.place).combine_chunks().cast(pa.float64(), safe=False)
        values[:, place] = numbers.to_numpy(zero_copy_only=False)
    yield times_ns[known], values[known]


def lines_table(path: Path) -> TypedTable:
    """JSON lines: an object a tick, with a time and numbers, which the first lines name. Raise MappingError."""
    first = next(_objects(path), None)
    if first is None:
        raise MappingError("the file is empty")
    time, form = _time_in(first)
    names = list(
        dict.fromkeys(name for some in islice(_objects(path), 4) for row in some for name in row if name != time)
    )
    names = [name for name in names if any(_is_number(row.get(name)) for row in first)]
    if not names:
        raise MappingError("no key beside the time holds numbers")
    if len(names) > MOST_COLUMNS:
        raise MappingError(f"the objects have {len(names):,} keys; at most {MOST_COLUMNS:,} are taken")
    seen: set[str] = set()
    columns = [_distinct(column_named(name, "", place=place), seen) for place, name in enumerate(names)]
    reader = TimeReader(TimeMapping(places=[0], form=form))

    def chunks() -> Iterator[Chunk]:
        for rows in _objects(path):
            times_ns = reader.read([str(row.get(time, "")) for row in rows])
            values = np.array(
                [[float(row[name]) if _is_number(row.get(name)) else np.nan for name in names] for row in rows]
            )
            known = times_ns != UNKNOWN_NS
            yield times_ns[known], values[known]

    return TypedTable(columns, chunks(), [])


def _objects(path: Path) -> Iterator[list[Mapping[str, Any]]]:
    with path.open("rb") as file:
        number = 0
        while lines := _some_lines(file):
            rows: list[Mapping[str, Any]] = []
            for line in lines:
                number += 1
                if not line.strip():
                    continue
                try:
                    row = orjson.loads(line)
                except orjson.JSONDecodeError as why:
                    raise MappingError(f"line {number:,} is no JSON: {why}") from why
                if not isinstance(row, dict):
                    raise MappingError(f"line {number:,} is no object with a time and numbers")
                rows.append(row)
            if rows:
                yield rows


def _some_lines(file: Any) -> list[bytes]:
    lines = []
    for _ in range(LINES_AT_ONCE):
        line = file.readline(MOST_LINE_BYTES + 1)
        if len(line) > MOST_LINE_BYTES:
            raise MappingError(f"a line has over {MOST_LINE_BYTES:,} bytes")
        if not line:
            break
        lines.append(line)
    return lines


def _is_number(value: object) -> bool:
    return isinstance(value, int | float) and not isinstance(value, bool)


def _time_in(rows: Sequence[Mapping[str, Any]]) -> tuple[str, str]:
    """The key that holds the time, and its form."""
    names = list(dict.fromkeys(name for row in rows for name in row))
    names.sort(key=lambda name: "time" not in name.lower())
    for name in names:
        form = guessed_form([str(row[name]) for row in rows if name in row])
        if form is not None:
            return name, form
    raise MappingError("no key of the objects is a time in a notation that is known")
