"""Tables as Apache Arrow: an IPC stream, and Parquet. Measures are doubles, times are timestamps in UTC."""

from collections.abc import Iterator
from io import RawIOBase
from tempfile import SpooledTemporaryFile
from typing import Any

import pyarrow as pa
import pyarrow.parquet as pq

from reditus.exchange.tables.table import Piece, Table

TIME = "time"
HELD_BYTES = 8 << 20
READ_BYTES = 1 << 20


def schema_of(table: Table) -> pa.Schema:
    """The columns; measure, device, title and unit stand in their metadata, host and archive in the schema's."""
    fields = [pa.field(TIME, pa.timestamp("ns", tz="UTC"), nullable=False)]
    fields += [
        pa.field(
            head.name,
            pa.float64(),
            metadata={"measure": head.measure, "device": head.device or "", "title": head.title, "unit": head.unit},
        )
        for head in table.heads
    ]
    return pa.schema(fields, {"reditus.host": table.host, "reditus.archive": table.archive})


def _batch(piece: Piece, schema: pa.Schema) -> pa.RecordBatch:
    times = pa.array(piece.times_ns, pa.timestamp("ns", tz="UTC"))
    # NaN is what is unknown: null, as Arrow has it.
    return pa.record_batch([times, *(pa.array(column, from_pandas=True) for column in piece.columns)], schema=schema)


class _Sink(RawIOBase):
    """Holds what was written since the last look."""

    def __init__(self) -> None:
        self._held: list[bytes] = []

    def writable(self) -> bool:
        """It is there to be written."""
        return True

    def write(self, data: Any, /) -> int:
        """Hold a part."""
        self._held.append(bytes(data))
        return len(self._held[-1])

    def taken(self) -> Iterator[bytes]:
        """What is held, once."""
        held, self._held = self._held, []
        yield from held


def write_stream(table: Table) -> Iterator[bytes]:
    """An Arrow IPC stream, a record batch a piece, each handed on as it is written."""
    schema, sink = schema_of(table), _Sink()
    with pa.ipc.new_stream(pa.PythonFile(sink, mode="w"), schema) as writer:
        for piece in table.pieces:
            writer.write_batch(_batch(piece, schema))
            yield from sink.taken()
    yield from sink.taken()


def write_parquet(table: Table) -> Iterator[bytes]:
    """A Parquet file, a row group a piece."""
    schema = schema_of(table)
    with SpooledTemporaryFile(HELD_BYTES) as held:
        with pq.ParquetWriter(held, schema, compression="zstd") as writer:
            for piece in table.pieces:
                writer.write_batch(_batch(piece, schema))
        held.seek(0)
        while part := held.read(READ_BYTES):
            yield part
