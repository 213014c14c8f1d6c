import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from builders import BEGIN_NS, a_timebase
from reditus.core.binning import bin_edges, bin_series, summarise
from reditus.core.errors import WindowError
from reditus.core.frame import Series
from reditus.core.quantile import weighted_quantile
from reditus.core.types import NS_PER_S
from reditus.core.window import Window, points

NAN = float("nan")


def a_window(start_s, end_s):
    return Window(BEGIN_NS + int(start_s * NS_PER_S), BEGIN_NS + int(end_s * NS_PER_S))


def a_series(*values, **more):
    return Series(a_timebase(len(values), **more), np.array(values, dtype=float))


def test_bins_hold_mean_lowest_and_highest():
    # Ticks at 0..4 s describe the intervals that end there; two bins of two seconds begin at 0 s.
    edges = BEGIN_NS + np.array([0, 2, 4]) * NS_PER_S
    binned = bin_series(a_series(9.0, 1.0, 5.0, 2.0, 4.0), edges)
    assert binned.mean.tolist() == [3.0, 3.0]
    assert (binned.low.tolist(), binned.high.tolist()) == ([1.0, 2.0], [5.0, 4.0])
    assert binned.coverage(edges).tolist() == [1.0, 1.0]


def test_an_interval_that_straddles_counts_for_both_bins():
    edges = BEGIN_NS + (np.array([0, 1.5, 3]) * NS_PER_S).astype(np.int64)
    binned = bin_series(a_series(0.0, 3.0, 6.0, 9.0), edges)
    assert binned.mean.tolist() == pytest.approx([(3 + 0.5 * 6) / 1.5, (0.5 * 6 + 9) / 1.5])


def test_an_unknown_stretch_lowers_coverage_and_not_the_mean():
    edges = BEGIN_NS + np.array([0, 4]) * NS_PER_S
    binned = bin_series(a_series(NAN, 2.0, NAN, NAN, 4.0), edges)
    assert (binned.mean[0], binned.observed_s[0]) == (3.0, 2.0)


def test_a_bin_without_ticks_is_unknown_and_not_zero():
    binned = bin_series(a_series(1.0, 1.0, gap_after=0), BEGIN_NS + np.array([3, 5]) * NS_PER_S)
    assert np.isnan(binned.mean[0])
    assert binned.observed_s[0] == 0


@given(st.lists(st.floats(0, 1e9), min_size=2, max_size=300), st.integers(1, 60))
def test_binning_keeps_the_range_and_hides_no_spike(values, width):
    series = a_series(*values)
    binned = bin_series(series, bin_edges(a_window(-1, len(values)), width))
    known = ~np.isnan(binned.mean)
    assert (binned.low[known] <= binned.mean[known]).all()
    assert (binned.mean[known] <= binned.high[known]).all()
    assert binned.high[known].max() == max(values)
    assert binned.low[known].min() == min(values)


@given(st.lists(st.floats(0, 1e9) | st.just(NAN), min_size=40, max_size=400), st.integers(1, 3))
def test_fine_bins_add_up_to_coarse_ones(values, ticks):
    """Those are worked out in another way: they hold many intervals each."""
    series = a_series(*values)
    fine_edges = BEGIN_NS + np.arange(0, len(values) // 20 * 20 + 1, ticks) * NS_PER_S + NS_PER_S // 3
    fine_edges = fine_edges[: (len(fine_edges) - 1) // 20 * 20 + 1]
    fine, coarse = bin_series(series, fine_edges), bin_series(series, fine_edges[::20])
    seen = fine.observed_s.reshape(-1, 20)
    assert coarse.observed_s == pytest.approx(seen.sum(axis=1))
    assert all(own.flags["C_CONTIGUOUS"] for own in (coarse.mean, coarse.low, coarse.high))  # as answers want them
    known = coarse.observed_s > 0
    total = (np.nan_to_num(fine.mean).reshape(-1, 20) * seen).sum(axis=1)
    assert coarse.mean[known] == pytest.approx((total[known] / seen.sum(axis=1)[known]), rel=1e-9, abs=1e-6)
    assert coarse.low[known].tolist() == np.nanmin(fine.low.reshape(-1, 20)[known], axis=1).tolist()
    assert coarse.high[known].tolist() == np.nanmax(fine.high.reshape(-1, 20)[known], axis=1).tolist()


@given(st.integers(1, 10**7), st.integers(0, 10**6), st.integers(1, 2000))
def test_edges_cover_the_window_within_the_width(length_s, start_s, width):
    window = a_window(start_s, start_s + length_s)
    edges = bin_edges(window, width)
    assert edges[0] <= window.start_ns
    assert edges[-1] >= window.end_ns
    assert len(edges) - 1 <= max(width, 2)


def test_lines_break_at_a_gap():
    times, values = points(a_series(1.0, 2.0, 3.0, gap_after=1), a_window(0, 60))
    assert [(time - BEGIN_NS) / NS_PER_S for time in times] == [0, 1, 6, 11]
    assert np.isnan(values[2])


def test_a_summary_weighs_by_observed_time():
    summary = summarise(a_series(NAN, 10.0, 20.0, NAN, 30.0), a_window(0, 4))
    assert (summary.low, summary.mean, summary.high, summary.total) == (10, 20, 30, 60)
    assert summary.coverage == 0.75


def test_a_summary_clips_to_its_window():
    assert summarise(a_series(0.0, 10.0, 20.0), a_window(0.5, 1.5)).mean == 15


def test_the_95th_percentile_is_of_time():
    values = [1.0] * 96 + [100.0] * 4
    assert summarise(a_series(*values), a_window(-1, 99)).p95 == 1
    assert summarise(a_series(*values, *[100.0] * 4), a_window(-1, 103)).p95 == 100


@pytest.mark.parametrize("share", [0.5, 0.95])
@pytest.mark.parametrize(
    "shape",
    [
        lambda rng, count: rng.random(count),
        lambda _, count: np.zeros(count),
        lambda rng, count: np.round(3 * rng.random(count)),
        lambda rng, count: np.where(rng.random(count) < 0.94, 0, rng.random(count)),
        lambda _, count: np.sin(np.arange(count) * np.pi / 8),
    ],
)
def test_a_quantile_is_that_of_all_values_in_order(shape, share):
    rng = np.random.default_rng(1)
    for count in (1, 7, 999, 1_001, 5_000):
        for weights in (np.ones(count), rng.random(count) + 0.5, np.where(rng.random(count) < 0.01, 50.0, 1.0)):
            values = shape(rng, count)
            order = np.argsort(values)
            rank = np.searchsorted(np.cumsum(weights[order]), share * weights.sum())
            assert weighted_quantile(values, weights, share) == values[order][min(rank, count - 1)]


def test_a_clock_set_back_keeps_times_in_order():
    base = a_timebase(6)
    stepped = type(base)(
        base.wall_ns - np.array([0, 0, 0, 3, 3, 3]) * NS_PER_S, base.monotonic_ns, base.epoch, base.interval_ns
    )
    times, _ = points(Series(stepped, np.ones(6)), a_window(-1, 9))
    assert (np.diff(times) >= 0).all()
    binned = bin_series(Series(stepped, np.ones(6)), bin_edges(a_window(-1, 6), 4))
    assert np.nanmax(binned.mean) == np.nanmin(binned.mean) == 1


def test_a_window_that_ends_before_it_starts_is_refused():
    with pytest.raises(WindowError):
        a_window(2, 2)
