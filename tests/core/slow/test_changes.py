"""A measure over weeks: what changed for good, under the rhythms of day and week."""

from types import SimpleNamespace

import numpy as np
import pytest

from noise import rhythmic
from reditus.core.comparison.roles import meaning_of
from reditus.core.measures import measure_named
from reditus.core.measures.selection import SeriesKey
from reditus.core.slow.changes import slow_change
from reditus.core.slow.grouping import Found, grouped
from reditus.core.slow.strained import strained_days

TIMES = 20
WAIT_S = 0.004


def judged(logs):
    return slow_change(WAIT_S * np.exp(logs), 24, floor=2e-5, is_relative=True)


# In three weeks each day of the week is seen three times: a slow drift and a weekend are hard to tell apart.
@pytest.mark.parametrize(("days", "crept_least"), [(21, 0.65), (60, 0.9), (180, 0.9)])
def test_weeks_in_which_nothing_changes_and_in_which_something_does(days, crept_least):
    rng = np.random.default_rng(days)
    count = days * 24
    false = steps = drifts = covered = 0
    for _ in range(TIMES):
        plain = rhythmic(days, rng)
        false += judged(plain).changed
        at = int(rng.uniform(0.2, 0.8) * count)
        stepped = plain.copy()
        stepped[at:] += np.log(2)
        found = judged(stepped)
        steps += len(found.stretches) == 2 and abs(found.stretches[1].start - at) <= max(0.02 * count, 2)
        slope = np.log(2.2) / count
        crept = judged(plain + slope * np.arange(count))
        drifts += crept.slope is not None and len(crept.stretches) == 1
        covered += crept.slope is not None and crept.slope.low <= slope <= crept.slope.high
    assert false <= 0.05 * TIMES
    assert steps >= 0.9 * TIMES
    assert drifts >= crept_least * TIMES
    assert covered >= 0.85 * drifts


def test_the_stretches_are_in_the_measure_s_own_unit():
    rng = np.random.default_rng(31)
    logs = rhythmic(28, rng, deviation=0.05)
    logs[400:] += np.log(3)
    before, after = judged(logs).stretches
    assert after.first / before.first == pytest.approx(3, rel=0.15)
    assert (before.stop, after.stop) == (after.start, len(logs))
    assert after.certainty > 0.99
    filling = slow_change(0.5 + np.arange(21 * 24) * 4e-4, 24, floor=0.02, is_relative=False)
    (stretch,) = filling.stretches
    assert stretch.first == pytest.approx(0.5, abs=0.01)
    assert stretch.last == pytest.approx(0.5 + 21 * 24 * 4e-4, abs=0.01)
    assert filling.slope.slope == pytest.approx(4e-4, rel=0.05)


def test_a_bad_afternoon_is_no_slow_change_and_a_bad_last_day_is():
    rng = np.random.default_rng(32)
    logs = rhythmic(21, rng)
    afternoon = logs.copy()
    afternoon[250:258] += 3
    assert not judged(afternoon).changed
    ended = logs.copy()
    ended[-20:] += 3
    assert judged(ended).stretches[-1].start == pytest.approx(len(logs) - 20, abs=2)


def test_too_little_is_known():
    assert slow_change(np.full(100, np.nan), 24, floor=1.0, is_relative=True) is None


def found(name, device, logs):
    measure = measure_named(name)
    return Found(SeriesKey(measure, device), meaning_of(measure), judged(logs))


def test_devices_that_changed_alike_are_one_and_the_odd_one_out_stands_alone():
    rng = np.random.default_rng(33)
    count = 21 * 24

    def stepped(factor, at=300):
        logs = rhythmic(21, rng)
        logs[at:] += np.log(factor)
        return logs

    every = [found("disk.wait", name, stepped(2)) for name in ("sda", "sdb", "sdc")]
    odd = found("disk.wait", "sdd", stepped(20))
    demand = found("disk.read.rate", None, stepped(2))
    reads = found("disk.read.wait", "sdd", stepped(18))
    groups = grouped([demand, *every, reads, odd], count)
    # How long it took stands above how much was done, and the most above the less.
    assert [item.lead.key.name for item in groups] == ["disk.wait@sdd", groups[1].lead.key.name, "disk.read.rate"]
    assert sorted(groups[1].devices) == ["sda", "sdb", "sdc"]
    machine = found("disk.wait", None, stepped(2))
    together = grouped([machine, *every], count)
    assert [(item.lead.key.device, len(item.devices)) for item in together] == [(None, 3)]


@pytest.mark.parametrize(
    ("strained", "how", "days"),
    [
        (lambda hour: hour < 0, "never", 0),
        (lambda hour: hour > 30, "constant", 9),
        (lambda hour: hour % 24 in (1, 2, 3), "daily", 10),
        (lambda hour: hour in (50, 51, 130), "intermittent", 2),
    ],
)
def test_constant_daily_or_now_and_then(strained, how, days):
    strain = np.array([0.8 if strained(hour) else 0.1 for hour in range(240)])
    answer = strained_days(strain)
    assert SimpleNamespace(how=answer.how, days=answer.days) == SimpleNamespace(how=how, days=days)
    assert answer.of == 10
    assert answer.hours == ((1, 2, 3) if how == "daily" else ())
    assert strained_days(np.full(48, np.nan)).of == 0
