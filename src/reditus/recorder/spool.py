"""What was recorded and not yet acknowledged, on disk: bounded, oldest dropped first.

A folder per archive: `archive.json` (what to register), `schemas/DIGEST.json`, and batches named by an ever-growing
number. A batch is written beside its place, synced, and renamed, so that a crash leaves it whole or not at all.
"""

import fcntl
import json
import os
import threading
from collections.abc import Iterator
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from uuid import UUID

import structlog

from reditus.core.batches import read_batch
from reditus.core.errors import BlockError
from reditus.core.reports import upgraded
from reditus.core.rfc3339 import parse_instant, spell_time
from reditus.core.schema import Schema
from reditus.core.types import NS_PER_S, Json
from reditus.recorder.errors import SpoolBusy

log = structlog.get_logger()

DEFAULT_LIMIT_BYTES = 256 << 20
BATCH_SUFFIX = ".batch"
MOST_GAPS = 100
NEAR_NS = 60 * NS_PER_S
ASIDE = "refused"
MOST_ASIDE = 100
ASIDE_SHARE = 8
"""What is laid aside takes at most an eighth of what the spool may."""
REASON_LETTERS = 150
NOT_TAKEN = "the server did not take it"
SPOOL_FULL = "the spool was full while the server was away"


@dataclass(frozen=True, slots=True)
class SpooledBatch:
    """A batch on disk."""

    path: Path
    size_bytes: int


@dataclass(eq=False, slots=True)
class Offer:
    """A batch that the disk does not take: what can be sent is sent from memory."""

    batch: bytes
    schemas: tuple[Schema, ...]
    delivered: bool = False


