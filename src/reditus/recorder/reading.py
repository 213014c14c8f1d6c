"""Read kernel files over and over: opened once, kept open, and re-read from their start."""

import os
from pathlib import Path

CHUNK_BYTES = 1 << 16


class KernelFile:
    """A file of /proc or /sys. Raises OSError while it is not there or may not be read."""

    def __init__(self, path: str, root: str = "/") -> None:
        self.path = path
        self._real = str(Path(root) / path.lstrip("/"))
        self._descriptor: int | None = None

    def read(self) -> bytes:
        if self._descriptor is None:
            self._descriptor = os.open(self._real, os.O_RDONLY | os.O_CLOEXEC)
        try:
            return self._read_all(self._descriptor)
        except OSError:
            # The thing behind it may have gone and come back; the next reading opens it anew.
            self.close()
            raise

    def close(self) -> None:
        if self._descriptor is not None:
            os.close(self._descriptor)
            self._descriptor = None

    @staticmethod
    def _read_all(descriptor: int) -> bytes:
        parts: list[bytes] = []
        done = 0
        # The kernel hands out long files a page or so at a time.
        while part := os.pread(descriptor, CHUNK_BYTES, done):
            parts.append(part)
            done += len(part)
        return parts[0] if len(parts) == 1 else b"".join(parts)
