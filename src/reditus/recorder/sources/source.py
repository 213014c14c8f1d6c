"""What a source declares."""

from dataclasses import dataclass

from reditus.recorder.kernel_text import Learn


@dataclass(frozen=True, slots=True)
class Source:
    """Kernel files that are read together and share a timebase.

    Where there are several paths, the text given to `learn` has a line `@ PATH` before each file's own.
    """

    group: str
    paths: tuple[str, ...]
    learn: Learn
