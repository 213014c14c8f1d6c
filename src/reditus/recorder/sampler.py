"""One tick: every source read once, with the time of its own reading."""

import time
from collections.abc import Iterable
from dataclasses import dataclass

import structlog

from reditus.core.layout import Column
from reditus.core.types import NS_PER_S, IntArray
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
    """Reads one source. A file that is not there, or may not be read, is left alone and tried again now and then."""

    def __init__(self, source: Source, root: str = "/") -> None:
        self.source = source
        self._file = KernelFile(source.path, root)
        self._text = KernelText(source.learn)
        self._retry_at_s = 0.0
        self.unreadable: str | None = None
        """Why the file could not be read, if it could not."""

    def read(self) -> Reading | None:
        """Return the tick's reading, or None when there was nothing to read."""
        wall_ns, monotonic_ns = time.time_ns(), time.monotonic_ns()
        if self.unreadable is not None and monotonic_ns / NS_PER_S < self._retry_at_s:
            return None
        try:
            text = self._file.read()
        except OSError as why:
            self._lay_aside(why.strerror or str(why), monotonic_ns / NS_PER_S)
            return None
        if self.unreadable is not None:
            log.info("readable again", path=self.source.path)
            self.unreadable = None
        values = self._text.parse(text)
        if not self._text.columns:
            return None
        return Reading(self.source.group, wall_ns, monotonic_ns, self._text.columns, values)

    def close(self) -> None:
        self._file.close()

    def _lay_aside(self, reason: str, now_s: float) -> None:
        if self.unreadable != reason:
            log.info("not readable, left out", path=self.source.path, reason=reason)
        self.unreadable = reason
        self._retry_at_s = now_s + RETRY_S


class Sampler:
    """All sources of this machine, or of a tree that looks like one (`root`)."""

    def __init__(self, sources: Iterable[Source] = SOURCES, root: str = "/") -> None:
        self._readers = [SourceReader(source, root) for source in sources]

    def tick(self) -> list[Reading]:
        return [reading for reader in self._readers if (reading := reader.read()) is not None]

    @property
    def unreadable(self) -> dict[str, str]:
        return {reader.source.path: reader.unreadable for reader in self._readers if reader.unreadable is not None}

    def close(self) -> None:
        for reader in self._readers:
            reader.close()
