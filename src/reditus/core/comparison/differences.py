"""Every measure of two sides held against each other, and what differs ranked by what it means for work."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from reditus.core.binning import BinStats
from reditus.core.comparison.matching import Matched, matched
from reditus.core.comparison.roles import Meaning, Role, meaning_of
from reditus.core.comparison.samples import Side
from reditus.core.comparison.statistics import (
    LEAST_VALUES,
    TREND_BLOCKS,
    Effect,
    beyond_chance,
    effect_of,
    shift_of,
    trend_of,
)
from reditus.core.comparison.thresholds import threshold_of
from reditus.core.measures import Measure, Per, Resource, Unit
from reditus.core.measures.measure import natural_key
from reditus.core.measures.selection import SeriesKey
from reditus.core.types import FloatArray

LEVEL = 0.05
"""Of the differences that are called so, so many are expected to be chance at most."""
LEAST_DELTA = 0.33
LEAST_RATIO = 1.1
"""What differs by less is no difference worth a word, however sure it is."""
LEAST_GROWTH = 0.05
MOST_RATIO = 64.0
"""Beyond it, more times as much does not weigh more."""
SHAPE_BINS = 48
MARGIN, MARGIN_TIMES = 0.08, 1.3
"""A scale goes on beyond its values by so much, so that what stands at an end is seen whole."""
LOG_FROM = 30.0
"""Where one side is so many times the other, both are drawn on a logarithmic scale."""
MOST_DEVICES = 3
"""Of so many that went the same way, the machine is shown."""
_QUANTILES = (0.25, 0.5, 0.75, 0.95, 0.99)


@dataclass(frozen=True, slots=True)
class Distribution:
    """One side's values of a measure. Quantiles are of the bins' means, lowest and highest of the ticks."""

    values: int
    low: float
    q1: float
    median: float
    q3: float
    p95: float
    p99: float
    high: float
    mean: float
    above: float | None = None
    """Share of the values from the rule's threshold on, where there is one."""

    @classmethod
    def of(cls, stats: BinStats, threshold: float | None = None) -> "Distribution":
        """Of bins of which at least one is known."""
        known = ~np.isnan(stats.mean)
        mean = stats.mean[known]
        places = np.arange(len(mean))
        q1, median, q3, p95, p99 = (
            float(value) for value in np.interp(np.multiply(_QUANTILES, len(mean) - 1), places, np.sort(mean))
        )
        return cls(
            len(mean), float(stats.low[known].min()), q1, median, q3, p95, p99, float(stats.high[known].max()),
            float(np.average(mean, weights=np.maximum(stats.observed_s[known], 1e-9))),
            None if threshold is None else float(np.mean(mean >= threshold)),
        )  # fmt: skip


@dataclass(frozen=True, slots=True)
class Difference:
    """A measure of a device on both sides."""

    measure: Measure
    device: str | None
    reference_device: str | None
    """The same, but where devices stand for each other that are called differently."""
    role: Role
    window: Distribution
    reference: Distribution
    effect: Effect
    shift: float
    shift_low: float
    shift_high: float
    ratio: float
    """Times as much as in the reference; what is next to nothing counts as a floor. Below 1: less."""
    score: float
    is_beyond_chance: bool = False
    likewise: tuple[str, ...] = ()
    """Other devices of which the same can be said."""

    @property
    def rises(self) -> bool:
        """Whether there is more of it than in the reference."""
        return self.effect.delta > 0


@dataclass(frozen=True, slots=True)
class Comparison:
    """What differs, the most telling first, and what could not be compared."""

    window: Side
    reference: Side
    differences: tuple[Difference, ...]
    """Beyond chance, and large enough to matter."""
    alike: tuple[Difference, ...]
    """The rest, by score: what may be chance, or is too small to matter."""
    unmatched: dict[Per, Matched] = field(default_factory=dict)
    """Kinds that have devices on one side only."""
    one_sided: tuple[tuple[str, str | None, str], ...] = ()
    """Measure, device, and why it could not be compared."""

    @property
    def compared(self) -> int:
        """How many measures of how many devices."""
        return len(self.differences) + len(self.alike)


