"""A table of measures over time, piece by piece: what every writer is handed."""

from collections.abc import Iterator
from dataclasses import dataclass

from reditus.core.types import FloatArray, IntArray


@dataclass(frozen=True, slots=True)
class Head:
    """A column."""

    name: str
    """As it is requested: NAME or NAME@DEVICE."""
    measure: str
    device: str | None
    title: str
    unit: str


@dataclass(frozen=True, slots=True)
class Piece:
    """Some ticks in the order of time."""

    times_ns: IntArray
    columns: list[FloatArray]
    """One for each head, shape (ticks,); NaN where nothing is known."""


@dataclass(frozen=True, slots=True)
class Table:
    """Columns, and their ticks."""

    host: str
    archive: str
    heads: list[Head]
    pieces: Iterator[Piece]
