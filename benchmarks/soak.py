"""A soak: simulated hosts send fifty times as fast as the day goes, readers look, everything is sealed, rolled up,
expired, scrubbed and judged; and memory, descriptors, connections and disk stay what they are.

Run: .venv/bin/python -m benchmarks.soak [MINUTES, default 30] [--hosts 8] [--pace 50]
"""

import argparse
import os
import random
import sys
import tempfile
import threading
import time
from collections import Counter
from collections.abc import Iterator
from pathlib import Path

import httpx
import numpy as np
from sqlalchemy import Engine, create_engine, text

from benchmarks.table import show
from reditus.cli.service import Service, service
from reditus.core.blocks import Block, Stretch, encode_block
from reditus.core.measures import MEASURES
from reditus.core.rfc3339 import spell_time
from reditus.core.types import NS_PER_S
from reditus.exchange.simulated import SimulatedArchive
from reditus.server.settings import Settings
from reditus.simulator.fernhold import MIDNIGHT_NS
from reditus.simulator.large import many_hosts

sys.path.insert(0, str(Path(__file__).resolve().parent.parent / "tests" / "helpers"))
from builders import a_report

BATCH_TICKS = 150
LOOK_EVERY_S = 10.0
BLOCKS = {"Content-Type": "application/vnd.reditus.blocks"}
NAMES = [name for name in MEASURES if not name.startswith("strain.")]


