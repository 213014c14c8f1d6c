"""Kill server and database at random points of append, seal, rollup, trim, copy and delete, and count each time: what
was acknowledged is there, once, and what was half done is either the old or the new.
"""

import os
import random
import signal
import threading
import time
from dataclasses import dataclass, field
from itertools import pairwise
from pathlib import Path
from uuid import UUID, uuid4

import httpx
import numpy as np
from sqlalchemy import Engine, create_engine, text

from e2e_helpers import wait_until
from kills import answers
from reditus.analysis import rollups
from reditus.analysis.series import read
from reditus.cli.service import Service, service
from reditus.core.binning import bin_series
from reditus.core.blocks import Stretch, encode_block, offsets_in
from reditus.core.checksums import CHECKSUM_BYTES
from reditus.core.column_codec import decode_column, decode_wall
from reditus.core.kernel_columns import CPU_MODES, cpu_time
from reditus.core.measures import measure_named
from reditus.core.measures.selection import SeriesKey
from reditus.core.rfc3339 import spell_time
from reditus.core.schema import Schema
from reditus.core.types import NS_PER_S
from reditus.core.window import Window
from reditus.server.settings import Settings
from reditus.store.database.offset_table import directory_in
from reditus.store.store import Store

BEGIN_NS = 1_794_474_000 * NS_PER_S
COLUMNS = tuple(cpu_time(mode) for mode in CPU_MODES)
SCHEMA = Schema("cpu", 0, COLUMNS)
HOST = UUID(int=4_711)
TICKS_A_BATCH = 150
BATCHES = 40
"""Of one archive; then another is begun, so that counting stays quick."""
OWN_TABLES = ("blocks", "markers", "facts", "processes", "rollups", "rollup_reach", "use_bins", "use_reach")


@dataclass
class Kept:
    """An archive, and what may be in it."""

    id: UUID = field(default_factory=uuid4)
    certain: set[int] = field(default_factory=set)
    """Ticks that were acknowledged."""
    sent: set[int] = field(default_factory=set)
    trims: list[tuple[int, int]] = field(default_factory=list)
    """Of the last trim, where its answer never came: the old or the new is right."""
    next: int = 0


@dataclass
class Count:
    kills: int = 0
    acknowledged: int = 0
    counted: int = 0
    """Ticks compared, over all times."""
    unknown: int = 0
    """Minutes of which the ticks say nothing."""
    rolled: int = 0
    """Minutes whose rollups were compared with their ticks."""
    wrong: list[str] = field(default_factory=list)
    done: dict[str, int] = field(default_factory=dict)


