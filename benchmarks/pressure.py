"""Memory from outside, and how long health and intake take while 50 heavy readings run.

Run: .venv/bin/python -m benchmarks.pressure [--interval 5] [--days 7] [--import-mb 1000] [--quick]

A server of its own is started on a folder of its own. Resident memory is that of its process as the kernel tells it
(/proc/PID/status: VmRSS, and VmHWM at the end).
"""

import argparse
import random
import tempfile
import threading
import time
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from multiprocessing import get_context
from multiprocessing.connection import Connection
from multiprocessing.sharedctypes import Synchronized
from pathlib import Path
from uuid import uuid4

import httpx
import numpy as np

from benchmarks.table import show
from reditus.cli.client import Client
from reditus.cli.service import Service, service
from reditus.core.blocks import Stretch, encode_block
from reditus.core.kernel_columns import CPU_MODES, cpu_time
from reditus.core.measures import MEASURES
from reditus.core.rfc3339 import parse_time
from reditus.core.schema import Schema
from reditus.core.types import NS_PER_S
from reditus.exchange.simulated import SimulatedArchive
from reditus.server.settings import Settings
from reditus.simulator import fernhold
from reditus.simulator.large import large_host

HEAVY = 50
TABS = 8
NAMES = [name for name in MEASURES if not name.startswith("strain.")]
BLOCKS = {"Content-Type": "application/vnd.reditus.blocks"}


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--interval", type=float, default=5.0, help="seconds between the ticks of the week of 64 cores")
    parser.add_argument("--days", type=float, default=7.0, help="its length")
    parser.add_argument("--import-mb", type=int, default=1_000, help="what is imported, in MB of blocks")
    parser.add_argument("--quick", action="store_true", help="no week and no import")
    requested = parser.parse_args()
    rows: list[tuple[str, str]] = []
    with tempfile.TemporaryDirectory(prefix="reditus-pressure-") as folder:
        Path(folder).chmod(0o711)
        with service(Settings(data=Path(folder) / "data", seal_every_s=5), anywhere=True) as running:
            server = _Server(running)
            rows.append(("after the start", server.memory()))
            with Client(running.url) as client:
                for answer in fernhold.ARCHIVES:
                    client.load(SimulatedArchive.of(answer))
            rows.append(("after the demo was loaded", server.memory()))
            archives = [item["id"] for item in httpx.get(f"{running.url}/api/archives", trust_env=False).json()]
            _walks(running.url, archives)
            rows.append((f"after the walk of the demo in {TABS} tabs", server.memory()))
            rows += _heavy(running, archives)
            rows.append((f"after {HEAVY} heavy series at once", server.memory()))
            if not requested.quick:
                rows += _week(running, server, requested.days, requested.interval)
                rows += _import(running, server, requested.import_mb)
            rows.append(("highest at any time", server.memory("VmHWM")))
    show("Memory of the server from outside, and answers under load", rows)


class _Server:
    def __init__(self, running: Service) -> None:
        self._pid = running.children["server"].pid

    def memory(self, what: str = "VmRSS") -> str:
        status = Path(f"/proc/{self._pid}/status").read_text()
        line = next(line for line in status.splitlines() if line.startswith(what))
        return f"{int(line.split()[1]) / 1024:,.0f} MiB"


def _walks(url: str, archives: list[str]) -> None:
    """Each tab opens every archive, looks at the map, at findings, at many strips near and far, and at moments."""
    with ThreadPoolExecutor(TABS) as tabs:
        for done in [tabs.submit(_walk, url, archives, seed) for seed in range(TABS)]:
            done.result()


