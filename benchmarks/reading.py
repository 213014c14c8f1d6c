"""Reading: from the database to bins of 1,300 pixels, and the whole answer over HTTP while a recorder writes.

Run: .venv/bin/python -m benchmarks.reading
"""

import os
import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from statistics import median
from uuid import UUID

import httpx
import numpy as np
import zstandard

from benchmarks.table import show
from reditus.analysis import series
from reditus.analysis.maintenance import Journal, maintain
from reditus.cli.child_processes import Child
from reditus.cli.client import Client
from reditus.cli.service import Service, service
from reditus.core.measures.selection import needed_columns, parse_series_keys
from reditus.core.rfc3339 import spell_time
from reditus.core.types import NS_PER_S
from reditus.core.window import Window
from reditus.exchange.simulated import SimulatedArchive
from reditus.server.allocator import configure_allocator
from reditus.server.settings import Settings
from reditus.simulator.large import large_host
from reditus.store.store import Store

DAY_NS = 86_400 * NS_PER_S
DISKS = ("nvme0n1", "sd1", "sd2", "nvme3n1")
SINGLE = [f"disk.{way}.{what}@{disk}" for disk in DISKS for way in ("read", "write") for what in ("rate", "requests")]
"""Sixteen series of one counter each."""
MIXED = [
    "cpu.busy", "cpu.waiting", "stall.cpu.some", "stall.io.some", "stall.memory.some", "memory.available", "swap.in",
    "swap.out", "disk.read.rate", "disk.write.rate", "disk.queue", "disk.wait", "disk.busy", "net.receive.rate",
    "net.send.rate", "memory.used",
]  # fmt: skip
"""Sixteen measures of the machine, together of some sixty counters."""
WIDTH = 1_300
ROUNDS = 15


def main() -> None:
    week = SimulatedArchive(large_host("week", cores=4, disks=4, links=2, length_s=7 * 86_400))
    past = large_host("year", cores=4, disks=4, links=2, length_s=365 * 86_400, interval_s=60.0)
    year = SimulatedArchive(replace(past, begin_ns=past.begin_ns - 365 * DAY_NS))
    with tempfile.TemporaryDirectory(prefix="reditus-bench-") as data:
        os.chmod(data, 0o711)
        with service(Settings(data=Path(data), seal_every_s=3_600), anywhere=True) as running:
            with Client(running.url) as client:
                for host in (week, year):
                    client.load(host)
            assert running.cluster
            configure_allocator()  # as the server does
            store, forgetful = Store(running.cluster.url), Store(running.cluster.url, cache_bytes=0)
            maintain(store, Journal())
            recorder = _recorder(running)
            try:
                measured(running, store, forgetful, week.archive, year.archive)
            finally:
                recorder.stop()
                store.close()
                forgetful.close()


def _recorder(running: Service) -> Child:
    arguments = ["--server", running.url, "--spool", str(running.spool), "--name", "beside", "--every", "1s"]
    return Child("reditus.recorder", arguments, log=running.logs / "recorder.log")


