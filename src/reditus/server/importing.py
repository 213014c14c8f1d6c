"""The thread that reads files that came in, one after another. What was at work when the server ended is begun again.

A file is read into an archive file of its own first and stored in one transaction then: what fails, or is cancelled,
leaves nothing in the database, and of its files nothing either.
"""

import shutil
import time
from pathlib import Path
from threading import Event, Thread
from uuid import UUID

import structlog

from reditus.core.errors import Cancelled, ReditusError
from reditus.core.rfc3339 import spell_time
from reditus.exchange.incoming.readers import ImportOptions, read_incoming
from reditus.server.progress import Progress
from reditus.store import DatabaseUnavailable
from reditus.store.imports.records import ENDED, Import, ImportInTheWay, State, UnknownImport
from reditus.store.store import Store

log = structlog.get_logger()

CONTENT, MADE = "content", "made.archive.zip"
LOOK_S = 30.0
"""How often it looks for work that it was not woken for."""
FORGOTTEN_S = 3 * 86_400.0
"""An upload of which nothing came for so long is given up."""
FREE_BYTES = 256 << 20
"""Are left on the disk."""


class Importer:
    """Reads imports in a thread of its own, and keeps their files."""

    def __init__(self, store: Store, folder: Path, progress: Progress) -> None:
        self._store, self._folder, self._progress = store, folder, progress
        self._wake, self._stopping = Event(), Event()
        self._cancelled: set[UUID] = set()
        self._thread = Thread(target=self._run, name="imports", daemon=True)

    def start(self) -> None:
        """Start the thread."""
        self._thread.start()

    def stop(self, wait_s: float) -> None:
        """End the thread; what it is at is begun again after the next start."""
        self._stopping.set()
        self._wake.set()
        self._thread.join(wait_s)

    def wake(self) -> None:
        """There is something to read."""
        self._wake.set()

    def cancel(self, wanted: UUID) -> None:
        """End what is being read, if it is this one."""
        self._cancelled.add(wanted)
        self._wake.set()

    def content(self, wanted: UUID) -> Path:
        """Where the file lies. The folder is made where it is missing."""
        folder = self._folder / str(wanted)
        folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        return folder / CONTENT

    def room_bytes(self) -> int:
        """How large a file may be by what is free on the disk: it is read into a second one, and stored."""
        self._folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        return max((shutil.disk_usage(self._folder).free - FREE_BYTES) // 2, 0)

    def forget(self, wanted: UUID) -> None:
        """Remove the files of one that has ended."""
        shutil.rmtree(self._folder / str(wanted), ignore_errors=True)
        self._cancelled.discard(wanted)

    def _run(self) -> None:
        while not self._stopping.is_set():
            try:
                self._tidy()
                while not self._stopping.is_set() and (item := self._store.imports.next()) is not None:
                    self._work(item)
            except DatabaseUnavailable as why:
                log.warning("imports wait for the database", reason=str(why))
            except Exception:
                log.exception("imports could not be looked at")
            self._wake.wait(LOOK_S)
            self._wake.clear()

    def _work(self, item: Import) -> None:
        path, target = self.content(item.id), self._folder / str(item.id) / MADE
        try:
            self._read(item, path, target)
        except Cancelled:
            if not self._stopping.is_set():
                log.info("import cancelled", name=item.name)
                self.forget(item.id)
        except DatabaseUnavailable:
            raise
        except (ReditusError, OSError) as why:
            self._fail(item, str(why) if isinstance(why, ReditusError) else f"its file cannot be read: {why}")
        except Exception as why:
            log.exception("import failed", name=item.name)
            self._fail(item, f"Reditus failed over it ({type(why).__name__}); its log says where")
        finally:
            self._progress.ended(item.id)

    def _read(self, item: Import, path: Path, target: Path) -> None:
        self._store.imports.step(item.id, State.READING)
        target.unlink(missing_ok=True)

        def at(doing: str, done: int, total: int = 0) -> None:
            if self._stopping.is_set() or item.id in self._cancelled:
                raise Cancelled
            self._progress.at(item.id, done, total, doing)

        made = spell_time(time.time_ns())
        options = ImportOptions.model_validate(item.options)
        incoming = read_incoming(path, item.name, options, target, made, lambda done: at("reading", done))
        self._store.imports.step(item.id, State.STORING)
        total = incoming.file.ticks
        taken = self._store.put_in(incoming.file.head, incoming.file.batches(lambda done: at("storing", done, total)))
        remarks = list(incoming.remarks)
        if taken.repeated_ticks:
            remarks.append(f"{taken.repeated_ticks:,} of {total:,} ticks were there already")
        self._store.imports.done(item.id, taken.archive, taken.stored_ticks, remarks)
        self.forget(item.id)

    def _fail(self, item: Import, why: str) -> None:
        log.warning("import failed", name=item.name, reason=why)
        self._store.imports.fail(item.id, why)
        # The file stays, for it may be read another way, until the import is removed or forgotten.
        (self._folder / str(item.id) / MADE).unlink(missing_ok=True)

    def _tidy(self) -> None:
        """Give up what was forgotten, and remove files that no import has."""
        # In this order: an import is written down before its folder is made.
        folders = list(self._folder.iterdir()) if self._folder.is_dir() else []
        every = {item.id: item for item in self._store.imports.all()}
        latest_ns = time.time_ns() - round(FORGOTTEN_S * 1e9)
        for item in every.values():
            if item.state in (State.RECEIVING, State.RECEIVED) and item.changed_ns < latest_ns:
                self._give_up(item)
        kept = {str(item.id) for item in every.values() if item.state not in ENDED or item.state is State.FAILED}
        for folder in folders:
            if folder.name not in kept:
                shutil.rmtree(folder, ignore_errors=True)

    def _give_up(self, item: Import) -> None:
        try:
            self._store.imports.cancel(item.id)
        except (UnknownImport, ImportInTheWay):
            return
        self.forget(item.id)
