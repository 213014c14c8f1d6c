"""What a source declares."""

import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import cached_property

from reditus.recorder.kernel_text import Field, Learn, Word, lines

HEAD = b"@"
SLOW_S = 5
"""How often what changes slowly, or costs much to ask for, is read."""


@dataclass(frozen=True)
class Source:
    """A kernel file, or many that belong together, which is a group of counters with a timebase of its own."""

    group: str
    path: str
    """The file. With `*` in it, or with `more`, the texts of all files that match, each after a line `@ PATH`: the form
    of a field capture."""
    learn: Learn
    prepare: Callable[[bytes], bytes] | None = None
    """Turns a text that is not in decimal into one that is, before it is parsed."""
    more: tuple[str, ...] = ()
    pace_s: int = 0
    """Not read more often than this; 0: at every tick."""
    empty: bytes | None = None
    """How the file begins where it has nothing to say but a heading, as on a machine without swap."""
    wants: Callable[[str], bool] | None = None
    """Of the paths that match, which hold anything to learn; all where it is None."""

    @property
    def patterns(self) -> tuple[str, ...]:
        """The paths of the source, as shell patterns."""
        return (self.path, *self.more)

    @cached_property
    def is_set(self) -> bool:
        """Whether the source is many files."""
        return bool(self.more) or "*" in self.path

    @cached_property
    def _matcher(self) -> re.Pattern[str]:
        return re.compile("|".join(re.escape(pattern).replace(r"\*", "[^/]*") for pattern in self.patterns))

    def covers(self, path: str) -> bool:
        """Whether the path is one of this source's."""
        return bool(self._matcher.fullmatch(path))

    def text_of(self, raw: bytes) -> bytes:
        """The text to parse, from what was read."""
        return raw if self.prepare is None else self.prepare(raw)


def headed(path: str, text: bytes) -> bytes:
    """A file's text as it stands in the text of a set."""
    return b"@ " + path.encode() + b"\n" + text + (b"" if not text or text.endswith(b"\n") else b"\n")


def sections(text: bytes) -> Iterator[tuple[str, list[list[Word]]]]:
    """The path and the words, line by line, of each file in the text of a set."""
    path: str | None = None
    body: list[list[Word]] = []
    for words in lines(text):
        if words[0].text == HEAD and len(words) == 2:
            if path is not None:
                yield path, body
            path, body = words[1].text.decode("utf-8", "replace"), []
        else:
            body.append(words)
    if path is not None:
        yield path, body


LearnFile = Callable[[str, list[list[Word]]], Iterator[Field]]


def each_file(learn_file: LearnFile) -> Learn:
    """Learn the text of a set file by file."""
    return lambda text: [field for path, body in sections(text) for field in learn_file(path, body)]


def rows_per_core(text: bytes) -> Iterator[tuple[list[str], list[Word]]]:
    """The numbers of the cores that the head line names, and the words of each line after it."""
    cores: list[str] = []
    for words in lines(text):
        if words[0].text.startswith(b"CPU"):
            cores = [word.text.removeprefix(b"CPU").decode("ascii", "replace") for word in words]
        else:
            yield cores, words
