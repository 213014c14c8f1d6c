"""What a source declares."""

from collections.abc import Mapping
from dataclasses import dataclass

from reditus.core.counters import counter_named
from reditus.core.layout import Column
from reditus.recorder.kernel_text import Learn


@dataclass(frozen=True, slots=True)
class Source:
    """Kernel files that are read together and share a timebase.

    Where there are several paths, the text given to `learn` has a line `@ PATH` before each file's own.
    """

    group: str
    paths: tuple[str, ...]
    learn: Learn


def column(
    counter: str, attributes: Mapping[str, str] | None = None, *, scale: tuple[int, int] = (1, 1), bits: int = 64
) -> Column:
    """A column of a counter in the catalogue, with the catalogue's unit and kind."""
    known = counter_named(counter)
    return Column.of(counter, attributes, unit=known.unit, kind=known.kind, scale=scale, bits=bits)