class Soak:
    def __init__(self, running: Service, hosts: int, pace: float, length_s: float, kept_s: int) -> None:
        self.running, self.pace, self.kept_s = running, pace, kept_s
        self.scenarios = list(many_hosts(hosts, length_s=round(length_s * pace) + 7_200))
        self.stop = threading.Event()
        self.outcomes: Counter[str] = Counter()
        self.sent_ticks = 0
        self.at_s = 0.0
        """How far the slowest host has come, in its own time."""
        self._reached = dict.fromkeys(range(hosts), 0.0)

    def send(self, number: int) -> None:
        """One host, at the pace; what comes late is sent as fast as it goes."""
        scenario = self.scenarios[number]
        recording = SimulatedArchive(scenario)
        begun_s = time.monotonic()
        with httpx.Client(base_url=self.running.url, timeout=120, trust_env=False) as http:
            path = f"/api/archives/{scenario.archive}"
            http.put(path, json=recording.registration).raise_for_status()
            for schema in recording.schemas():
                http.put(f"{path}/schemas/{schema.digest.hex()}", json=schema.as_json()).raise_for_status()
            host = recording.registration["host"]
            announced = {"host": host, "name": scenario.name, "plan": "soak", "report": a_report()}
            http.put(f"/api/recorders/{scenario.archive}", json=announced).raise_for_status()
            for at_s, body, ticks in _batches(recording):
                self._reached[number] = at_s
                if self.stop.wait(max(begun_s + at_s / self.pace - time.monotonic(), 0)):
                    return
                found = http.post(f"{path}/blocks", content=body, headers=BLOCKS)
                self.outcomes[f"batches: {found.status_code}"] += 1
                self.sent_ticks += ticks

    def read(self, seed: int) -> None:
        """A reader of one host after another."""
        rng = random.Random(seed)
        with httpx.Client(base_url=self.running.url, timeout=300, trust_env=False) as http:
            while not self.stop.wait(rng.uniform(0.2, 1.5)):
                scenario = rng.choice(self.scenarios)
                path, now_s = f"/api/archives/{scenario.archive}", min(self._reached.values())
                length_s = rng.choice((120, 1_800, 7_200, self.kept_s))
                ends = {"from": _utc(now_s - length_s), "to": _utc(now_s)}
                what, params = rng.choice((
                    ("series", {"measure": rng.sample(NAMES, 12), "width": 1_240, **ends}),
                    ("strain", {"width": 1_000}),
                    ("moment", {"at": _utc(now_s - 5)}),
                    ("gaps", {}),
                    ("diagnosis", ends),
                ))  # fmt: skip
                found = http.get(f"{path}/{what}", params=params)  # type: ignore[arg-type]
                self.outcomes[f"{what}: {found.status_code}"] += 1

    def table_sizes(self, engine: Engine) -> dict[str, float]:
        """MiB of the largest tables, with their indexes and what lies beside their rows."""
        largest = (
            "select relname, pg_total_relation_size(oid) from pg_class where relkind = 'r' "
            "and relname in ('blocks', 'rollups', 'processes', 'markers')"
        )
        with engine.connect() as connection:
            return {name: size / (1 << 20) for name, size in connection.execute(text(largest))}

    def expire(self) -> None:
        """The plan keeps the last hours of the hosts' own time, which goes on faster than ours."""
        with httpx.Client(base_url=self.running.url, timeout=60, trust_env=False) as http:
            while True:
                cut_ns = MIDNIGHT_NS + round((min(self._reached.values()) - self.kept_s) * NS_PER_S)
                keep_s = max((time.time_ns() - cut_ns) // NS_PER_S, 60)
                http.put("/api/plans/soak", json={"name": "soak", "keep": f"{keep_s}s"}).raise_for_status()
                if self.stop.wait(15):
                    return


def _batches(recording: SimulatedArchive) -> Iterator[tuple[float, bytes, int]]:
    """Time of the host at its end, a batch of all groups, and its ticks."""
    for blocks, identities in recording.batches():
        head = identities.to_bytes() if identities is not None and identities.processes else b""
        stretches = [(block, block.stretch()) for block in blocks]
        longest = max((block.ticks for block in blocks), default=0)
        for start in range(0, longest, BATCH_TICKS):
            part = slice(start, start + BATCH_TICKS)
            cut = [_cut(block, stretch, part) for block, stretch in stretches if start < block.ticks]
            end_ns = max(block.last_ns for block in cut)
            yield (
                (end_ns - MIDNIGHT_NS) / NS_PER_S,
                head + b"".join(block.to_bytes() for block in cut),
                sum(block.ticks for block in cut),
            )
            head = b""


def _cut(block: Block, stretch: Stretch, part: slice) -> Block:
    return encode_block(
        Stretch(stretch.wall_ns[part], stretch.monotonic_ns[part], stretch.values[part]), archive=block.archive,
        boot=block.boot, schema=block.schema, interval_ns=block.interval_ns,
    )  # fmt: skip


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("minutes", nargs="?", type=float, default=30.0)
    parser.add_argument("--hosts", type=int, default=8)
    parser.add_argument("--pace", type=float, default=50.0)
    parser.add_argument("--kept", type=float, default=3.0, help="hours of each host that are kept, in its own time")
    requested = parser.parse_args()
    length_s = requested.minutes * 60
    with tempfile.TemporaryDirectory(prefix="reditus-soak-", ignore_cleanup_errors=True) as folder:
        Path(folder).chmod(0o711)
        settings = Settings(data=Path(folder) / "data", seal_every_s=5, undo_for_s=5, scrub_every_s=300)
        with service(settings, anywhere=True) as running:
            soak = Soak(running, requested.hosts, requested.pace, length_s, round(requested.kept * 3_600))
            httpx.put(f"{running.url}/api/plans/soak", json={"name": "soak"}, trust_env=False).raise_for_status()
            threads = [threading.Thread(target=soak.send, args=(number,)) for number in range(requested.hosts)]
            threads += [threading.Thread(target=soak.read, args=(seed,)) for seed in range(3)]
            threads.append(threading.Thread(target=soak.expire))
            for thread in threads:
                thread.start()
            samples = _watch(running, soak, length_s)
            health = httpx.get(f"{running.url}/api/health", trust_env=False).json()
            soak.stop.set()
            for thread in threads:
                thread.join()
    _show(soak, samples, health, requested.minutes)


def _watch(running: Service, soak: Soak, length_s: float) -> list[dict[str, float]]:
    assert running.cluster
    engine = create_engine(running.cluster.url)
    samples: list[dict[str, float]] = []
    begun_s = time.monotonic()
    while time.monotonic() - begun_s < length_s:
        time.sleep(LOOK_EVERY_S)
        running.restart_dead_children()
        pid = running.children["server"].pid
        postmaster = running.cluster.process_id()
        samples.append(
            {
                "memory, MiB": int(Path(f"/proc/{pid}/statm").read_text().split()[1]) * 4 / 1024,
                "descriptors": len(os.listdir(f"/proc/{pid}/fd")),
                "threads": len(os.listdir(f"/proc/{pid}/task")),
                "processes of the database": len(
                    Path(f"/proc/{postmaster}/task/{postmaster}/children").read_text().split()
                ),
                "write-ahead log, MiB": sum(map(_size, running.data.rglob("pg_wal"))) / (1 << 20),
                "disk beside it, MiB": _size(running.data, but="pg_wal") / (1 << 20),
                **{f"table {name}, MiB": size for name, size in soak.table_sizes(engine).items()},
                "hours of the hosts": min(soak._reached.values()) / 3_600,
            }
        )
    return samples


def _size(folder: Path, but: str = "") -> int:
    total = 0
    for path, folders, names in os.walk(folder):
        if but in folders:
            folders.remove(but)
        for name in names:
            try:
                total += os.lstat(os.path.join(path, name)).st_size
            except FileNotFoundError:
                continue
    return total


def _show(soak: Soak, samples: list[dict[str, float]], health: dict[str, object], minutes: float) -> None:
    quarter = max(len(samples) // 4, 1)
    rows = []
    for name in samples[0]:
        values = [sample[name] for sample in samples]
        parts = [float(np.median(values[at * quarter : (at + 1) * quarter])) for at in range(4)]
        rows.append(
            (f"{name}, by quarters; highest", f"{', '.join(f'{part:,.0f}' for part in parts)}; {max(values):,.0f}")
        )
    rows.append(("ticks sent", f"{soak.sent_ticks:,}"))
    rows.append(("answers", ", ".join(f"{count:,} × {what}" for what, count in sorted(soak.outcomes.items()))))
    rows.append(("health at the end", f"{health['status']} {health['detail'] or ''}"))
    show(f"{minutes:g} minutes, {len(soak.scenarios)} hosts at {soak.pace:g} times the pace of the day", rows)


def _utc(at_s: float) -> str:
    return spell_time(MIDNIGHT_NS + round(max(at_s, 0) * NS_PER_S))


if __name__ == "__main__":
    main()
