"""Read kernel files over and over: opened once, kept open, and re-read from their start."""

import os
from pathlib import Path

CHUNK_BYTES = 1 << 16
SHORT_BYTES = 2_048
"""A reading shorter than that has come to the end: the kernel fills a page before it hands out less than all, unless
one record (a line, mostly) does not fit into the rest of it.
"""


class KernelFile:
    """A file of /proc or /sys. Raises OSError while it is not there or may not be read."""

    def __init__(self, path: str, root: str = "/") -> None:
        self.path = path
        self._real = str(Path(root) / path.lstrip("/"))
        self._descriptor: int | None = None

    def read(self, _now_ns: int = 0) -> bytes:
        """Its text. The time is of no matter here; a set of files wants it."""
        if self._descriptor is None:
            self._descriptor = os.open(self._real, os.O_RDONLY | os.O_CLOEXEC)
        try:
            text = os.pread(self._descriptor, CHUNK_BYTES, 0)
            return text if len(text) < SHORT_BYTES else rest_of(self._descriptor, text)
        except OSError:
            # The thing behind it may have gone and come back; the next reading opens it again.
            self.close()
            raise

    def close(self) -> None:
        """Close the file, if it is open."""
        if self._descriptor is not None:
            os.close(self._descriptor)
            self._descriptor = None

    @property
    def descriptor(self) -> int | None:
        """While it is open."""
        return self._descriptor


def rest_of(descriptor: int, first: bytes) -> bytes:
    """The whole text, of which the first part was read."""
    parts, done = [first], len(first)
    # The kernel hands out long files a page or so at a time.
    while len(parts[-1]) >= SHORT_BYTES and (part := os.pread(descriptor, CHUNK_BYTES, done)):
        parts.append(part)
        done += len(part)
    return b"".join(parts)