def compare(
    window: Side, reference: Side, keys: Sequence[SeriesKey], check: Callable[[], None] = lambda: None
) -> Comparison:
    """Hold two sides against each other. `keys` are what either side may have; `check` is called between parts of the
    work.
    """
    matches = _matches(window, reference, keys)
    found: list[Difference] = []
    one_sided: list[tuple[str, str | None, str]] = []
    for at, (measure, device, other) in enumerate(_pairs(keys, matches)):
        if at % 32 == 0:
            check()
        meaning = meaning_of(measure)
        if meaning is None:
            continue
        sides = window.stats.get((measure.name, device)), reference.stats.get((measure.name, other))
        counts = [0 if side is None else int((~np.isnan(side.mean)).sum()) for side in sides]
        if max(counts) == 0:
            continue
        if min(counts) < LEAST_VALUES:
            which = "the window" if counts[0] < counts[1] else "the reference"
            one_sided.append(
                (measure.name, device, f"{min(counts)} values in {which}; {LEAST_VALUES} at least are wanted")
            )
            continue
        assert sides[0] is not None
        assert sides[1] is not None
        found.append(_difference(measure, (device, other), meaning, sides[0], sides[1]))
    sure = beyond_chance([item.effect.p for item in found], LEVEL)
    judged = [
        replace(item, is_beyond_chance=bool(beyond) and _is_large(item))
        for item, beyond in zip(found, sure, strict=True)
    ]
    judged = [_shifted(item, window, reference) if item.is_beyond_chance else item for item in _explained(judged)]
    ranked = sorted(judged, key=lambda item: (-item.score, item.measure.name, item.device or ""))
    return Comparison(
        window,
        reference,
        tuple(_folded([item for item in ranked if item.is_beyond_chance])),
        tuple(item for item in ranked if not item.is_beyond_chance),
        {per: match for per, match in matches.items() if match.only_window or match.only_reference},
        tuple(one_sided),
    )


def _explained(found: list[Difference]) -> list[Difference]:
    """What is held up in all grows with what is done: only what goes beyond that counts for its rank. What one request
    waits does not.
    """
    demand: dict[Resource, float] = {}
    for resource in Resource:
        ratios = [
            item.ratio
            for item in found
            if item.is_beyond_chance and item.role is Role.DEMAND and item.measure.resource is resource
        ]
        demand[resource] = float(np.median(ratios)) if ratios else 1.0
    return [
        replace(item, score=item.score * _left_over(item.ratio, demand[item.measure.resource]))
        if item.role is Role.RESPONSE and not item.measure.per_event
        else item
        for item in found
    ]


def _left_over(ratio: float, demand: float) -> float:
    """The share of a change that more or less work does not explain."""
    if (ratio > 1) != (demand > 1):
        return 1.0
    return max(1 - abs(float(np.log2(demand))) / max(abs(float(np.log2(ratio))), 1e-9), 0.1)


def _shifted(item: Difference, window: Side, reference: Side) -> Difference:
    here = window.values(item.measure.name, item.device)
    there = reference.values(item.measure.name, item.reference_device)
    shift, low, high = shift_of(here, there, item.effect)
    return replace(item, shift=shift, shift_low=low, shift_high=high)


def _matches(window: Side, reference: Side, keys: Sequence[SeriesKey]) -> dict[Per, Matched]:
    names: dict[Per, tuple[dict[str, None], dict[str, None]]] = {}
    for key in keys:
        if key.device is None or key.measure.per is None:
            continue
        here, there = names.setdefault(key.measure.per, ({}, {}))
        for side, own in ((window, here), (reference, there)):
            if (key.measure.name, key.device) in side.stats:
                own[key.device] = None
    return {
        per: matched(per, list(here), list(there), (window.facts, reference.facts))
        for per, (here, there) in names.items()
    }


def _pairs(keys: Sequence[SeriesKey], matches: dict[Per, Matched]) -> list[tuple[Measure, str | None, str | None]]:
    measures = dict.fromkeys(key.measure for key in keys)
    out: list[tuple[Measure, str | None, str | None]] = []
    for measure in measures:
        out.append((measure, None, None))
        if measure.per in matches:
            out += [(measure, here, there) for here, there in matches[measure.per].pairs]
    return out


