"""Tables as Apache Arrow: an IPC stream, and Parquet. Measures are doubles, times are timestamps in UTC."""

from collections.abc import Iterator
from tempfile import SpooledTemporaryFile

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


def write_stream(table: Table) -> Iterator[bytes]:
    """An Arrow IPC stream, a record batch a piece."""
    schema = schema_of(table)
    sink = pa.BufferOutputStream()
    with pa.ipc.new_stream(sink, schema) as writer:
        for piece in table.pieces:
            writer.write_batch(_batch(piece, schema))
    yield from _chunks(sink.getvalue())


def _chunks(buffer: pa.Buffer) -> Iterator[bytes]:
    for start in range(0, buffer.size, READ_BYTES):
        yield buffer.slice(start, min(READ_BYTES, buffer.size - start)).to_pybytes()


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
