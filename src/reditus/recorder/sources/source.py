"""What a source declares."""

from collections.abc import Callable
from dataclasses import dataclass

from reditus.recorder.kernel_text import Learn


@dataclass(frozen=True, slots=True)
class Source:
    """A kernel file, which is a group of counters with a timebase of its own."""

    group: str
    path: str
    learn: Learn
    prepare: Callable[[bytes], bytes] | None = None
    """Turns a text that is not in decimal into one that is, before it is parsed."""

    def text_of(self, raw: bytes) -> bytes:
        return raw if self.prepare is None else self.prepare(raw)