class Spool:
    """One archive's spool, locked for one process. Raise SpoolBusy if another one has it."""

    def __init__(self, folder: Path, limit_bytes: int = DEFAULT_LIMIT_BYTES) -> None:
        self.folder = folder
        self._limit_bytes = limit_bytes
        folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        self._schemas = folder / "schemas"
        self._lock = os.open(folder / "lock", os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
        try:
            fcntl.flock(self._lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            os.close(self._lock)
            raise SpoolBusy(f"another recorder writes to {folder}; give this one another --name") from None
        old = folder / "layouts"  # as recorders called it up to 0.1
        if old.is_dir() and not self._schemas.exists():
            old.rename(self._schemas)
        self._schemas.mkdir(exist_ok=True, mode=0o700)
        self.dropped_batches = 0
        self._gaps = threading.Lock()
        self._offers: list[Offer] = []
        self._offers_lock = threading.Lock()
        gaps = folder / "gaps.json"
        self.dropped: list[Json] = [upgraded(gap) for gap in json.loads(gaps.read_bytes())] if gaps.exists() else []
        """Stretches that were dropped unsent, with the reason, for the server to tell."""
        saved = folder / "archive.json"
        self._registration: Json | None = dict(json.loads(saved.read_bytes())) if saved.exists() else None
        waiting = self.batches()
        self._next = int(waiting[-1].path.stem) + 1 if waiting else 0
        self._size_bytes = sum(batch.size_bytes for batch in waiting)
        self._aside = self._found_aside()

    @property
    def limit_bytes(self) -> int:
        """So much may lie in the spool before the oldest batches are dropped."""
        return self._limit_bytes

    @property
    def size_bytes(self) -> int:
        """What lies in the spool."""
        return self._size_bytes

    @property
    def archive(self) -> UUID:
        """The archive's id, which is the folder's name."""
        return UUID(self.folder.name)

    def register(self, registration: Json) -> None:
        """Keep what the server has to be reported of the archive before it takes blocks."""
        self._write_whole(self.folder / "archive.json", json.dumps(registration).encode())
        self._registration = registration

    def registration(self) -> Json | None:
        """What the server has to know of the archive; None before `register`."""
        return self._registration

    def keep_schema(self, schema: Schema) -> None:
        """Write a schema down, for as long as batches may need it."""
        path = self._schemas / f"{schema.digest.hex()}.json"
        if not path.exists():
            self._write_whole(path, schema.canonical)

    def schemas(self) -> Iterator[tuple[str, bytes]]:
        """Digest in hex and canonical JSON of every schema kept, and of those that wait with their batches."""
        kept = sorted(self._schemas.glob("*.json"))
        for path in kept:
            yield path.stem, path.read_bytes()
        written = {path.stem for path in kept}
        for schema in {schema.digest: schema for offer in self.offers() for schema in offer.schemas}.values():
            if schema.digest.hex() not in written:
                yield schema.digest.hex(), schema.canonical

    def offer(self, offer: Offer) -> None:
        """Let a batch be sent that the disk does not take."""
        with self._offers_lock:
            if offer not in self._offers:
                self._offers.append(offer)

    def withdraw(self, offer: Offer) -> None:
        """It is on disk now, or dropped."""
        with self._offers_lock:
            if offer in self._offers:
                self._offers.remove(offer)

    def offers(self) -> list[Offer]:
        """Batches that are in memory only, oldest first."""
        with self._offers_lock:
            return list(self._offers)

    def is_empty(self) -> bool:
        """Whether nothing waits to be sent."""
        return not self.offers() and not self.batches()

    def put(self, batch: bytes) -> None:
        """Write a batch durably; then drop the oldest ones while there is more than the limit."""
        self._write_whole(self.folder / f"{self._next:016d}{BATCH_SUFFIX}", batch)
        self._next += 1
        self._size_bytes += len(batch)
        if self._size_bytes > self._limit_bytes:
            self._drop_oldest()

    def batches(self) -> list[SpooledBatch]:
        """Batches that wait, oldest first."""
        found = []
        with os.scandir(self.folder) as entries:
            for entry in entries:
                # Another thread may just now drop what has no room any more.
                with suppress(FileNotFoundError):
                    if entry.name.endswith(BATCH_SUFFIX):
                        found.append(SpooledBatch(Path(entry.path), entry.stat().st_size))
        return sorted(found, key=lambda item: item.path)

    def done(self, batch: SpooledBatch) -> None:
        """The server has it."""
        with suppress(FileNotFoundError):
            batch.path.unlink()
            self._size_bytes -= batch.size_bytes

    def cut(self, batch: SpooledBatch, left: bytes) -> SpooledBatch:
        """Keep only a part of a batch: the server has the rest."""
        self._write_whole(batch.path, left)
        self._size_bytes += len(left) - batch.size_bytes
        return SpooledBatch(batch.path, len(left))

    def refuse(self, batch: SpooledBatch, reason: str) -> None:
        """The server will not take it: lay it aside, with the reason, for a person to look at. What it held is a gap,
        with that reason. Of what is laid aside the newest is kept, up to a limit.
        """
        aside = self.folder / ASIDE
        aside.mkdir(exist_ok=True, mode=0o700)
        try:
            content = batch.path.read_bytes()
        except FileNotFoundError:  # dropped meanwhile, for lack of room
            return
        stretch = self.note_dropped(content, f"{NOT_TAKEN}: {reason[:REASON_LETTERS]}")
        self.write_gaps()
        saved = {"reason": reason[:REASON_LETTERS], "size_bytes": len(content), **(stretch or {})}
        self._write_whole(aside / f"{batch.path.stem}.json", json.dumps(saved).encode())
        batch.path.rename(aside / batch.path.name)
        self._size_bytes -= batch.size_bytes
        self._trim_aside(aside)
        self._aside = self._found_aside()

    def _trim_aside(self, aside: Path) -> None:
        size_bytes = 0
        for number, item in enumerate(sorted(aside.glob(f"*{BATCH_SUFFIX}"), reverse=True)):
            size_bytes += item.stat().st_size
            if number >= MOST_ASIDE or size_bytes > self._limit_bytes // ASIDE_SHARE:
                item.unlink(missing_ok=True)
                item.with_suffix(".json").unlink(missing_ok=True)

    @property
    def aside(self) -> list[Json]:
        """What was laid aside and is still there, oldest first: file, reason, size, and the stretch it held."""
        return self._aside

    def _found_aside(self) -> list[Json]:
        out: list[Json] = []
        for path in sorted((self.folder / ASIDE).glob("*.json")):
            try:
                saved = json.loads(path.read_bytes())
            except (OSError, ValueError):
                continue
            if isinstance(saved, dict):
                out.append({"file": str(path.with_suffix(BATCH_SUFFIX)), **upgraded(saved)})
        return out

    def close(self) -> None:
        """Release the lock."""
        os.close(self._lock)

    def _drop_oldest(self) -> None:
        # The newest stays whatever its size.
        for batch in self.batches()[:-1]:
            if self._size_bytes <= self._limit_bytes:
                break
            self._note_gap(batch)
            self.done(batch)
            self.dropped_batches += 1
            log.warning("spool full, oldest batch dropped: a gap", batch=batch.path.name, limit=self._limit_bytes)

    def note_dropped(self, batch: bytes, reason: str) -> Json | None:
        """The gap that dropping a batch makes, in memory; gaps that touch and have one reason are one. Return its ends,
        or None where what it held is no longer known.
        """
        try:
            blocks = read_batch(batch).blocks
        except BlockError:
            return None
        if not blocks:
            return None
        start_ns, end_ns = min(block.first_ns for block in blocks), max(block.last_ns for block in blocks)
        stretch = {"start": spell_time(start_ns), "end": spell_time(end_ns)}
        with self._gaps:
            last = self.dropped[-1] if self.dropped else None
            if last is not None and last["reason"] == reason and start_ns - parse_instant(last["end"]) < NEAR_NS:
                last["end"] = stretch["end"]
            else:
                self.dropped.append({**stretch, "reason": reason})
                del self.dropped[:-MOST_GAPS]
        return stretch

    def _note_gap(self, batch: SpooledBatch) -> None:
        try:
            content = batch.path.read_bytes()
        except OSError:  # what it held is no longer known
            return
        self.note_dropped(content, SPOOL_FULL)
        self.write_gaps()

    def write_gaps(self) -> None:
        """Keep the gaps for the next recorder, which tells them too."""
        with self._gaps:
            content = json.dumps(self.dropped).encode()
        self._write_whole(self.folder / "gaps.json", content)

    def _write_whole(self, path: Path, content: bytes) -> None:
        beside = path.with_suffix(".part")
        with beside.open("wb") as file:
            file.write(content)
            file.flush()
            os.fsync(file.fileno())
        beside.rename(path)
        folder = os.open(path.parent, os.O_RDONLY | os.O_DIRECTORY)
        try:
            os.fsync(folder)
        finally:
            os.close(folder)
