"""What a source declares."""

from dataclasses import dataclass

from reditus.recorder.kernel_text import Learn


@dataclass(frozen=True, slots=True)
class Source:
    """A kernel file, which is a group of counters with a timebase of its own."""

    group: str
    path: str
    learn: Learn