class Storm:
    def __init__(self, running: Service, rng: random.Random) -> None:
        self.running, self.rng = running, rng
        self.http = httpx.Client(base_url=running.url, trust_env=False, timeout=20)
        self.grows = Kept()
        self.finished: list[Kept] = []
        self.deleted: list[UUID] = []
        self.count = Count()
        self.engine = self._engine()

    def _engine(self) -> Engine:
        assert self.running.cluster
        return create_engine(self.running.cluster.url, pool_pre_ping=True)

    def step(self) -> None:
        """One random thing that a person or a recorder would do. Raise httpx.HTTPError where a part died meanwhile."""
        self.do(self.rng.choices(("append", "trim", "copy", "delete"), (12, 1, 1, 1))[0])

    def do(self, what: str) -> None:
        getattr(self, what)()
        self.count.done[what] = self.count.done.get(what, 0) + 1

    def append(self) -> None:
        kept = self.grows
        if kept.next >= BATCHES:
            self.finished.append(kept)
            kept = self.grows = Kept()
        if not kept.sent:
            self._register(kept)
        ticks = np.arange(TICKS_A_BATCH, dtype=np.int64) + kept.next * TICKS_A_BATCH
        kept.sent |= set(ticks.tolist())
        body = self._block(kept.id, ticks)
        self._request("POST", f"/api/archives/{kept.id}/blocks", content=body,
                  headers={"Content-Type": "application/vnd.reditus.blocks"})  # fmt: skip
        kept.certain |= set(ticks.tolist())
        self.count.acknowledged += TICKS_A_BATCH
        kept.next += 1

    def trim(self) -> None:
        if not self.finished:
            return
        kept = self.rng.choice(self.finished)
        if not kept.certain or kept.trims:
            return
        low = min(kept.certain) + self.rng.randrange(200)
        high = max(max(kept.certain) - self.rng.randrange(200), low + 10)
        if not any(low <= tick < high for tick in kept.certain):
            return
        kept.trims = [(low, high)]
        self._request("POST", f"/api/archives/{kept.id}/trim", json={"from": _at(low), "to": _at(high)})
        kept.certain = {tick for tick in kept.certain if low <= tick < high}
        kept.sent, kept.trims = set(kept.certain), []

    def copy(self) -> None:
        if not self.finished:
            return
        kept = self.rng.choice(self.finished)
        if len(kept.certain) < 100 or kept.trims:
            return
        low, high = min(kept.certain) + 50, max(kept.certain)
        answer = {"from": _at(low), "to": _at(high), "name": "copy"}
        made = self._request("POST", f"/api/archives/{kept.id}/copies", json=answer).json()
        ticks = {tick for tick in kept.certain if low <= tick < high}
        self.finished.append(Kept(UUID(made["id"]), set(ticks), set(ticks), next=BATCHES))

    def delete(self) -> None:
        if len(self.finished) < 3:
            return
        kept = self.finished.pop(self.rng.randrange(len(self.finished)))
        # Whether the answer comes or not: from here on it may be there as a whole, or gone as a whole.
        self.deleted.append(kept.id)
        self._request("DELETE", f"/api/archives/{kept.id}")

    def _register(self, kept: Kept) -> None:
        answer = {
            "host": {"id": str(HOST), "name": "storm"},
            "name": "storm",
            "source": "recorded",
            "facts": {"cores": 2},
        }
        self._request("PUT", f"/api/archives/{kept.id}", json=answer)
        self._request("PUT", f"/api/archives/{kept.id}/schemas/{SCHEMA.digest.hex()}", json=SCHEMA.as_json())

    def _block(self, archive: UUID, ticks: np.ndarray) -> bytes:
        values = np.stack([_values(ticks, column) for column in range(len(COLUMNS))], axis=1)
        stretch = Stretch(BEGIN_NS + ticks * NS_PER_S, ticks * NS_PER_S, values)
        block = encode_block(stretch, archive=archive, boot=HOST, schema=SCHEMA.digest, interval_ns=NS_PER_S)
        return block.to_bytes()

    def _request(self, method: str, path: str, **more: object) -> httpx.Response:
        response = self.http.request(method, path, **more)  # type: ignore[arg-type]
        response.raise_for_status()
        return response

    def check(self) -> None:
        """Compare everything with what was acknowledged."""
        self.count.counted += self._check_blocks()
        self._check_deleted()

    def _check_blocks(self) -> int:
        counted = 0
        for kept in [self.grows, *self.finished]:
            stored = self._stored(kept.id)
            counted += len(stored)
            if len(set(stored)) < len(stored):
                self.count.wrong.append(f"{kept.id}: {len(stored) - len(set(stored))} ticks twice")
            whole = set(stored)
            allowed = [(kept.certain, kept.sent)]
            for low, high in kept.trims:
                cut = {tick for tick in kept.certain if low <= tick < high}
                allowed.append((cut, cut))
            fitting = [pair for pair in allowed if pair[0] <= whole <= pair[1]]
            if not fitting:
                self.count.wrong.append(
                    f"{kept.id}: {len(whole)} ticks, {len(kept.certain - whole)} lost, {len(whole - kept.sent)} strange"
                )
            elif kept.trims:
                kept.certain, kept.sent, kept.trims = set(whole), set(whole), []
        return counted

    def _stored(self, archive: UUID) -> list[int]:
        """The ticks in the database. What their columns hold is compared too."""
        out: list[int] = []
        requested = text("select ticks, directory, data from blocks where archive_id = :archive order by first_ns")
        with self.engine.connect() as connection:
            rows = connection.execute(requested, {"archive": archive}).all()
        for count, directory, data in rows:
            chunks = [
                bytes(data)[a : b - CHECKSUM_BYTES] for a, b in pairwise(offsets_in(directory_in(bytes(directory))))
            ]
            monotonic_ns = decode_column(chunks[1], count)
            ticks = monotonic_ns // NS_PER_S
            wall_ns = decode_wall(chunks[0], monotonic_ns)
            right = (wall_ns == BEGIN_NS + ticks * NS_PER_S).all() and all(
                (decode_column(chunk, count) == _values(ticks, column)).all() for column, chunk in enumerate(chunks[2:])
            )
            if not right:
                self.count.wrong.append(f"{archive}: values that were never sent")
            out += ticks.tolist()
        return out

    def _check_deleted(self) -> None:
        """An archive that was deleted has its row and all its blocks, or nothing at all."""
        with self.engine.connect() as connection:
            for archive in self.deleted:
                there = connection.execute(text("select 1 from archives where id = :id"), {"id": archive}).first()
                if there is None:
                    left = [
                        table
                        for table in OWN_TABLES
                        if connection.execute(
                            text(f"select 1 from {table} where archive_id = :id limit 1"), {"id": archive}
                        ).first()
                    ]
                    if left:
                        self.count.wrong.append(f"{archive} was removed, but left {', '.join(left)}")

    def check_rollups(self) -> None:
        """What is rolled up is what the ticks say."""
        assert self.running.cluster
        store = Store(self.running.cluster.url)
        keys = [SeriesKey(measure_named("cpu.busy"), None)]
        for kept in self.finished:
            if len(kept.certain) < 1_000:
                continue
            minutes = min(kept.certain) // 60 + 2, max(kept.certain) // 60 - 1
            begin_ns, end_ns = (BEGIN_NS + minute * 60 * NS_PER_S for minute in minutes)
            with store.reading(kept.id) as reader:
                rolled = rollups.rolled(reader, keys, (begin_ns, end_ns), 60)[0]
                truth = read(reader, keys, Window(begin_ns, end_ns))[1][0].series
            assert truth is not None
            ticks = bin_series(truth, np.arange(begin_ns, end_ns + 1, 60 * NS_PER_S))
            same = np.isclose(rolled.mean, ticks.mean, rtol=1e-9, equal_nan=True)
            same &= (rolled.high == ticks.high) | (np.isnan(rolled.high) & np.isnan(ticks.high))
            other = np.flatnonzero(~same)
            self.count.unknown += int(np.isnan(ticks.mean).sum())
            if len(other):
                at = int(other[0])
                self.count.wrong.append(
                    f"{kept.id}: {len(other)} of {len(rolled)} minutes, from {minutes[0] + at} on, rollups say "
                    f"{rolled.mean[at]} and {rolled.high[at]}, ticks {ticks.mean[at]} and {ticks.high[at]}"
                )
            self.count.rolled += len(rolled)
        store.close()

    def close(self) -> None:
        self.http.close()
        self.engine.dispose()


