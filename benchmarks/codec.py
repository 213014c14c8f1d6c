"""Sealed blocks against general-purpose ways to keep the same integers: size, and how fast they are written and read.

Run: .venv/bin/python -m benchmarks.codec [NAME OF AN ARCHIVE OF THE SERVICE THAT RUNS ON REDITUS_DATA]

Without an archive it uses a made-up hour; with one, what a recorder kept of a real machine.
"""

import csv
import gzip
import io
import os
import struct
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from itertools import pairwise
from pathlib import Path

import numpy as np
import psycopg
import pyarrow as pa
import pyarrow.parquet as pq
import zstandard
from sqlalchemy import create_engine, text
from sqlalchemy.engine import make_url

from benchmarks.table import show
from reditus.cli.service import settings_of_environment
from reditus.core.blocks import CLOCKS, Block, Stretch, encode_block, offsets_in
from reditus.core.checksums import verified
from reditus.core.column_codec import decode_column, decode_wall
from reditus.core.types import IntArray
from reditus.exchange.simulated import as_recording
from reditus.simulator import simulate
from reditus.simulator.fernhold import STITCH_01_MORNING
from reditus.store.database.cluster import Cluster
from reditus.store.database.offset_table import directory_in, stored

TICKS = (600, 3_600)
ROUNDS = 3
NO_IDS = {"archive": STITCH_01_MORNING.archive, "boot": STITCH_01_MORNING.archive, "schema": bytes(32)}


@dataclass(frozen=True)
class Way:
    """One way to keep a stretch."""

    name: str
    encode: Callable[[Stretch], list[bytes]]
    decode: Callable[[list[bytes], int], object]
    one: Callable[[list[bytes], int], object]
    """Reads the middle column only."""


def main() -> None:
    stretches = recorded(sys.argv[1]) if len(sys.argv) > 1 else simulated_archive()
    for ticks in TICKS:
        compare([cut for stretch in stretches for cut in cuts(stretch, ticks)], ticks)
    in_database([cut for stretch in stretches for cut in cuts(stretch, TICKS[-1])])


def simulated_archive() -> list[Stretch]:
    return [block.stretch() for block in as_recording(simulate(STITCH_01_MORNING)).blocks() if block.ticks > 1]


def recorded(name: str) -> list[Stretch]:
    """The longest run of ticks of each schema of an archive."""
    settings = settings_of_environment()
    url = settings.database_url or Cluster(settings.data / "database").url
    requested = text(
        "select b.schema_id, b.ticks, b.directory, b.data from blocks b join archives a on a.id = b.archive_id "
        "where a.name = :name order by b.schema_id, b.first_ns"
    )
    by_schema: dict[int, list[list[IntArray]]] = {}
    with create_engine(url).connect() as connection:
        for schema, ticks, directory, data in connection.execute(requested, {"name": name}):
            chunks = [bytes(data)[a:b] for a, b in pairwise(offsets_in(directory_in(bytes(directory))))]
            monotonic_ns = decode_column(chunks[1], ticks)
            columns = [decode_wall(chunks[0], monotonic_ns), *(decode_column(chunk, ticks) for chunk in chunks[1:])]
            by_schema.setdefault(schema, []).append(columns)
    out = []
    for parts in by_schema.values():
        wall, monotonic, *columns = (np.concatenate(column) for column in zip(*parts, strict=True))
        out.append(Stretch(wall, monotonic, np.stack(columns, axis=1)))
    return out


def cuts(stretch: Stretch, ticks: int) -> Iterator[Stretch]:
    for start in range(0, len(stretch.wall_ns) - ticks + 1, ticks):
        part = slice(start, start + ticks)
        yield Stretch(stretch.wall_ns[part], stretch.monotonic_ns[part], stretch.values[part])