def _walk(url: str, archives: list[str], seed: int) -> None:
    rng = random.Random(seed)
    with httpx.Client(base_url=url, timeout=600, trust_env=False) as http:
        for archive in rng.sample(archives, len(archives)):
            path = f"/api/archives/{archive}"
            _get(http, f"{path}/strain", {"width": 1_240, "devices": ["processor", "disk"]})
            _get(http, f"{path}/diagnosis", {})
            about = http.get(path).json()
            start_s, end_s = (parse_time(about[end]) / NS_PER_S for end in ("start", "end"))
            for _ in range(6):
                length_s = rng.choice((60, 600, 3_600, 14_400, 86_400))
                begin_s = rng.uniform(start_s, max(end_s - length_s, start_s))
                window = {"from": _utc(begin_s), "to": _utc(begin_s + length_s)}
                _get(http, f"{path}/series", {"measure": rng.sample(NAMES, 24), "width": 1_240, **window})
                _get(http, f"{path}/moment", {"at": _utc(begin_s + length_s / 2)})
                _get(http, f"{path}/processes", {"at": _utc(begin_s + length_s / 2)})


def _heavy(running: Service, archives: list[str]) -> list[tuple[str, str]]:
    """Whole archives, every measure, as wide as is allowed together; meanwhile health and intake are queried."""
    rng = random.Random(1)
    outcomes: list[int] = []

    def one() -> None:
        names = rng.sample(NAMES, 40)
        with httpx.Client(base_url=running.url, timeout=900, trust_env=False) as http:
            found = http.get(f"/api/archives/{rng.choice(archives)}/series", params={"measure": names, "width": 2_000})
            outcomes.append(found.status_code)

    with _timed(poll_health, running.url) as health, _timed(append, running.url) as intake:
        threads = [threading.Thread(target=one) for _ in range(HEAVY)]
        begun_s = time.perf_counter()
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        took_s = time.perf_counter() - begun_s
    counts = ", ".join(f"{outcomes.count(status)} × {status}" for status in sorted(set(outcomes)))
    return [
        (f"{HEAVY} heavy readings", f"{counts}, in {took_s:.1f} s together"),
        ("health meanwhile: median, 99th percentile, longest", _spell(health)),
        ("intake meanwhile: median, 99th percentile, longest", _spell(intake)),
    ]


@contextmanager
def _timed(work: Callable[[str, Synchronized, Connection], None], url: str) -> Iterator[list[float]]:
    """Do some work ten times a second, in a process of its own, for as long as the body runs; how long each took."""
    took_s: list[float] = []
    context = get_context("spawn")
    stop, (here, there) = context.Value("i", 0), context.Pipe()
    process = context.Process(target=work, args=(url, stop, there))
    process.start()
    here.recv()  # it is ready
    try:
        yield took_s
    finally:
        stop.value = 1
        took_s += here.recv()
        process.join()


def _repeat(work: Callable[[], object], stop: Synchronized, there: Connection) -> None:
    took_s = []
    there.send("ready")
    while not stop.value:
        begun_s = time.perf_counter()
        work()
        took_s.append(time.perf_counter() - begun_s)
        time.sleep(0.1)
    there.send(took_s)


def poll_health(url: str, stop: Synchronized, there: Connection) -> None:
    """Ask for health again and again."""
    http = httpx.Client(base_url=url, timeout=60, trust_env=False)
    _repeat(lambda: http.get("/api/health").raise_for_status(), stop, there)


def append(url: str, stop: Synchronized, there: Connection) -> None:
    """Send a recorder's batch again and again: three ticks of 400 counters."""
    http, archive, boot = httpx.Client(base_url=url, timeout=60, trust_env=False), uuid4(), uuid4()
    schema = Schema("cpu", 0, tuple(cpu_time(mode, str(core)) for core in range(40) for mode in CPU_MODES))
    begin_ns = time.time_ns() - 3_600 * NS_PER_S
    answer = {"host": {"id": str(uuid4()), "name": "witness"}, "name": "witness", "source": "recorded", "facts": {}}
    http.put(f"/api/archives/{archive}", json=answer).raise_for_status()
    http.put(f"/api/archives/{archive}/schemas/{schema.digest.hex()}", json=schema.as_json()).raise_for_status()
    tick = 0

    def send() -> None:
        nonlocal tick
        at_ns = (np.arange(3, dtype=np.int64) + tick) * NS_PER_S // 10
        tick += 3
        values = np.arange(3 * len(schema.columns), dtype=np.int64).reshape(3, -1) + tick
        block = encode_block(
            Stretch(begin_ns + at_ns, at_ns, values), archive=archive, boot=boot, schema=schema.digest,
            interval_ns=NS_PER_S // 10,
        )  # fmt: skip
        http.post(f"/api/archives/{archive}/blocks", content=block.to_bytes(), headers=BLOCKS).raise_for_status()

    _repeat(send, stop, there)