def _values(ticks: np.ndarray, column: int) -> np.ndarray:
    """What a column holds at a tick; grows unevenly, as counters do."""
    return ticks * (column + 1) * 37 + ticks * ticks % 11


def _at(tick: int) -> str:
    return spell_time(BEGIN_NS + tick * NS_PER_S)


def run_storm(data: Path, kills: int, seed: int) -> Count:
    """Do random things, kill server or database in the middle of one, wait until all is up again, and count; over and
    over.
    """
    rng = random.Random(seed)
    with service(Settings(data=data, seal_every_s=0.3, undo_for_s=1.0), anywhere=True) as running:
        storm = Storm(running, rng)
        # Everything once in peace, so that there is something of each to be killed in.
        for what in [*["append"] * (BATCHES * 2 + 1), "copy", "trim", "copy", "delete"]:
            storm.do(what)
        for number in range(kills):
            _until_killed(storm, part=("server", "database")[number % 2])
            wait_until(lambda: answers(running), 60)
            storm.check()
            storm.count.kills += 1
        time.sleep(2)
        storm.check()
        storm.check_rollups()
        storm.close()
    return storm.count


def _until_killed(storm: Storm, part: str) -> None:
    """Work until a part is killed under it."""
    dead = threading.Event()

    def kill() -> None:
        dead.set()
        if part == "server":
            os.kill(storm.running.children["server"].pid, signal.SIGKILL)
        elif storm.running.cluster and (pid := storm.running.cluster.process_id()) is not None:
            os.kill(pid, signal.SIGKILL)

    timer = threading.Timer(storm.rng.uniform(0.02, 0.9), kill)
    timer.start()
    while not dead.is_set():
        try:
            storm.step()
        except httpx.HTTPError:
            dead.wait(2)
    timer.join()
    # What was under way when it died.
    try:
        storm.step()
    except httpx.HTTPError:
        return
