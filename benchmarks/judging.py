"""Judging long recordings: time against only decoding the columns that are read, what is left to do when it grows,
memory.

Run: .venv/bin/python -m benchmarks.judging [DAYS]
"""

import os
import resource
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from uuid import UUID

from benchmarks.table import show
from reditus.analysis.diagnosis import SpanCache, diagnose_timeline
from reditus.analysis.maintenance import Journal, maintain
from reditus.cli.client import Client
from reditus.cli.service import service
from reditus.core.diagnosis import needed_measures
from reditus.core.diagnosis.spans import spans_of, with_margin
from reditus.core.measures.selection import SeriesKey, needed_columns
from reditus.core.types import NS_PER_S
from reditus.core.window import Window
from reditus.exchange.simulated import SimulatedArchive
from reditus.server.settings import Settings
from reditus.simulator.large import large_host
from reditus.store.store import Store

DAY_NS = 86_400 * NS_PER_S


def main() -> None:
    days = int(sys.argv[1]) if len(sys.argv) > 1 else 7
    host = SimulatedArchive(large_host("long", cores=2, disks=2, links=1, length_s=days * 86_400))
    with tempfile.TemporaryDirectory(prefix="reditus-bench-") as data:
        os.chmod(data, 0o711)
        with service(Settings(data=Path(data), seal_every_s=3_600), anywhere=True) as running:
            with Client(running.url) as client:
                client.load(host)
            assert running.cluster
            store = Store(running.cluster.url)
            maintain(store, Journal())
            rows = []
            for name, length_days in (("24 h", 1), (f"{days} days", days)):
                rows += _of(store, host.archive, name, length_days * DAY_NS)
            store.close()
    show("Judging a simulated host of 2 cores, 2 disks, every second", [*rows, ("memory at most", _peak())])


def _of(store: Store, archive: UUID, name: str, length_ns: int) -> list[tuple[str, str]]:
    memory = SpanCache()

    def judge() -> object:
        with store.reading(archive) as reader:
            end_ns = reader.extent.last_ns or 0
            return diagnose_timeline(reader, Window(end_ns - length_ns, end_ns), memory)

    def decode() -> None:
        keys = tuple(SeriesKey(measure, None) for measure in needed_measures())
        with store.reading(archive) as reader:
            end_ns, interval_ns = reader.extent.last_ns or 0, reader.extent.interval_ns or NS_PER_S
            columns = needed_columns(reader.known, keys)
            for span in spans_of(Window(end_ns - length_ns, end_ns), interval_ns):
                reader.frame(columns, with_margin(span, interval_ns))

    decoded_s, judged_s, again_s = _timed(decode), _timed(judge), _timed(judge)
    return [
        (f"{name}: decoding what is read", f"{decoded_s:.2f} s"),
        (f"{name}: judging, decoding included", f"{judged_s:.2f} s, {judged_s / decoded_s:.1f} times decoding"),
        (f"{name}: judging once more, nothing changed", f"{again_s:.2f} s"),
    ]


def _timed(work: Callable[[], object]) -> float:
    begun = time.perf_counter()
    work()
    return time.perf_counter() - begun


def _peak() -> str:
    return f"{resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024:,.0f} MiB"


if __name__ == "__main__":
    main()
