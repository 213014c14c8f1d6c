"""The store and the way to a picture: bytes a sample, and the time of GET series (1 h, 8 measures, 1,300 px).

Run: .venv/bin/python -m benchmarks.store
"""

import os
import tempfile
import time
from pathlib import Path
from statistics import median

import httpx
import numpy as np
import zstandard

from benchmarks.table import show
from reditus.cli.client import Client
from reditus.cli.service import service
from reditus.core.blocks import CLOCKS
from reditus.core.measures import measure_named
from reditus.exchange import Recording
from reditus.exchange.made_up import as_recording
from reditus.server.settings import Settings
from reditus.simulator import simulate
from reditus.simulator.fernhold import STITCH_01_MORNING

MEASURES = [
    "cpu.busy", "stall.cpu.some", "memory.available", "swap.in", "disk.read.rate", "disk.queue", "net.receive.rate",
    "cpu.waiting",
]  # fmt: skip
ROUNDS = 30


def main() -> None:
    recording = as_recording(simulate(STITCH_01_MORNING))
    blocks = list(recording.blocks())
    samples = sum(block.columns * block.ticks for block in blocks)
    with tempfile.TemporaryDirectory(prefix="reditus-bench-") as data:
        os.chmod(data, 0o711)
        with service(Settings(data=Path(data)), anywhere=True) as running, Client(running.url) as client:
            client.load(recording)
            archive = client.archives()[0]
            whole_ms, floor_ms = series_ms(running.url, archive["id"]), floor(recording)
    show(
        "Store: one made-up hour at 1 s, sealed",
        [
            ("samples", f"{samples:,}"),
            ("bytes a sample, blocks with their directories", f"{archive['size_bytes'] / samples:.3f}"),
            ("bytes a sample, raw 64-bit integers", "8.000"),
        ],
    )
    show(
        "GET series: 1 h, 8 measures, 1,300 px",
        [
            ("request to last byte, median", f"{whole_ms:.1f} ms"),
            ("floor: decompress and copy as many columns", f"{floor_ms:.2f} ms"),
            ("ratio", f"{whole_ms / floor_ms:.1f} times"),
        ],
    )


def series_ms(url: str, archive: str) -> float:
    params = {"measure": MEASURES, "width": "1300"}
    spent = []
    with httpx.Client(base_url=url, trust_env=False) as http:
        for _ in range(ROUNDS):
            begun = time.perf_counter()
            http.get(f"/api/archives/{archive}/series", params=params).raise_for_status()
            spent.append((time.perf_counter() - begun) * 1000)
    return median(spent[5:])


def floor(recording: Recording) -> float:
    """Decompressing and copying the very columns that those measures read, nothing else."""
    needs = [need for name in MEASURES for need in measure_named(name).needs]
    layouts = {layout.digest: layout for layout in recording.layouts()}
    frames = [
        zstandard.ZstdCompressor(level=3).compress(np.diff(block.column(CLOCKS + at)).tobytes())
        for block in recording.blocks()
        for at, column in enumerate(layouts[block.layout].columns)
        if any(need.matches(column, None) for need in needs)
    ]
    spent = []
    for _ in range(ROUNDS):
        begun = time.perf_counter()
        for frame in frames:
            np.frombuffer(zstandard.ZstdDecompressor().decompress(frame), dtype=np.int64).copy()
        spent.append((time.perf_counter() - begun) * 1000)
    return median(spent)


if __name__ == "__main__":
    main()
