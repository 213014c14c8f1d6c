"""One tick: every source read once, with the time of its own reading."""

import time
from collections.abc import Iterable
from dataclasses import dataclass

import structlog

from reditus.core.layout import Column
from reditus.core.types import NS_PER_S, IntArray
from reditus.recorder.joint_text import JointText
from reditus.recorder.kernel_text import KernelText
from reditus.recorder.reading import KernelFile
from reditus.recorder.sources import SOURCES, Source

log = structlog.get_logger()

RETRY_NS = 60 * NS_PER_S
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
        self.text = KernelText(source.learn)
        self._file = KernelFile(source.path, root)
        self._prepare = source.prepare
        self._retry_at_ns = 0
        self.unreadable: str | None = None
        """Why the file could not be read, if it could not."""

    def read(self, now_ns: int) -> bytes:
        """The tick's text, empty where there was nothing to read. `now_ns` is of the monotonic clock."""
        if self.unreadable is not None and now_ns < self._retry_at_ns:
            return b""
        try:
            raw = self._file.read()
        except OSError as why:
            self._lay_aside(why.strerror or str(why), now_ns)
            return b""
        if self.unreadable is not None:
            log.info("readable again", path=self.source.path)
            self.unreadable = None
        return self._prepare(raw) if self._prepare is not None else raw

    def close(self) -> None:
        self._file.close()

    def _lay_aside(self, reason: str, now_ns: int) -> None:
        if self.unreadable != reason:
            log.info("not readable, left out", path=self.source.path, reason=reason)
        self.unreadable = reason
        self._retry_at_ns = now_ns + RETRY_NS


class Sampler:
    """All sources of this machine, or of a tree that looks like one (`root`)."""

    def __init__(self, sources: Iterable[Source] = SOURCES, root: str = "/") -> None:
        self._readers = [SourceReader(source, root) for source in sources]
        self._joint = JointText([reader.text for reader in self._readers])

    def tick(self) -> list[Reading]:
        """Read every source, each with its own time, then parse them all at once."""
        # Both clocks once, and from then on only the monotonic one: within a tick they do not part.
        wall_ahead_ns = time.time_ns() - time.monotonic_ns()
        texts, at_ns = [], []
        for reader in self._readers:
            now_ns = time.monotonic_ns()
            at_ns.append(now_ns)
            texts.append(reader.read(now_ns))
        return [
            Reading(reader.source.group, now_ns + wall_ahead_ns, now_ns, reader.text.columns, values)
            for reader, now_ns, text, values in zip(self._readers, at_ns, texts, self._joint.parse(texts), strict=True)
            if text and len(values)
        ]

    @property
    def unreadable(self) -> dict[str, str]:
        return {reader.source.path: reader.unreadable for reader in self._readers if reader.unreadable is not None}

    def close(self) -> None:
        for reader in self._readers:
            reader.close()