def compare(stretches: list[Stretch], ticks: int) -> None:
    if not stretches:
        print(f"\nno stretch of {ticks:,} ticks in there")
        return
    samples = sum(stretch.values.size for stretch in stretches)
    rows = []
    floor = floor_rate(stretches, samples)
    for way in WAYS:
        kept, encode_s = timed(lambda way=way: [way.encode(stretch) for stretch in stretches])
        lengths = [len(stretch.wall_ns) for stretch in stretches]
        pairs = list(zip(kept, lengths, strict=True))
        _, decode_s = timed(lambda way=way, pairs=pairs: [way.decode(parts, count) for parts, count in pairs])
        _, one_s = timed(lambda way=way, pairs=pairs: [way.one(parts, count) for parts, count in pairs])
        size = sum(len(part) for parts in kept for part in parts)
        rows.append(
            (
                way.name,
                f"{size / samples:7.3f} B a sample   encode {samples / encode_s / 1e6:6.1f} M/s   "
                f"decode {samples / decode_s / 1e6:6.1f} M/s ({samples / decode_s / floor:4.2f} of the floor)   "
                f"one column {one_s / len(stretches) * 1e6:8.0f} µs",
            )
        )
    blocks = [(our_encode(stretch), len(stretch.wall_ns)) for stretch in stretches]
    chunks = [our_chunks(parts, count) for parts, count in blocks]
    _, verify_s = timed(lambda: [our_verify(chunk) for chunk in chunks])
    _, whole_s = timed(lambda: [our_decode(parts, count) for parts, count in blocks])
    rows.append(("checksums, of decoding with them", f"{verify_s / whole_s:.1%}"))
    rows.append(("floor: zstd and one copy", f"{floor / 1e6:.1f} M/s"))
    show(f"{len(stretches)} stretches of {ticks:,} ticks, {samples:,} samples", rows)


def timed(work: Callable[[], object]) -> tuple[object, float]:
    best = float("inf")
    for _ in range(ROUNDS):
        begun = time.perf_counter()
        out = work()
        best = min(best, time.perf_counter() - begun)
    return out, best


def floor_rate(stretches: list[Stretch], samples: int) -> float:
    """Samples a second that zstd decompression and one copy give, a frame a column: nothing that decodes
    can be faster.
    """
    frames = [
        zstandard.ZstdCompressor(level=3).compress(np.ascontiguousarray(np.diff(column)).tobytes())
        for stretch in stretches
        for column in stretch.values.T
    ]

    def work() -> None:
        for frame in frames:
            np.frombuffer(zstandard.ZstdDecompressor().decompress(frame), dtype=np.int64).copy()

    return samples / timed(work)[1]


# Ours: the directory counts, as in the database.
def our_encode(stretch: Stretch) -> list[bytes]:
    block = encode_block(stretch, interval_ns=10**9, **NO_IDS)  # type: ignore[arg-type]
    return [block.data, stored(block.directory), _ENDS.pack(block.first_ns, block.last_ns)]


_ENDS = struct.Struct("<qq")


def our_block(parts: list[bytes], ticks: int) -> Block:
    first_ns, last_ns = _ENDS.unpack(parts[2])
    return Block(
        NO_IDS["archive"], NO_IDS["boot"], b"", ticks, first_ns, last_ns, 10**9, directory_in(parts[1]), parts[0],
    )  # type: ignore[arg-type]  # fmt: skip


def our_chunks(parts: list[bytes], ticks: int) -> tuple[int, list[memoryview]]:
    """What the head contributes to a block's checksums, and its chunks with them."""
    block, data = our_block(parts, ticks), memoryview(parts[0])
    return block.seed, [data[begin:end] for begin, end in pairwise(block.offsets)]


def our_verify(chunks: tuple[int, list[memoryview]]) -> None:
    """All that checksums add to decoding a block."""
    seed, entries = chunks
    for place, chunk in enumerate(entries):
        verified(chunk, seed, place)


