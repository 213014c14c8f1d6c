"""Series drawn together are drawn as each would be alone."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from reditus.core.binning import Binner, bin_edges, bin_series, summarise
from reditus.core.binning.binner import FEW_TICKS
from reditus.core.frame import Series, Timebase
from reditus.core.types import NS_PER_S
from reditus.core.window import Window

PARTS = ("mean", "low", "high", "observed_s")


def timebase(ticks, gap_at=None):
    at_ns = np.arange(1, ticks + 1, dtype=np.int64) * NS_PER_S
    if gap_at is not None:
        at_ns[gap_at:] += 30 * NS_PER_S
    return Timebase(at_ns, at_ns.copy(), np.zeros(ticks, np.int64), np.full(ticks, NS_PER_S))


def series(base, seed, unknown):
    """Numbers of which some are not known: none, the first, a stretch, or every third."""
    values = np.random.default_rng(seed).normal(5, 3, len(base))
    if unknown == "first":
        values[:1] = np.nan
    elif unknown == "stretch":
        values[len(base) // 3 : len(base) // 2] = np.nan
    elif unknown == "thirds":
        values[::3] = np.nan
    elif unknown == "all":
        values[:] = np.nan
    return Series(base, values)


def same(binner, entries):
    for entry in entries:
        mine, alone = binner.binned(entry), bin_series(entry, binner.edges_ns)
        for part in PARTS:
            assert getattr(mine, part) == pytest.approx(getattr(alone, part), nan_ok=True), part
            assert getattr(mine, part).flags.c_contiguous  # JSON takes no others
        answer, itself = binner.summary(entry), summarise(entry, binner.window)
        assert answer.p95 == itself.p95
        assert (answer.low, answer.high, answer.coverage) == (itself.low, itself.high, itself.coverage)
        assert answer.mean == pytest.approx(itself.mean)
        assert answer.total == pytest.approx(itself.total)


UNKNOWN = st.sampled_from(["none", "first", "stretch", "thirds", "all"])


@given(
    st.integers(1, 400), st.lists(UNKNOWN, min_size=1, max_size=6), st.integers(1, 300), st.booleans(),
    st.tuples(st.floats(-5, 200), st.floats(0.5, 500)),
)  # fmt: skip
def test_series_drawn_together_are_as_each_alone(ticks, unknown, width, gap, stretch):
    one, other = timebase(ticks, ticks // 2 if gap else None), timebase(ticks + 3)
    entries = [series(base, seed, what) for base in (one, other) for seed, what in enumerate(unknown)]
    start_ns = round(stretch[0] * NS_PER_S)
    window = Window(start_ns, start_ns + round(stretch[1] * NS_PER_S))
    binner = Binner(window, bin_edges(window, width))
    binner.prepare(entries)
    same(binner, entries)


@pytest.mark.parametrize("combined", [True, False])
def test_long_series_are_too(combined):
    base = timebase(FEW_TICKS + 500, 4_000)
    entries = [series(base, seed, what) for seed, what in enumerate(["first", "first", "stretch", "none"])]
    window = Window(0, 20_000 * NS_PER_S)
    binner = Binner(window, bin_edges(window, 700))
    if combined:
        binner.prepare(entries)
    same(binner, entries)
    same(binner, reversed(entries))
