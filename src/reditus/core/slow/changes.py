"""What changed slowly in one measure: its pieces over weeks, whether it creeps, and how long there is room."""

from dataclasses import dataclass

import numpy as np

from reditus.core.slow.change_points import Piece, pieces_of
from reditus.core.slow.rhythm import nan_median, rhythm_of
from reditus.core.slow.trends import Slope, slope_of
from reditus.core.types import FloatArray

MOST_VALUES = 1_200
"""Of longer series medians of neighbours are divided: a month and a half of hours is kept as it is."""
LEAST_CERTAINTY = 0.99
CREEPS_P = 0.01
LEAST_FACTOR, LEAST_FLOORS = 1.15, 1.0
"""A change of level counts from a seventh on, and from as much as makes a difference at all."""


@dataclass(frozen=True, slots=True)
class Stretch:
    """A piece as it is reported, in the measure's own unit."""

    start: int
    stop: int
    first: float
    last: float
    certainty: float
    uncertainty: int

    @property
    def creeps(self) -> bool:
        """Whether it goes up or down."""
        return self.first != self.last


@dataclass(frozen=True, slots=True)
class SlowChange:
    """A measure over weeks."""

    stretches: tuple[Stretch, ...]
    """One after another; a single level one where nothing changed."""
    slope: Slope | None
    """Of the last stretch, where that creeps; in the scale that it was judged on (`is_relative`)."""
    is_relative: bool
    """Whether a slope is a share of the value and not an amount."""

    @property
    def changed(self) -> bool:
        """Whether there is anything to report."""
        return len(self.stretches) > 1 or self.stretches[0].creeps


def slow_change(values: FloatArray, per_day: int, *, floor: float, is_relative: bool) -> SlowChange | None:
    """Of evenly spaced values, `per_day` a day, NaN where unknown; None where too few are known to judge.

    `floor` is as much as is next to nothing. Measures that double and halve are judged by ratio, those that fill up by
    amount.
    """
    together = 1
    while len(values) // together > MOST_VALUES or per_day % together:
        together += 1
    coarse = values
    if together > 1:
        whole = len(values) // together * together
        coarse = nan_median(values[len(values) - whole :].reshape(-1, together), axis=1)
    offset = len(values) - len(coarse) * together
    days = per_day // together
    scaled = np.log(np.maximum(coarse, 0.0) + floor) if is_relative else coarse / floor
    plain = scaled - rhythm_of(scaled, days)
    pieces = pieces_of(plain)
    if not pieces:
        return None
    kept = _kept(plain, pieces, days)
    slope = _slope(plain, kept[-1], days)
    if kept[-1].creeps and slope is None:
        level = float(nan_median(plain[kept[-1].start : kept[-1].stop]))
        last = kept[-1]
        kept[-1] = Piece(last.start, last.stop, level, level, last.certainty, last.uncertainty)
        kept = _kept(plain, kept, days)

    def in_units(value: float) -> float:
        return float(max(np.exp(value) - floor, 0.0)) if is_relative else value * floor

    stretches = tuple(
        Stretch(
            piece.start * together + offset * bool(place), piece.stop * together + offset, in_units(piece.first),
            in_units(piece.last), piece.certainty, piece.uncertainty * together,
        )
        for place, piece in enumerate(kept)
    )  # fmt: skip
    if slope is not None:
        unit = (1.0 if is_relative else floor) / together
        slope = Slope(slope.slope * unit, slope.low * unit, slope.high * unit, slope.p, slope.rising)
    return SlowChange(stretches, slope, is_relative)


def _slope(plain: FloatArray, piece: Piece, per_day: int) -> Slope | None:
    """Of a piece that creeps, where the test says so too."""
    if not piece.creeps:
        return None
    part = plain[piece.start : piece.stop]
    # Without a rhythm any round will do; days are taken where there are enough.
    rounds = per_day if len(part) >= 8 * per_day else max(len(part) // 16, 1)
    slope = slope_of(part, rounds)
    return slope if slope is not None and slope.p <= CREEPS_P and abs(piece.last - piece.first) >= _least() else None


def _least() -> float:
    return float(np.log(LEAST_FACTOR))


def _kept(plain: FloatArray, pieces: list[Piece], per_day: int) -> list[Piece]:
    """Pieces that differ by something and surely; what does not is a part of the one before."""
    out = [pieces[0]]
    for piece in pieces[1:]:
        before = out[-1]
        differs = abs(piece.first - before.last) >= _least() or piece.creeps or before.creeps
        if differs and piece.certainty >= LEAST_CERTAINTY:
            out.append(piece)
            continue
        part = plain[before.start : piece.stop]
        if before.creeps or piece.creeps:
            out[-1] = Piece(before.start, piece.stop, before.first, piece.last, before.certainty, before.uncertainty)
        else:
            level = float(nan_median(part))
            out[-1] = Piece(before.start, piece.stop, level, level, before.certainty, before.uncertainty)
    return out
