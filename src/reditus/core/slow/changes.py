"""What changed slowly in one measure: its pieces over weeks, whether it creeps, and how long there is room."""

from dataclasses import dataclass, replace

import numpy as np

from reditus.core.slow.change_points import Piece, pieces_of
from reditus.core.slow.rhythm import nan_median, rhythm_of
from reditus.core.slow.trends import Slope, slope_of
from reditus.core.types import FloatArray

MOST_VALUES = 400
"""Of longer series medians of neighbours are divided: of three weeks of two hours each, of half a year of twelve."""
LEAST_DAYS, AS_BEFORE, LEAST_EVEN_DAYS = 1.0, 0.4, 4
"""What was over after less is a moment, with findings of its own, and no slow change."""
LEAST_CERTAINTY = 0.99
CREEPS_P = 0.01
NOISE = 0.05
"""Of a change that counts: what is smaller is taken for noise, also where there is none."""
LEAST_FACTOR = 1.15
LEAST_FLOORS, LEAST_SHARE = 1.0, 0.05
"""A change of what doubles and halves counts from a seventh on; of what fills up from as much as makes a difference at
all, and a twentieth of it."""


@dataclass(frozen=True, slots=True)
class SlowChange:
    """A measure over weeks."""

    stretches: tuple[Piece, ...]
    """One after another, in the measure's own unit; a single level one where nothing changed."""
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
    scaled = np.log(np.maximum(values, 0.0) + floor) if is_relative else values / floor
    plain = scaled - rhythm_of(scaled, per_day)
    offset, days = len(values) % together, per_day // together
    if together > 1:
        plain = nan_median(plain[offset:].reshape(-1, together), axis=1)
    if np.isnan(plain).all():
        return None
    least = _least(plain, is_relative)
    pieces = _lasting(plain, days, least)
    if not pieces:
        return None
    kept = _kept(plain, pieces, least)
    slope = _slope(plain, kept[-1], days)
    if kept[-1].creeps and slope is None:
        kept = _kept(plain, [*kept[:-1], _level(plain, kept[-1])], least)

    def in_units(value: float) -> float:
        return float(max(np.exp(value) - floor, 0.0)) if is_relative else value * floor

    stretches = tuple(
        Piece(
            piece.start * together + offset * bool(place), piece.stop * together + offset, in_units(piece.first),
            in_units(piece.last), piece.certainty, piece.uncertainty * together,
        )
        for place, piece in enumerate(kept)
    )  # fmt: skip
    if slope is not None:
        unit = (1.0 if is_relative else floor) / together
        slope = Slope(slope.slope * unit, slope.low * unit, slope.high * unit, slope.p, slope.rising)
    return SlowChange(stretches, slope, is_relative)


def _lasting(plain: FloatArray, per_day: int, least: float) -> list[Piece]:
    """The pieces, but for what was over within a day, and then was as before."""
    noise = (NOISE * least) ** 2
    whole = len(plain) // per_day * per_day
    by_day = nan_median(plain[:whole].reshape(-1, per_day), axis=1)
    if whole >= LEAST_EVEN_DAYS * per_day and float(np.nanmax(by_day) - np.nanmin(by_day)) < least:
        level = float(np.nanmedian(plain))
        return [Piece(0, len(plain), level, level, 1.0, 0)]  # no day differs enough for a change to count
    pieces = pieces_of(plain, least_noise=noise)
    short = [
        piece
        for before, piece, after in zip(pieces, pieces[1:], pieces[2:], strict=False)
        if piece.stop - piece.start < LEAST_DAYS * per_day
        and abs(after.first - before.last) < AS_BEFORE * abs(piece.first - before.last)
    ]
    if not short:
        return pieces
    without = plain.copy()
    for piece in short:
        without[piece.start : piece.stop] = np.nan
    return pieces_of(without, least_noise=noise)


def _slope(plain: FloatArray, piece: Piece, per_day: int) -> Slope | None:
    """Of a piece that creeps, where the test says so too."""
    if not piece.creeps:
        return None
    part = plain[piece.start : piece.stop]
    # Without a rhythm any round will do; days are taken where there are enough.
    rounds = per_day if len(part) >= 8 * per_day else max(len(part) // 16, 1)
    slope = slope_of(part, rounds)
    return slope if slope is not None and slope.p <= CREEPS_P else None


def _least(plain: FloatArray, is_relative: bool) -> float:
    """As much as a change has to be, in the scale that it is judged on."""
    if is_relative:
        return float(np.log(LEAST_FACTOR))
    return max(LEAST_FLOORS, LEAST_SHARE * float(np.nanmedian(np.abs(plain))))


def _kept(plain: FloatArray, pieces: list[Piece], least: float) -> list[Piece]:
    """Pieces that differ by something and surely; what does not is a part of the one before."""
    levelled = [piece if abs(piece.last - piece.first) >= least else _level(plain, piece) for piece in pieces]
    out = levelled[:1]
    for piece in levelled[1:]:
        before = out[-1]
        jumps = abs(piece.first - before.last) >= least
        if (jumps or piece.creeps or before.creeps) and piece.certainty >= LEAST_CERTAINTY:
            out.append(piece)
        else:
            joined = replace(before, stop=piece.stop, last=piece.last)
            out[-1] = joined if before.creeps or piece.creeps else _level(plain, joined)
    return out


def _level(plain: FloatArray, piece: Piece) -> Piece:
    level = float(np.nanmedian(plain[piece.start : piece.stop]))
    return replace(piece, first=level, last=level)