def _week(running: Service, server: _Server, days: float, interval_s: float) -> list[tuple[str, str]]:
    scenario = large_host(cores=64, length_s=round(days * 86_400), interval_s=interval_s)
    begun_s = time.perf_counter()
    with Client(running.url) as client:
        client.load(SimulatedArchive(scenario))
    loaded_s = time.perf_counter() - begun_s
    begun_s = time.perf_counter()
    found = httpx.get(f"{running.url}/api/archives/{scenario.archive}/diagnosis", timeout=1_800, trust_env=False)
    what = f"a diagnosis of {days:g} days of 64 cores, {interval_s:g} s a tick"
    outcome = f"{len(found.json()['findings'])} findings" if found.status_code == 200 else found.text[:100]
    return [
        (f"{what}: {outcome}", f"{time.perf_counter() - begun_s:.0f} s, loaded in {loaded_s:.0f} s"),
        (f"after {what}", server.memory()),
    ]


def _import(running: Service, server: _Server, megabytes: int) -> list[tuple[str, str]]:
    """Blocks of noise, which packs to nothing, as many as were requested, in requests of 8 MB."""
    rng, archive, boot = np.random.default_rng(1), uuid4(), uuid4()
    schema = Schema("cpu", 0, tuple(cpu_time(mode, str(core)) for core in range(40) for mode in CPU_MODES))
    begin_ns = 1_794_474_000 * NS_PER_S
    sent = tick = 0
    begun_s = time.perf_counter()
    with httpx.Client(base_url=running.url, timeout=300, trust_env=False) as http:
        answer = {"host": {"id": str(uuid4()), "name": "bulk"}, "name": "bulk", "source": "imported", "facts": {}}
        http.put(f"/api/archives/{archive}", json=answer).raise_for_status()
        http.put(f"/api/archives/{archive}/schemas/{schema.digest.hex()}", json=schema.as_json()).raise_for_status()
        while sent < megabytes * 1_000_000:
            at_ns = (np.arange(3_600, dtype=np.int64) + tick) * NS_PER_S
            values = rng.integers(0, 1 << 62, (3_600, len(schema.columns)))
            block = encode_block(
                Stretch(begin_ns - 10**7 * NS_PER_S + at_ns, at_ns, values), archive=archive, boot=boot,
                schema=schema.digest, interval_ns=NS_PER_S,
            )  # fmt: skip
            body = block.to_bytes()
            http.post(f"/api/archives/{archive}/blocks", content=body, headers=BLOCKS).raise_for_status()
            sent, tick = sent + len(body), tick + 3_600
    return [
        (f"an import of {sent / 1e6:,.0f} MB", f"{time.perf_counter() - begun_s:.0f} s"),
        ("after it", server.memory()),
    ]


def _get(http: httpx.Client, path: str, params: dict[str, object]) -> None:
    http.get(path, params=params).raise_for_status()  # type: ignore[arg-type]


def _utc(at_s: float) -> str:
    return time.strftime("%Y-%m-%dT%H:%M:%SZ", time.gmtime(at_s))


def _spell(took_s: list[float]) -> str:
    median, high, most = (float(np.quantile(took_s, share)) * 1000 for share in (0.5, 0.99, 1.0))
    return f"{median:.0f} ms, {high:.0f} ms, {most:.0f} ms of {len(took_s)}"


if __name__ == "__main__":
    main()