def our_one(parts: list[bytes], ticks: int) -> object:
    block = our_block(parts, ticks)
    return block.column(CLOCKS + block.columns // 2)


def our_decode(parts: list[bytes], ticks: int) -> object:
    block = our_block(parts, ticks)
    return [block.column(place) for place in range(CLOCKS + block.columns)]


def table(stretch: Stretch) -> pa.Table:
    columns = {"wall": stretch.wall_ns, "monotonic": stretch.monotonic_ns}
    return pa.table(columns | {f"c{at}": column for at, column in enumerate(stretch.values.T)})


def parquet_encode(stretch: Stretch) -> list[bytes]:
    out = io.BytesIO()
    pq.write_table(
        table(stretch), out, compression="zstd", compression_level=3, use_dictionary=False,
        column_encoding="DELTA_BINARY_PACKED",
    )  # fmt: skip
    return [out.getvalue()]


def parquet_one(parts: list[bytes], _: int) -> object:
    file = pq.ParquetFile(io.BytesIO(parts[0]))
    return file.read(columns=[file.schema.names[file.metadata.num_columns // 2]]).column(0).to_numpy()


def parquet_decode(parts: list[bytes], _: int) -> object:
    return [column.to_numpy() for column in pq.read_table(io.BytesIO(parts[0])).columns]


def csv_encode(stretch: Stretch) -> list[bytes]:
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerows(
        zip(stretch.wall_ns.tolist(), stretch.monotonic_ns.tolist(), *stretch.values.T.tolist(), strict=True)
    )
    return [gzip.compress(out.getvalue().encode(), 6)]


def csv_decode(parts: list[bytes], _: int) -> object:
    return [[int(value) for value in row] for row in csv.reader(io.StringIO(gzip.decompress(parts[0]).decode()))]


WAYS = (
    Way("blocks", our_encode, our_decode, our_one),
    Way("Parquet, delta and zstd", parquet_encode, parquet_decode, parquet_one),
    Way("gzip CSV", csv_encode, csv_decode, csv_decode),
)


def in_database(stretches: list[Stretch]) -> None:
    """What PostgreSQL takes for the same, all of its own included: blocks, and a row a tick with an array."""
    if not stretches:
        return
    samples = sum(stretch.values.size for stretch in stretches)
    with tempfile.TemporaryDirectory(prefix="reditus-bench-") as data:
        os.chmod(data, 0o711)
        cluster = Cluster(Path(data) / "database")
        cluster.make()
        cluster.start()
        try:
            url = make_url(cluster.url).set(drivername="postgresql").render_as_string(hide_password=False)
            with psycopg.connect(url, autocommit=True) as connection:
                rows = [_blocks_table(connection, stretches, samples), _rows_table(connection, stretches, samples)]
        finally:
            cluster.stop()
    show(f"In PostgreSQL, tables and indexes, {TICKS[-1]:,} ticks a block", rows)


def _blocks_table(connection: psycopg.Connection, stretches: list[Stretch], samples: int) -> tuple[str, str]:
    connection.execute("create table b (id int primary key, directory bytea, data bytea)")
    connection.execute("alter table b alter directory set storage plain, alter data set storage external")
    for at, stretch in enumerate(stretches):
        data, directory = our_encode(stretch)
        connection.execute("insert into b values (%s, %s, %s)", (at, directory, data))
    return "blocks", _size(connection, "b", samples)


def _rows_table(connection: psycopg.Connection, stretches: list[Stretch], samples: int) -> tuple[str, str]:
    connection.execute("create table r (id int, wall bigint, monotonic bigint, v bigint[], primary key (id, wall))")
    with connection.cursor() as cursor, cursor.copy("copy r from stdin") as copy:
        for at, stretch in enumerate(stretches):
            for wall, monotonic, row in zip(
                stretch.wall_ns.tolist(), stretch.monotonic_ns.tolist(), stretch.values.tolist(), strict=True
            ):
                copy.write_row((at, wall, monotonic, row))
    return "a row a tick, int8[]", _size(connection, "r", samples)


def _size(connection: psycopg.Connection, table: str, samples: int) -> str:
    connection.execute(f"vacuum full {table}")  # type: ignore[call-overload]
    row = connection.execute("select pg_total_relation_size(%s)", (table,)).fetchone()
    return f"{row[0] / samples:7.3f} B a sample" if row else "?"


if __name__ == "__main__":
    main()