def measured(running: Service, store: Store, forgetful: Store, week: UUID, year: UUID) -> None:
    """`forgetful` keeps nothing of what it reads: what it takes is what the first look takes."""
    with store.reading(week) as reader:
        week_end_ns = reader.extent.last_ns or 0
    with store.reading(year) as reader:
        year_end_ns = reader.extent.last_ns or 0
    cases = [
        ("1 h, 16 series", week, SINGLE, week_end_ns, DAY_NS // 24, 10.0),
        ("1 h, 16 measures", week, MIXED, week_end_ns, DAY_NS // 24, None),
        ("24 h from ticks, 16 series", week, SINGLE, week_end_ns, DAY_NS, 60.0),
        ("24 h from ticks, 16 measures", week, MIXED, week_end_ns, DAY_NS, None),
        ("7 days from rollups, 16 series", week, SINGLE, week_end_ns, 7 * DAY_NS, 25.0),
        ("7 days from rollups, 16 measures", week, MIXED, week_end_ns, 7 * DAY_NS, None),
        ("31 days, 4 series", year, SINGLE[:4], year_end_ns, 31 * DAY_NS, 25.0),
        ("a year, 4 series", year, SINGLE[:4], year_end_ns, 365 * DAY_NS, 50.0),
    ]
    rows = []
    # A page keeps its connection too.
    client = httpx.Client(trust_env=False, timeout=60)
    for name, archive, names, end_ns, length_ns, target_ms in cases:
        window = Window(end_ns - length_ns, end_ns)
        first_ms, own_ms = (
            taking(lambda of=of, archive=archive, names=names, window=window: data_part(of, archive, names, window))
            for of in (forgetful, store)
        )
        http_ms = taking(
            lambda archive=archive, names=names, window=window: answer(client, running, archive, names, window)
        )
        floor_ms = floor(store, archive, names, window)
        aim = "" if target_ms is None else f"   target {target_ms:.0f} ms"
        rows.append(
            (name, f"data {own_ms:7.1f} ms, at first {first_ms:7.1f} ms   HTTP {http_ms:7.1f} ms"
                   f"   floor of its ticks {floor_ms:6.1f} ms   at first {first_ms / floor_ms:5.2f} times the "
                   f"floor{aim}")
        )  # fmt: skip
    window = Window(week_end_ns - 7 * DAY_NS, week_end_ns)
    raw_ms = taking(lambda: from_ticks(forgetful, week, SINGLE, window), rounds=2)
    ratio = raw_ms / floor(store, week, SINGLE, window)
    rows.append(
        ("7 days from ticks, 16 series", f"data {raw_ms:7.1f} ms   {ratio:.2f} times the floor   target 4 times")
    )
    show(f"Reading, warm, {WIDTH:,} pixels, medians of {ROUNDS}, a recorder writing beside", rows)


def taking(work: Callable[[], object], rounds: int = ROUNDS) -> float:
    spent = []
    for _ in range(rounds + 1):
        begun = time.perf_counter()
        work()
        spent.append((time.perf_counter() - begun) * 1000)
    return median(spent[1:])


def data_part(store: Store, archive: UUID, names: list[str], window: Window) -> object:
    with store.reading(archive) as reader:
        keys = [parse_series_key for name in names for parse_series_key in parse_series_keys(name, reader.known)]
        return series.drawn(reader, keys, window, WIDTH)


def from_ticks(store: Store, archive: UUID, names: list[str], window: Window) -> object:
    with store.reading(archive) as reader:
        keys = [parse_series_key for name in names for parse_series_key in parse_series_keys(name, reader.known)]
        return series.draw(series.read(reader, keys, window)[1], window, WIDTH)


def answer(client: httpx.Client, running: Service, archive: UUID, names: list[str], window: Window) -> object:
    params = {
        "measure": names, "width": str(WIDTH), "from": spell_time(window.start_ns),
        "to": spell_time(window.end_ns),
    }  # fmt: skip
    url = f"{running.url}/api/archives/{archive}/series"
    return client.get(url, params=params).raise_for_status().content


def floor(store: Store, archive: UUID, names: list[str], window: Window) -> float:
    """Decompressing and copying the very columns that those series read, an hour a frame, and nothing else."""
    with store.reading(archive) as reader:
        keys = tuple(parse_series_key for name in names for parse_series_key in parse_series_keys(name, reader.known))
        frame = reader.frame(needed_columns(reader.known, keys), window)
    frames = [
        zstandard.ZstdCompressor(level=3).compress(np.diff(series.values[start : start + 3_600]).tobytes())
        for group in frame.groups
        for series in group.series.values()
        for start in range(0, len(series.values), 3_600)
    ]

    def work() -> None:
        for packed in frames:
            np.frombuffer(zstandard.ZstdDecompressor().decompress(packed), dtype=np.int64).copy()

    return taking(work, rounds=3)


if __name__ == "__main__":
    main()
