"""A large table of text brought in through the command line's own way: how fast, and how much memory the server takes.

Run: .venv/bin/python -m benchmarks.importing [MB]

The table is made here: a tick a second, 40 columns under names of their own, some cells empty. What is printed is the
highest memory the server had before the file came, when it was read, and by its end; the same for a tenth of the file,
so that growth with the file's size shows.
"""

import random
import sys
import tempfile
import time
from datetime import UTC, datetime
from pathlib import Path

from benchmarks.load import cpu_s, wait_for_rest
from benchmarks.table import show
from reditus.cli.client import Client
from reditus.cli.imports import ENDED, _parts
from reditus.cli.service import service
from reditus.server.settings import Settings

COLUMNS = 40
BEGIN_S = 1_794_474_000
MADE_ROWS = 20_000
"""Rows that are made; then they repeat with other times, for making them takes longer than reading them."""
LOOK_S = 0.5
MB = 10**6


def main() -> None:
    size_mb = int(sys.argv[1]) if len(sys.argv) > 1 else 1_000
    with tempfile.TemporaryDirectory(prefix="reditus-importing-") as name:
        folder = Path(name)
        folder.chmod(0o711)
        rows: list[tuple[str, str]] = []
        for mb in (size_mb // 10, size_mb):
            with service(Settings(data=folder / f"data-{mb}"), anywhere=True) as running:
                pid = running.children["server"].pid
                wait_for_rest(pid)
                path = folder / "large.csv"
                ticks = _write(path, mb * MB)
                rows += _read(running.url, pid, path, ticks)
                path.unlink()
    show(f"tables of {COLUMNS} columns", rows)


def _write(path: Path, size_bytes: int) -> int:
    """A table of about that size. Return its rows."""
    rng = random.Random(7)
    level = [rng.uniform(0, 100) for _ in range(COLUMNS)]
    cells = []
    for _ in range(MADE_ROWS):
        level = [abs(value + rng.gauss(0, 1)) for value in level]
        cells.append(",".join("" if rng.random() < 0.001 else f"{value:.3f}" for value in level))
    count = 0
    with path.open("w") as file:
        file.write("time," + ",".join(f"pump {place} (bar)" for place in range(COLUMNS)) + "\n")
        written = 0
        while written < size_bytes:
            for text in cells:
                at = datetime.fromtimestamp(BEGIN_S + count, UTC)
                written += file.write(f"{at:%Y-%m-%dT%H:%M:%S}Z,{text}\n")
                count += 1
    return count


def _read(url: str, pid: int, path: Path, ticks: int) -> list[tuple[str, str]]:
    size_mb = path.stat().st_size / MB
    before_mb, begun_s, before_cpu_s = _peak_mb(pid), time.monotonic(), cpu_s(pid)
    with Client(url) as client:
        wanted = "6a2f0c54-9a0d-4d0e-8f5e-5d1f0e3b7a11"
        client.begin_import(wanted, path.name, path.stat().st_size)
        for offset, part in _parts(path):
            client.send_part(wanted, offset, part)
        sent_s = time.monotonic() - begun_s
        client.start_import(wanted, {})
        doing: dict[str, tuple[float, float]] = {}
        while (item := client.import_state(wanted))["state"] not in ENDED:
            doing[item["state"]] = time.monotonic(), _peak_mb(pid)
            time.sleep(LOOK_S)
        took_s = time.monotonic() - begun_s
        if item["state"] != "done" or item["ticks"] != ticks:
            raise SystemExit(f"not read: {item}")
    until_s, read_mb = doing.get("reading", (begun_s + sent_s, before_mb))
    read_s = until_s - begun_s - sent_s
    return [
        (f"{size_mb:,.0f} MB, {ticks:,} ticks", f"{took_s:.0f} s, {size_mb / took_s:.1f} MB/s"),
        ("  sending, reading, storing", f"{sent_s:.0f} s, {read_s:.0f} s, {took_s - sent_s - read_s:.0f} s"),
        ("  processor time of the server", f"{cpu_s(pid) - before_cpu_s:.0f} s"),
        ("  memory at most: before, read, stored", f"{before_mb:.0f} MB, {read_mb:.0f} MB, {_peak_mb(pid):.0f} MB"),
    ]


def _peak_mb(pid: int) -> float:
    status = Path(f"/proc/{pid}/status").read_text()
    return next(int(line.split()[1]) for line in status.splitlines() if line.startswith("VmHWM")) * 1024 / MB


if __name__ == "__main__":
    main()