def _difference(
    measure: Measure, devices: tuple[str | None, str | None], meaning: Meaning, window: BinStats, reference: BinStats
) -> Difference:
    effect = effect_of(window.mean, reference.mean)
    here, there = (side.mean[~np.isnan(side.mean)] for side in (window, reference))
    growth = _growth(here, there, meaning) if measure.unit is Unit.BYTES and meaning.role is Role.LEVEL else None
    if growth is not None:
        effect = growth
    shift = float(np.median(here) - np.median(there))
    threshold = threshold_of(measure.name)
    own, other = Distribution.of(window, threshold), Distribution.of(reference, threshold)
    ratio = _ratio(own, other, meaning.floor, rises=effect.delta > 0)
    score = meaning.weight * abs(effect.delta) * abs(float(np.log2(ratio))) * (1.0 if effect.p < LEVEL else 0.1)
    return Difference(
        measure, devices[0], devices[1], meaning.role, own, other, effect, shift, shift, shift, ratio=ratio, score=score
    )  # fmt: skip


def _growth(here: FloatArray, there: FloatArray, meaning: Meaning) -> Effect | None:
    """A level that grows or falls through the window and did not in the reference: its ticks are too much alike to be
    set apart one by one, but their order is no chance.
    """
    (grown, p), (before, _) = trend_of(here), trend_of(there)
    if abs(grown) < max(meaning.floor, LEAST_GROWTH * float(np.median(there))) or abs(grown) < 3 * abs(before):
        return None
    delta = float(np.sign(grown))
    return Effect(delta, delta / 2, delta, p, TREND_BLOCKS) if p < LEVEL else None


def _ratio(window: Distribution, reference: Distribution, floor: float, *, rises: bool) -> float:
    """Of medians or of means, whichever tells more: what comes in bursts has a median of nothing."""
    ratios = [
        (max(own, 0.0) + floor) / (max(other, 0.0) + floor)
        for own, other in ((window.median, reference.median), (window.mean, reference.mean))
    ]
    ratio = max(ratios) if rises else min(ratios)
    return float(np.clip(ratio, 1 / MOST_RATIO, MOST_RATIO))


def _is_large(item: Difference) -> bool:
    return abs(item.effect.delta) >= LEAST_DELTA and max(item.ratio, 1 / item.ratio) >= LEAST_RATIO


def _folded(ranked: list[Difference]) -> list[Difference]:
    """One row for a measure that went the same way for several devices: the machine's, or that of the one device that
    says as much as the machine that it is a part of.
    """
    alike: dict[tuple[str, bool], list[Difference]] = {}
    for item in ranked:
        alike.setdefault((item.measure.name, item.rises), []).append(item)
    out = []
    for items in alike.values():
        devices = [item for item in items if item.device is not None]
        whole = next((item for item in items if item.device is None), None)
        is_of_all = whole is not None and (not devices or len(devices) >= MOST_DEVICES)
        shown = whole if whole is not None and is_of_all else devices[0]
        others = (item.device for item in devices if item is not shown and item.device is not None)
        likewise = tuple(sorted(others, key=natural_key))
        out.append(replace(shown, score=items[0].score, likewise=likewise))
    return sorted(out, key=lambda item: -item.score)


@dataclass(frozen=True, slots=True)
class ShapePair:
    """Both sides' densities on one scale, each with its highest at 1, shape (SHAPE_BINS,)."""

    low: float
    high: float
    log: bool
    """Whether the scale is logarithmic."""
    window: FloatArray
    reference: FloatArray


def shapes_of(item: Difference, window: Side, reference: Side) -> ShapePair:
    """The shapes of both distributions of a difference."""
    here = window.values(item.measure.name, item.device)
    there = reference.values(item.measure.name, item.reference_device)
    low, high = (float(value) for value in np.quantile(np.concatenate([here, there]), [0.002, 0.998]))
    if low > 0 and max(item.ratio, 1 / item.ratio) >= LOG_FROM:
        low, high = low / MARGIN_TIMES, high * MARGIN_TIMES
        pair = [shape_of(np.log(np.maximum(side, low)), np.log(low), np.log(high)) for side in (here, there)]
        return ShapePair(low, high, True, *pair)
    margin = MARGIN * (high - low)
    low, high = low - margin, high + margin
    return ShapePair(low, high, False, shape_of(here, low, high), shape_of(there, low, high))


def shape_of(values: FloatArray, low: float, high: float) -> FloatArray:
    """A sample's density over SHAPE_BINS equal parts from `low` to `high`, smoothed; the highest part is 1."""
    counted, _ = np.histogram(values, bins=SHAPE_BINS, range=(low, high if high > low else low + 1.0))
    kernel = np.array([1.0, 4.0, 6.0, 4.0, 1.0]) / 16
    smooth: FloatArray = np.convolve(counted, kernel, mode="same")
    most = smooth.max()
    return smooth / most if most > 0 else smooth
