"""A million values in a notebook, against what pyarrow needs to read the same from a local file. Prints ratios.

Run: .venv/bin/python -m benchmarks.notebook

The first request: the server reads blocks, derives the measures and writes the stream before its first byte is
sent. The next one for the same is answered from what was written. What is on the machine already may lie there as
the stream itself, or as the Parquet file that Reditus writes of the same table.
"""

import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from statistics import median

import pyarrow as pa
import pyarrow.parquet as pq

import reditus
from benchmarks.load import wait_for_rest
from benchmarks.table import show
from reditus import client as notebooks
from reditus.cli.client import Client
from reditus.cli.service import service
from reditus.client.timeline import _whole
from reditus.core.rfc3339 import spell_time
from reditus.exchange.simulated import SimulatedArchive
from reditus.server.settings import Settings
from reditus.simulator.fernhold import ARCHIVES

ROUNDS = 7
VALUES = 1_000_000


def main() -> None:
    night = SimulatedArchive.of(ARCHIVES[0])
    with tempfile.TemporaryDirectory(prefix="reditus-notebook-") as name:
        folder = Path(name)
        folder.chmod(0o711)
        with service(Settings(data=folder / "data"), anywhere=True) as running:
            with Client(running.url) as client:
                client.load(night)
            timeline = reditus.connect(running.url).archive(str(night.archive))
            names = _names(timeline, VALUES)
            reads = timeline.measures(*names)
            table = reads.arrow()
            path = folder / "same.arrows"
            with pa.OSFile(str(path), "wb") as sink, pa.ipc.new_stream(sink, table.schema) as stream:
                stream.write_table(table)
            packed = folder / "same.parquet"
            packed.write_bytes(_answer_as(reads, "parquet"))
            wait_for_rest(running.children["server"].pid)
            local_s, again_s, received_s = _usual(lambda: _read(path)), _usual(reads.arrow), _usual_received(reads)
            packed_s = _usual(lambda: pq.read_table(packed))
            # Each begins a tick later, and so is another one.
            first_s = median(_first(timeline, names, table, number) for number in range(1, ROUNDS + 1))
    values = table.num_rows * (table.num_columns - 1)
    show(
        f"{values:,} values of {len(names)} measures, {path.name}",
        [
            ("pyarrow from a local file", f"{local_s * 1e3:.1f} ms, 1"),
            ("pyarrow from the same as Parquet", f"{packed_s * 1e3:.1f} ms, {packed_s / local_s:.1f}"),
            ("the client from first byte to table", f"{received_s * 1e3:.1f} ms, {received_s / local_s:.1f}"),
            ("the same requested again", f"{again_s * 1e3:.1f} ms, {again_s / local_s:.1f}"),
            ("requested for the first time", f"{first_s * 1e3:.1f} ms, {first_s / local_s:.1f}"),
        ],
    )


def _names(timeline: notebooks.Timeline, values: int) -> list[str]:
    """Measures enough for so many values."""
    rows = timeline.measures("cpu.busy").arrow().num_rows
    return list(timeline.available())[: values // rows + 1]


def _read(path: Path) -> pa.Table:
    with pa.OSFile(str(path)) as source, pa.ipc.open_stream(source) as stream:
        return stream.read_all()


def _answer_as(reads: notebooks.Measures, form: str) -> bytes:
    query = {"measure": list(reads.names), "format": form}
    with reads.timeline.server.get(f"/api/archives/{reads.timeline.id}/table", query) as answer:
        return answer.read()


def _usual_received(reads: notebooks.Measures) -> float:
    took_s = []
    for _ in range(ROUNDS):
        with reads._answer() as answer:
            begun_s = time.perf_counter()
            pa.ipc.open_stream(pa.py_buffer(_whole(answer))).read_all()
            took_s.append(time.perf_counter() - begun_s)
    return median(took_s)


def _first(timeline: notebooks.Timeline, names: list[str], table: pa.Table, number: int) -> float:
    start = spell_time(int(table.column("time")[number].value))
    reads = timeline.window(start, "30d").measures(*names)
    begun_s = time.perf_counter()
    reads.arrow()
    return time.perf_counter() - begun_s


def _usual(work: Callable[[], object]) -> float:
    took_s = []
    for _ in range(ROUNDS):
        begun_s = time.perf_counter()
        work()
        took_s.append(time.perf_counter() - begun_s)
    return median(took_s)


if __name__ == "__main__":
    main()
