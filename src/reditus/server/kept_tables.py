"""Tables that were written recently, kept as files: the next request for the same need not wait."""

import os
from collections.abc import Hashable
from contextlib import suppress
from pathlib import Path
from tempfile import TemporaryDirectory
from threading import Lock
from typing import Any, NamedTuple

from cachetools import LRUCache

SHARE = 4
"""One of them may take a quarter of the room."""
MOST_BYTES = 128 << 20


class Written(NamedTuple):
    """A table as it was written."""

    path: Path
    size_bytes: int
    host: str
    left_out: str | None = None
    """What was damaged, and so is not in it."""


class _Files(LRUCache[Hashable, Written]):
    """What gives way is removed. A request that has it already has a link of its own."""

    def popitem(self) -> tuple[Any, Written]:
        key, gone = super().popitem()
        gone.path.unlink(missing_ok=True)
        return key, gone


class KeptTables:
    """Files by what they are of, those used longest ago given up first. For use by several threads."""

    def __init__(self, most_bytes: int = MOST_BYTES) -> None:
        self._most_bytes = most_bytes
        self._lock = Lock()
        self._made = 0
        self._folder: TemporaryDirectory[str] | None = None
        self._files = _Files(most_bytes, getsizeof=lambda written: written.size_bytes)

    def get(self, key: Hashable, place: Path) -> Written | None:
        """The table, linked to a place; None where it is not kept."""
        with self._lock:
            found = self._files.get(key)
            if found is None:
                return None
            try:
                os.link(found.path, place)
            except FileNotFoundError:  # the folder was cleared of temporary files
                del self._files[key]
                return None
        return found._replace(path=place)

    def keep(self, key: Hashable, written: Written) -> None:
        """Keep a table, unless it is large, or lacks what may be mended. The caller's file stays the caller's."""
        if written.size_bytes * SHARE > self._most_bytes or written.left_out is not None:
            return
        with self._lock:
            if self._folder is None:
                self._folder = TemporaryDirectory(prefix="reditus-tables-")
            self._made += 1
            path = Path(self._folder.name) / str(self._made)
            with suppress(FileNotFoundError):  # the folder was cleared: nothing is kept, and all is read again
                os.link(written.path, path)
                self._files.pop(key, None)
                self._files[key] = written._replace(path=path)

    def close(self) -> None:
        """Remove every file."""
        with self._lock:
            self._files.clear()
            if self._folder is not None:
                self._folder.cleanup()
                self._folder = None
