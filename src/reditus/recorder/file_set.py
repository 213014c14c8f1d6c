"""Many small files that belong together (one per core, interface, control group), read as one text."""

import fnmatch
import os
from collections.abc import Callable, Container, Iterable, Iterator
from functools import cache

import structlog

from reditus.core.types import NS_PER_S
from reditus.recorder.kernel_file import KernelFile
from reditus.recorder.sources.source import Source, headed

log = structlog.get_logger()

LOOK_AGAIN_NS = 15 * NS_PER_S
"""How often it is looked for folders that came; a file that goes is noticed when it is read."""
LOOK_WHOLE_NS = 60 * NS_PER_S
"""How often it is looked into folders that are known, for files that came."""
MOST_FILES = 1_024


class FileSet:
    """The files of one source, kept open."""

    def __init__(self, source: Source, root: str = "/") -> None:
        self._source, self._root = source, root.rstrip("/")
        self._files: dict[str, KernelFile] = {}
        self._reads: list[tuple[str, bytes, Callable[[], bytes]]] = []
        self._look_at_ns: int | None = None
        self._look_whole_at_ns = 0
        self._fronts = sorted({pattern.partition("*")[0].rpartition("/")[0] for pattern in source.patterns})
        self._listed: list[list[str]] | None = None
        self._described = False
        # What a path is wanted for is in its name, so it is looked up once.
        self._wants = cache(self._holds_something)

    def read(self, now_ns: int) -> bytes:
        """The files' texts, each after its path. Raise FileNotFoundError where there are none."""
        if self._look_at_ns is None or now_ns >= self._look_at_ns:
            self._look_at_ns = now_ns + LOOK_AGAIN_NS
            listed = [listing(self._root + folder) for folder in self._fronts]
            if listed != self._listed or now_ns >= self._look_whole_at_ns:
                self._look()
                self._listed, self._look_whole_at_ns = listed, now_ns + LOOK_WHOLE_NS
        parts: list[bytes] = []
        gone = False
        for path, head, read in self._reads:
            try:
                text = read()
                parts += head, text, b"" if text.endswith(b"\n") else b"\n"
            except OSError:
                # Gone, or nothing to say at the moment (the speed of a link that is down); read again when
                # looking.
                self._files.pop(path).close()
                gone = True
        if gone:
            self._reads = [read_series for read_series in self._reads if read_series[0] in self._files]
        if not parts:
            raise FileNotFoundError(2, "No such file or directory")
        return b"".join(parts)

    def close(self) -> None:
        """Close all files."""
        for file in self._files.values():
            file.close()
        self._files.clear()
        self._reads.clear()
        self._look_at_ns = None

    def _look(self) -> None:
        usable = list(matching(self._source.patterns, self._root, known=self._files, wants=self._wants))
        if len(usable) > MOST_FILES and not self._described:
            log.warning("too many files, the rest is left out", path=self._source.path, files=len(usable))
            self._described = True
        wanted = dict.fromkeys(usable[:MOST_FILES])
        for path in set(self._files) - set(wanted):
            self._files.pop(path).close()
        # In the order of the patterns, so that the text keeps its shape.
        self._files = {path: self._files.get(path) or KernelFile(path, self._root or "/") for path in wanted}
        self._reads = [(path, headed(path, b""), file.read) for path, file in self._files.items()]

    def _holds_something(self, path: str) -> bool:
        # A name with blanks or control characters could not be reported from text.
        wants = self._source.wants
        return path.isprintable() and " " not in path and (wants is None or wants(path))


def matching(
    patterns: Iterable[str],
    root: str = "",
    known: Container[str] = (),
    wants: Callable[[str], bool] = lambda _: True,
) -> Iterator[str]:
    """The paths below `root` that match and are wanted, pattern by pattern. Each folder is listed once, however many
    patterns ask; of those known or not wanted it is not checked whether they are there.
    """

    @cache
    def below(pattern: str) -> list[str]:
        """What a pattern's folder may lead to. Patterns mostly share their folders."""
        front, _, part = pattern.rpartition("/")
        if "*" not in pattern:
            return [pattern]
        folders = below(front)
        if "*" not in part:
            return [f"{path}/{part}" for path in folders]
        return [f"{path}/{name}" for path in folders for name in fnmatch.filter(inside(path), part)]

    @cache
    def files(folder: str) -> list[str]:
        return listing(root + folder)

    @cache
    def inside(folder: str) -> list[str]:
        try:
            with os.scandir(root + folder) as entries:
                # Nothing lies below a file; a link may lead to a folder.
                return sorted(entry.name for entry in entries if not entry.is_file(follow_symlinks=False))
        except OSError:
            return []

    for pattern in patterns:
        front, _, part = pattern.rpartition("/")
        for folder in below(front):
            names = fnmatch.filter(files(folder), part) if "*" in part else [part]
            for path in (f"{folder}/{name}" for name in names):
                if path in known or (wants(path) and os.path.exists(root + path)):
                    yield path


def listing(folder: str) -> list[str]:
    """What a folder holds, in order."""
    try:
        return sorted(os.listdir(folder))
    except OSError:  # not there, or closed: nothing in it can be read
        return []
