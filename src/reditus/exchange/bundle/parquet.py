"""Counters of one schema as Parquet, for readers without Reditus: raw integers, as they were recorded."""

import json
from collections.abc import Sequence
from io import BytesIO

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq

from reditus.core.blocks import Block
from reditus.core.schema import Column, Schema

PARQUET = "application/vnd.apache.parquet"
WALL, MONOTONIC, BOOT = "time", "monotonic_ns", "boot"


def column_name(column: Column) -> str:
    """A counter with its attributes, as OpenMetrics writes them.

    >>> from reditus.core.schema import Kind
    >>> column_name(Column.of("system.disk.io", {"system.device": "sda"}, unit="By", kind=Kind.CUMULATIVE))
    'system.disk.io{system.device="sda"}'
    """
    attributes = ",".join(f"{key}={json.dumps(value, ensure_ascii=False)}" for key, value in column.attributes)
    return f"{column.counter}{{{attributes}}}" if attributes else column.counter


def table_of(schema: Schema, blocks: Sequence[Block]) -> bytes:
    """One row a tick: wall time in UTC, monotonic clock, boot, and every counter. The value in a counter's unit is the
    integer times scale[0] over scale[1]; both stand in the column's metadata, with its kind.
    """
    stretches = [block.stretch() for block in blocks]
    values = np.concatenate([stretch.values for stretch in stretches])
    boots = [str(block.boot) for block, stretch in zip(blocks, stretches, strict=True) for _ in stretch.wall_ns]
    arrays = [
        pa.array(np.concatenate([stretch.wall_ns for stretch in stretches]), pa.timestamp("ns", tz="UTC")),
        pa.array(np.concatenate([stretch.monotonic_ns for stretch in stretches]), pa.int64()),
        pa.array(boots).dictionary_encode(),
        *(pa.array(values[:, place], pa.int64()) for place in range(len(schema.columns))),
    ]
    fields = [pa.field(name, array.type) for name, array in zip((WALL, MONOTONIC, BOOT), arrays[:3], strict=True)]
    fields += [
        pa.field(
            column_name(column),
            pa.int64(),
            metadata={
                "unit": column.unit, "kind": column.kind.value, "bits": str(column.bits),
                "scale": f"{column.scale[0]}/{column.scale[1]}",
            },
        )
        for column in schema.columns
    ]  # fmt: skip
    whole = BytesIO()
    metadata = {"reditus.schema": schema.canonical}
    pq.write_table(pa.table(arrays, pa.schema(fields, metadata)), whole, compression="zstd")
    return whole.getvalue()
