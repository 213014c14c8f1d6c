"""Counters of one schema as Parquet: raw numbers, as they were recorded, for readers without Reditus and back."""

import json
from collections.abc import Iterable, Iterator, Sequence
from io import BytesIO
from typing import BinaryIO
from uuid import UUID

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq

from reditus.core.blocks import MAX_TICKS, Block, Stretch, encode_block
from reditus.core.errors import BlockError, SchemaError
from reditus.core.outside import OutsideError, check_value, strict_json
from reditus.core.schema import Column, Schema
from reditus.core.types import IntArray
from reditus.exchange.archive_file.manifest import ArchiveFileError

PARQUET = "application/vnd.apache.parquet"
WALL, MONOTONIC, BOOT, INTERVAL = "time", "monotonic_ns", "boot", "interval_ns"
CLOCKS = (WALL, MONOTONIC, BOOT, INTERVAL)
SCHEMA_KEY, ABOUT_KEY = b"reditus.schema", b"reditus.archive"
MOST_ABOUT_BYTES = 1 << 16
MOST_SCHEMA_BYTES = 1 << 20
MOST_GROUP_VALUES = 1 << 24
"""No file of ours has row groups of more; one that does would fill the memory."""


def column_name(column: Column) -> str:
    """A counter with its attributes, as OpenMetrics writes them.

    >>> from reditus.core.schema import Kind
    >>> column_name(Column.of("system.disk.io", {"system.device": "sda"}, unit="By", kind=Kind.CUMULATIVE))
    'system.disk.io{system.device="sda"}'
    """
    attributes = ",".join(f"{key}={json.dumps(value, ensure_ascii=False)}" for key, value in column.attributes)
    return f"{column.counter}{{{attributes}}}" if attributes else column.counter


def arrow_schema(schema: Schema, about: str | None) -> pa.Schema:
    """One row a tick: wall time in UTC, monotonic clock, boot, planned interval, and every counter. The value in a
    counter's unit is the number times scale[0] over scale[1]; both stand in the column's metadata, with its kind.
    """
    fields = [
        pa.field(WALL, pa.timestamp("ns", tz="UTC"), nullable=False),
        pa.field(MONOTONIC, pa.int64(), nullable=False),
        pa.field(BOOT, pa.string(), nullable=False),
        pa.field(INTERVAL, pa.int64(), nullable=False),
    ]
    fields += [
        pa.field(
            column_name(column),
            pa.float64() if column.double else pa.int64(),
            nullable=False,
            metadata={
                "unit": column.unit, "kind": column.kind.value, "bits": str(column.bits),
                "scale": f"{column.scale[0]}/{column.scale[1]}",
            },
        )
        for column in schema.columns
    ]  # fmt: skip
    metadata = {SCHEMA_KEY: schema.canonical}
    return pa.schema(fields, metadata if about is None else metadata | {ABOUT_KEY: about.encode()})


def write_columns(file: BinaryIO, schema: Schema, blocks: Iterable[Block], about: str | None = None) -> int:
    """Blocks of one schema, a row group a block; return how many ticks. `about` says whose they are, as JSON."""
    described, ticks = arrow_schema(schema, about), 0
    with pq.ParquetWriter(file, described, compression="zstd", use_dictionary=[BOOT]) as writer:
        for block in blocks:
            writer.write_batch(_rows(block, schema, described))
            ticks += block.ticks
    return ticks


def _rows(block: Block, schema: Schema, described: pa.Schema) -> pa.RecordBatch:
    stretch = block.stretch()
    arrays = [
        pa.array(stretch.wall_ns, pa.timestamp("ns", tz="UTC")),
        pa.array(stretch.monotonic_ns, pa.int64()),
        pa.array([str(block.boot)] * block.ticks),
        pa.array(np.full(block.ticks, block.interval_ns), pa.int64()),
    ]
    for place, column in enumerate(schema.columns):
        values = np.ascontiguousarray(stretch.values[:, place])
        # To the bit: a NaN of whatever payload stays what it was.
        arrays.append(pa.array(values.view(np.float64) if column.double else values))
    return pa.record_batch(arrays, schema=described)


