"""A million values in a notebook, against what pyarrow needs to read the same from a local file. Prints ratios.

Run: .venv/bin/python -m benchmarks.notebook

The whole request: the server reads blocks, derives the measures and writes the stream before its first
byte is sent. The client adds what lies between the first byte and a table.
"""

import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from statistics import median

import pyarrow as pa

import reditus
from benchmarks.table import show
from reditus import client as notebooks
from reditus.cli.client import Client
from reditus.cli.service import service
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
            local_s = _usual(lambda: _read(path))
            whole_s = _usual(reads.arrow)
            received_s = median(_received(reads) for _ in range(ROUNDS))
    values = table.num_rows * (table.num_columns - 1)
    show(
        f"{values:,} values of {len(names)} measures, {path.name}",
        [
            ("pyarrow from a local file", f"{local_s * 1e3:.1f} ms, 1"),
            ("the client from first byte to table", f"{received_s * 1e3:.1f} ms, {received_s / local_s:.1f}"),
            ("the whole request", f"{whole_s * 1e3:.1f} ms, {whole_s / local_s:.1f}"),
        ],
    )


def _names(timeline: notebooks.Timeline, values: int) -> list[str]:
    """Measures enough for so many values."""
    rows = timeline.measures("cpu.busy").arrow().num_rows
    return list(timeline.available())[: values // rows + 1]


def _read(path: Path) -> pa.Table:
    with pa.OSFile(str(path)) as source, pa.ipc.open_stream(source) as stream:
        return stream.read_all()


def _received(reads: notebooks.Measures) -> float:
    with reads._answer() as answer:
        begun_s = time.perf_counter()
        pa.ipc.open_stream(pa.py_buffer(answer.read())).read_all()
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
