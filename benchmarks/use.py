"""How long it takes to tell who used what: over an hour, a day and two days at 1 s with every process slot taken.

Run: .venv/bin/python -m benchmarks.use [DAYS, default 2]

Times are of one answer through HTTP, the median of five after a first one; beside them the time for one measure over
the same stretch, and for all processes at one moment, for what they cost stands in relation to those.
"""

import os
import sys
import tempfile
import time
from pathlib import Path
from statistics import median

import httpx

from benchmarks.table import show
from reditus.cli.client import Client
from reditus.cli.service import service
from reditus.core.rfc3339 import spell_time
from reditus.core.types import NS_PER_S
from reditus.exchange.simulated import SimulatedArchive
from reditus.server.settings import Settings
from reditus.simulator.large import large_host

STRETCHES_S = (3_600, 86_400, 2 * 86_400)
TIMES = 5


def main() -> None:
    days = int(sys.argv[1]) if len(sys.argv) > 1 else 2
    scenario = large_host(cores=8, disks=24, links=2, length_s=days * 86_400, interval_s=1.0)
    rows: list[tuple[str, str]] = []
    with tempfile.TemporaryDirectory(prefix="reditus-use-") as data:
        os.chmod(data, 0o711)
        with service(Settings(data=Path(data)), anywhere=True) as running:
            with Client(running.url) as client:
                client.load(SimulatedArchive(scenario))
            with httpx.Client(base_url=f"{running.url}/api/archives/{scenario.archive}", trust_env=False) as http:
                for stretch_s in STRETCHES_S:
                    if stretch_s <= days * 86_400:
                        rows.append(_row(http, scenario.begin_ns, stretch_s))
    show("Who used what, 20 slots at 1 s: first and later answers; one measure over the same; one moment", rows)


def _row(http: httpx.Client, begin_ns: int, stretch_s: int) -> tuple[str, str]:
    window = {"from": spell_time(begin_ns), "to": spell_time(begin_ns + stretch_s * NS_PER_S)}
    first_s, later_s = _timed(http, "/use", window)
    _, measure_s = _timed(http, "/series", {**window, "measure": "cpu.busy", "width": 1_240})
    _, moment_s = _timed(http, "/processes", {"at": window["to"]})
    return (
        f"{stretch_s / 3_600:g} h",
        f"{first_s * 1000:.0f} and {later_s * 1000:.0f} ms; {measure_s * 1000:.0f} ms; {moment_s * 1000:.0f} ms",
    )


def _timed(http: httpx.Client, path: str, query: dict[str, object]) -> tuple[float, float]:
    took_s = []
    for _ in range(TIMES + 1):
        begun_s = time.perf_counter()
        http.get(path, params=query, timeout=120).raise_for_status()  # type: ignore[arg-type]
        took_s.append(time.perf_counter() - begun_s)
    return took_s[0], median(took_s[1:])


if __name__ == "__main__":
    main()
