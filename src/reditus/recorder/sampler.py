"""One tick: every source read once, with the time of its own reading."""

import time
from collections.abc import Iterable
from dataclasses import dataclass

import structlog

from reditus.core.layout import Column
from reditus.core.types import IntArray
from reditus.recorder.kernel_text import KernelText
from reditus.recorder.reading import KernelFile
from reditus.recorder.sources import SOURCES, Source

log = structlog.get_logger()

RETRY_S = 60.0
"""How long a file that could not be read is left alone."""


@dataclass(frozen=True, slots=True)
class Reading:
    """One group at one tick."""

    group: str
    wall_ns: int
    monotonic_ns: int
    columns: tuple[Column, ...]
    values: IntArray


class SourceReader:
    """Reads one source. Files that are not there, or may not be read, are left out and tried again now and then."""

    def __init__(self, source: Source, root: str = "/") -> None:
        self.source = source
        self._files = [KernelFile(path, root) for path in source.paths]
        self._text = KernelText(source.learn)
        self._retry_at_s = dict.fromkeys(source.paths, 0.0)
        self.unreadable: dict[str, str] = {}
        """Paths that could not be read, with the reason."""

    def read(self) -> Reading | None:
        """Return the tick's reading, or None when there was nothing to read."""
        wall_ns, monotonic_ns = time.time_ns(), time.monotonic_ns()
        text = self._read_text()
        if not text:
            return None
        values = self._text.parse(text)
        if not self._text.columns:
            return None
        return Reading(self.source.group, wall_ns, monotonic_ns, self._text.columns, values)

    def close(self) -> None:
        for file in self._files:
            file.close()

    def _read_text(self) -> bytes:
        parts = []
        several = len(self._files) > 1
        for file in self._files:
            content = self._read_file(file)
            if content is not None:
                parts.append(b"@ %s\n%s" % (file.path.encode(), content) if several else content)
        return b"".join(parts)

    def _read_file(self, file: KernelFile) -> bytes | None:
        now_s = time.monotonic()
        if file.path in self.unreadable and now_s < self._retry_at_s[file.path]:
            return None
        try:
            content = file.read()
        except OSError as why:
            reason = why.strerror or str(why)
            if self.unreadable.get(file.path) != reason:
                log.info("not readable, left out", path=file.path, reason=reason)
            self.unreadable[file.path] = reason
            self._retry_at_s[file.path] = now_s + RETRY_S
            return None
        if self.unreadable.pop(file.path, None):
            log.info("readable again", path=file.path)
        return content


class Sampler:
    """All sources of this machine, or of a tree that looks like one (`root`)."""

    def __init__(self, sources: Iterable[Source] = SOURCES, root: str = "/") -> None:
        self._readers = [SourceReader(source, root) for source in sources]

    def tick(self) -> list[Reading]:
        return [reading for reader in self._readers if (reading := reader.read()) is not None]

    @property
    def unreadable(self) -> dict[str, str]:
        return {path: reason for reader in self._readers for path, reason in reader.unreadable.items()}

    def close(self) -> None:
        for reader in self._readers:
            reader.close()
