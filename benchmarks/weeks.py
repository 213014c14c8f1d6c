"""Weeks: how long three weeks and two days take to read, what keeping hours costs beside rolling up, and how often
changes, drifts and times left are right over made-up series of which the truth is known.

Run: .venv/bin/python -m benchmarks.weeks [SERIES OF EACH KIND, default 100]
"""

import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from uuid import UUID

import numpy as np

from benchmarks.table import show
from reditus.analysis.hours import grow_hours
from reditus.analysis.rollups import grow_rollups
from reditus.analysis.weeks import weeks_of
from reditus.analysis.windows import requested_window
from reditus.core.facts import HostFacts
from reditus.core.slow.changes import SlowChange, slow_change
from reditus.core.slow.time_left import time_left
from reditus.core.types import FloatArray
from reditus.exchange.simulated import SimulatedArchive
from reditus.simulator.fernhold import ARCHIVES, EARLIER
from reditus.store import HostInfo
from reditus.store.database.cluster import Cluster
from reditus.store.read.reader import Reader
from reditus.store.store import Store

DAYS = (21, 60, 180)
MEMORY, NOISE = 0.6, 0.15
TIMES = 5
FINE = 20
"""Steps of a true path within one value."""


def main() -> None:
    each = int(sys.argv[1]) if len(sys.argv) > 1 else 100
    show("Weeks of vault, on this machine", _of_store())
    show(f"Made-up series, {each} of each kind", [*_changes(each), *_left(each)])


def _of_store() -> list[tuple[str, str]]:
    with tempfile.TemporaryDirectory(prefix="reditus-weeks-") as folder:
        Path(folder).chmod(0o711)
        cluster = Cluster(Path(folder) / "database")
        cluster.make()
        cluster.start()
        store = Store(cluster.url)
        try:
            store.migrate()
            fine, coarse = (SimulatedArchive.of(entry) for entry in (ARCHIVES[2], EARLIER[0]))
            for recording in (fine, coarse):
                _keep(store, recording)
            rollups_s = _grown(store, fine.archive, grow_rollups)
            hours_s = _grown(store, fine.archive, grow_hours)
            for grow in (grow_rollups, grow_hours):
                _grown(store, coarse.archive, grow)
            took_s = []
            for _ in range(TIMES):
                begun_s = time.perf_counter()
                with store.reading(ARCHIVES[2].scenario.machine.id) as reader:
                    found = weeks_of(reader, requested_window(reader, None, None))
                    names = reader.rollups.hours.read(None, None, 0, 1 << 62)[0]
                took_s.append(time.perf_counter() - begun_s)
        finally:
            store.close()
            cluster.stop()
    return [
        ("series of which hours are kept", str(len(names))),
        ("slow changes found", str(len(found.changes))),
        ("all of it, first and median of the others", f"{took_s[0]:.2f} and {np.median(took_s[1:]):.2f} s"),
        ("hours of two days at 5 s, beside rolling them up", f"{hours_s / rollups_s:.1%} of {rollups_s:.1f} s"),
    ]


def _keep(store: Store, recording: SimulatedArchive) -> None:
    own = recording.registration
    store.archives.register(
        host=HostInfo(UUID(own["host"]["id"]), own["host"]["name"]), archive=recording.archive, name=own["name"],
        source="simulated", facts=HostFacts.from_json(own["facts"]),
    )  # fmt: skip
    for schema in recording.schemas():
        store.add_schema(recording.archive, schema)
    for blocks, identities in recording.batches():
        store.append(recording.archive, blocks, [identities])


def _grown(store: Store, archive: UUID, grow: Callable[[Reader, UUID], bool]) -> float:
    """Processor seconds of this process."""
    begun_s = time.process_time()
    more = True
    while more:
        with store.extending_rollups(archive) as reader:
            more = grow(reader, archive)
    return time.process_time() - begun_s


def _changes(each: int) -> list[tuple[str, str]]:
    rng = np.random.default_rng(7)
    rows = []
    for days in DAYS:
        count = days * 24
        slope = np.log(2.2) / count
        false = located = drifts = covered = 0
        for _ in range(each):
            plain = _rhythmic(days, rng)
            false += _judged(plain).changed
            at = int(rng.uniform(0.2, 0.8) * count)
            stepped = plain.copy()
            stepped[at:] += np.log(2)
            steps = _judged(stepped).stretches[1:]
            located += any(abs(step.start - at) <= max(0.02 * count, 2) for step in steps)
            crept = _judged(plain + slope * np.arange(count))
            drifts += crept.slope is not None
            covered += crept.slope is not None and crept.slope.low <= slope <= crept.slope.high
        rows.append(
            (
                f"{days} days: false, steps within 2 %, drifts, their slope covered",
                f"{false}, {located}, {drifts}, {covered} of {drifts}",
            )
        )
    return rows


def _judged(logs: FloatArray) -> SlowChange:
    found = slow_change(0.004 * np.exp(logs), 24, floor=2e-5, is_relative=True)
    assert found is not None
    return found


def _rhythmic(days: int, rng: np.random.Generator) -> FloatArray:
    hours = np.arange(days * 24)
    steps = rng.normal(size=len(hours)) * np.sqrt(1 - MEMORY**2)
    noise = np.zeros(len(hours))
    for at in range(1, len(hours)):
        noise[at] = MEMORY * noise[at - 1] + steps[at]
    weekend = np.where(hours // 24 % 7 >= 5, -0.5, 0.0) * (1 + 0.5 * np.sin(2 * np.pi * hours / 24))
    rhythm: FloatArray = 0.6 * np.sin(2 * np.pi * hours / 24) + weekend + NOISE * noise
    return rhythm


def _left(each: int) -> list[tuple[str, str]]:
    rng = np.random.default_rng(8)
    rows = []
    for name, walk, noise in (("a walk", 2.0, 0.0), ("a walk with noise", 1.0, 3.0), ("a line with noise", 0.0, 4.0)):
        for count in (21, 60, 300):
            hits = said = 0
            for _ in range(each):
                steps = rng.normal(size=count * 6 * FINE) * walk / np.sqrt(FINE)
                path = np.arange(1, count * 6 * FINE + 1) / FINE + np.cumsum(steps)
                limit = path[FINE * count - 1] + rng.uniform(0.2, 1.2) * count
                later = np.flatnonzero(path[count * FINE :] >= limit)
                truth = (later[0] + 1) / FINE if len(later) else np.inf
                left = time_left(path[FINE - 1 :: FINE][:count] + noise * rng.normal(size=count), limit)
                said += left is not None
                hits += left is not None and left.low <= truth <= left.high
            rows.append((f"time left of {name}, {count} values: 90 % intervals that held", f"{hits} of {said}"))
    return rows


if __name__ == "__main__":
    main()
