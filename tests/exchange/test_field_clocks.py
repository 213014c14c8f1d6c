"""Times of a capture's readings: delays between clock and reading, late readings, and clocks that are set."""

import numpy as np
import pytest

from reditus.core.types import NS_PER_S
from reditus.exchange.field_clocks import LATE_FACTOR, paced, steady_ns, uptime_ns

BEGIN_NS = 1_794_474_000 * NS_PER_S
HUNDREDTH_NS = NS_PER_S // 100


def readings(count, late_s=None, step_at=None):
    """Times that a script gives every second, and uptimes; `late_s` are delays between the two by reading."""
    true_ns = BEGIN_NS + np.arange(count, dtype=np.int64) * NS_PER_S + 3_700_000
    given_ns = true_ns.copy()
    for at, delay_s in (late_s or {}).items():
        given_ns[at] -= round(delay_s * NS_PER_S)
    if step_at is not None:
        given_ns[step_at:] += 3_600 * NS_PER_S
    uptimes = (true_ns - BEGIN_NS + 77 * NS_PER_S) // HUNDREDTH_NS * HUNDREDTH_NS
    return given_ns, dict(zip(given_ns.tolist(), uptimes.tolist(), strict=True)), true_ns


def test_a_reading_that_came_long_after_its_time_is_put_where_it_was():
    given_ns, uptimes, true_ns = readings(60, {20: 0.3, 41: 0.12})
    steady = steady_ns(given_ns, uptimes)
    assert np.abs(np.diff(steady) - NS_PER_S).max() <= HUNDREDTH_NS
    assert np.abs(np.diff(given_ns) - NS_PER_S).max() > 0.29 * NS_PER_S
    assert np.abs(steady - true_ns).max() <= HUNDREDTH_NS


def test_what_the_clock_tells_well_is_not_made_coarser():
    given_ns, uptimes, _ = readings(60)
    assert np.array_equal(steady_ns(given_ns, uptimes), given_ns)


def test_a_clock_that_was_set_bends_one_distance_at_most():
    given_ns, uptimes, _ = readings(80, step_at=40)
    apart = np.diff(steady_ns(given_ns, uptimes))
    assert (np.abs(apart - NS_PER_S) > 2 * HUNDREDTH_NS).sum() <= 1


def test_times_without_an_uptime_stay():
    given_ns, uptimes, _ = readings(60, {20: 0.3})
    assert np.array_equal(steady_ns(given_ns, {}), given_ns)
    few = dict(list(uptimes.items())[:5])
    assert np.array_equal(steady_ns(given_ns, few), given_ns)


def test_a_late_reading_is_expected_where_it_came_and_a_script_that_stood_still_is_a_gap():
    seconds = np.array([0, 1, 2, 6, 7, 8 + 2 * LATE_FACTOR, 9 + 2 * LATE_FACTOR])
    at_ns = (BEGIN_NS + seconds * NS_PER_S).astype(np.int64)
    parts = [(at_ns[part].tolist(), pace_ns) for part, pace_ns in paced(at_ns, NS_PER_S)]
    assert [pace_ns for _, pace_ns in parts] == [NS_PER_S, 4 * NS_PER_S, NS_PER_S]
    assert [len(part) for part, _ in parts] == [3, 1, 3]
    assert [time_ns for part, _ in parts for time_ns in part] == at_ns.tolist()


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        (b"77.03 140.11\n", 77_030_000_000),
        (b"1.5 2\n", None),
        (b"", None),
        (b"x.yz 1\n", None),
        (b"9" * 30 + b".00 1", None),
    ],
)
def test_uptime_is_read_or_left_alone(text, expected):
    assert uptime_ns(text) == expected
