import threading
import time

import pytest

from reditus.core.types import NS_PER_S
from reditus.recorder.schedule import Schedule

pytestmark = pytest.mark.alone

FIFTH_NS = NS_PER_S // 5


def test_ticks_lie_on_whole_intervals_and_do_not_drift():
    places = []
    for _ in Schedule(FIFTH_NS, threading.Event(), NS_PER_S):
        places.append(time.time_ns() // FIFTH_NS)
        time.sleep(0.03)
    assert places == list(range(places[0], places[0] + 6))


def test_a_tick_that_is_missed_is_missed():
    schedule = Schedule(FIFTH_NS, threading.Event(), NS_PER_S)
    seen = 0
    for _ in schedule:
        seen += 1
        if seen == 1:
            time.sleep(0.5)
    assert schedule.missed >= 2
    assert seen + schedule.missed == 6


def test_stopping_ends_the_wait():
    stop = threading.Event()
    threading.Timer(0.1, stop.set).start()
    began = time.monotonic()
    assert list(Schedule(3_600 * NS_PER_S, stop)) == []
    assert time.monotonic() - began < 30