def table_of(schema: Schema, blocks: Sequence[Block]) -> bytes:
    """The same in memory."""
    whole = BytesIO()
    write_columns(whole, schema, blocks)
    return whole.getvalue()


def schema_in(file: pq.ParquetFile) -> Schema:
    """The schema that a file of ours was written with. Raise ArchiveFileError for another file."""
    given = (file.schema_arrow.metadata or {}).get(SCHEMA_KEY)
    if given is None:
        raise ArchiveFileError(
            "this Parquet file has no counters of Reditus: its metadata has no 'reditus.schema'. Measures that were "
            "exported are read as a table"
        )
    try:
        if len(given) > MOST_SCHEMA_BYTES:
            raise ArchiveFileError(f"its schema has {len(given):,} bytes; at most {MOST_SCHEMA_BYTES:,} are taken")
        described = strict_json(given)
        check_value(described)
        schema = Schema.from_json(described)
    except (OutsideError, SchemaError) as why:
        raise ArchiveFileError(f"the Parquet file's 'reditus.schema' is none: {why}") from why
    wanted = [(field.name, field.type) for field in arrow_schema(schema, None)]
    found = [(field.name, field.type) for field in file.schema_arrow]
    if wanted != found:
        raise ArchiveFileError("the Parquet file's columns are not those that its 'reditus.schema' describes")
    return schema


def blocks_in(file: pq.ParquetFile, schema: Schema, archive: UUID) -> Iterator[Block]:
    """The blocks of a file, one by one. Raise ArchiveFileError for what cannot have been recorded."""
    for group in range(file.num_row_groups):
        rows = file.metadata.row_group(group).num_rows
        values = rows * (len(schema.columns) + len(CLOCKS))
        if values > MOST_GROUP_VALUES:
            raise ArchiveFileError(f"a row group has {values:,} values; at most {MOST_GROUP_VALUES:,} are taken")
        table = file.read_row_group(group)
        if any(column.null_count for column in table.columns):
            raise ArchiveFileError("a column has nulls; counters as they were recorded have none")
        yield from _blocks(table, schema, archive)


def _blocks(table: pa.Table, schema: Schema, archive: UUID) -> Iterator[Block]:
    if table.num_rows == 0:
        return
    wall_ns, monotonic_ns, interval_ns = (_integers(table[name]) for name in (WALL, MONOTONIC, INTERVAL))
    boots = np.asarray(table[BOOT].to_pylist())
    counters = [_integers(table.column(len(CLOCKS) + place)) for place in range(len(schema.columns))]
    values = np.stack(counters, axis=1)
    changes = np.flatnonzero((boots[1:] != boots[:-1]) | (interval_ns[1:] != interval_ns[:-1])) + 1
    for start, end in zip([0, *changes.tolist()], [*changes.tolist(), len(boots)], strict=True):
        for begin in range(start, end, MAX_TICKS):
            part = slice(begin, min(begin + MAX_TICKS, end))
            try:
                yield encode_block(
                    Stretch(wall_ns[part], monotonic_ns[part], values[part]),
                    archive=archive,
                    boot=UUID(str(boots[begin])),
                    schema=schema.digest,
                    interval_ns=int(interval_ns[begin]),
                )
            except (ValueError, BlockError) as why:
                raise ArchiveFileError(f"row {begin} is no tick: {why}") from why


def _integers(column: pa.ChunkedArray) -> IntArray:
    plain = column.combine_chunks()
    if pa.types.is_timestamp(plain.type):
        plain = plain.cast(pa.int64())
    values = plain.to_numpy(zero_copy_only=False)
    return np.ascontiguousarray(values).view(np.int64)
