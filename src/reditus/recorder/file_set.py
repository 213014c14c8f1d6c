"""Many small files that belong together (one per core, interface, control group), read as one text."""

import fnmatch
import os
from collections.abc import Container, Iterable, Iterator

import structlog

from reditus.core.types import NS_PER_S
from reditus.recorder.reading import KernelFile
from reditus.recorder.sources.source import Source, headed

log = structlog.get_logger()

LOOK_AGAIN_NS = 15 * NS_PER_S
"""How often it is looked for files that came; one that goes is noticed when it is read."""
MOST_FILES = 1_024


class FileSet:
    """The files of one source, kept open."""

    def __init__(self, source: Source, root: str = "/") -> None:
        self._source, self._root = source, root.rstrip("/")
        self._files: dict[str, KernelFile] = {}
        self._heads: dict[str, bytes] = {}
        self._look_at_ns: int | None = None
        self._told = False

    def read(self, now_ns: int) -> bytes:
        """The files' texts, each after its path. Raise FileNotFoundError where there are none."""
        if self._look_at_ns is None or now_ns >= self._look_at_ns:
            self._look()
            self._look_at_ns = now_ns + LOOK_AGAIN_NS
        parts: list[bytes] = []
        for path, file in list(self._files.items()):
            try:
                text = file.read()
                parts += self._heads[path], text, b"" if text.endswith(b"\n") else b"\n"
            except OSError:
                # Gone, or nothing to say at the moment (the speed of a link that is down); asked again when looking.
                del self._files[path]
        if not parts:
            raise FileNotFoundError(2, "No such file or directory")
        return b"".join(parts)

    def close(self) -> None:
        for file in self._files.values():
            file.close()
        self._files.clear()

    def _look(self) -> None:
        found = list(matching(self._source.patterns, self._root, known=self._files))
        # A name with blanks or control characters could not be told from text.
        wants = self._source.wants
        usable = [path for path in found if path.isprintable() and " " not in path and (wants is None or wants(path))]
        if len(usable) > MOST_FILES and not self._told:
            log.warning("too many files, the rest is left out", path=self._source.path, files=len(usable))
            self._told = True
        wanted = dict.fromkeys(usable[:MOST_FILES])
        for path in set(self._files) - set(wanted):
            self._files.pop(path).close()
        # In the order of the patterns, so that the text keeps its shape.
        self._files = {path: self._files.get(path) or KernelFile(path, self._root or "/") for path in wanted}
        self._heads = {path: headed(path, b"") for path in wanted}


def matching(patterns: Iterable[str], root: str = "", known: Container[str] = ()) -> Iterator[str]:
    """The paths below `root` that match, pattern by pattern. Each folder is listed once, however many patterns ask; of
    those known it is not asked whether they are there.
    """
    listed: dict[str, list[str]] = {}

    def names(folder: str) -> list[str]:
        if folder not in listed:
            try:
                listed[folder] = sorted(os.listdir(folder))
            except OSError:  # not there, or closed: nothing in it can be read
                listed[folder] = []
        return listed[folder]

    for pattern in patterns:
        paths = [""]
        for part in pattern.strip("/").split("/"):
            if "*" in part:
                paths = [f"{path}/{name}" for path in paths for name in fnmatch.filter(names(root + path), part)]
            else:
                paths = [f"{path}/{part}" for path in paths]
        yield from (path for path in paths if path in known or os.path.exists(root + path))
