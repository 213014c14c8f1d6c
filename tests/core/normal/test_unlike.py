"""What is unlike usual is one finding for what departed together, and none where another says it."""

from dataclasses import replace

import pytest

from reditus.core.diagnosis.finding import Finding, Harm, Onset
from reditus.core.measures import Resource, measure_named
from reditus.core.measures.selection import SeriesKey
from reditus.core.normal.departures import Departure
from reditus.core.normal.unlike import KIND, Unusual, unlike_usual
from reditus.core.types import NS_PER_S

HOUR_NS = 3_600 * NS_PER_S


def unusual(name, device, start_h, end_h, times=4.0, weeks=3, days=0):
    departure = Departure(int(start_h * HOUR_NS), int(end_h * HOUR_NS), 0.006 * times, 0.004, 0.006)
    return Unusual(SeriesKey(measure_named(name), device), departure, 300.0, weeks, days, 0.0005)


def a_finding(resource, start_h, end_h):
    return Finding(
        "disk.slow", "Slow disk", resource, "sdd", int(start_h * HOUR_NS), int(end_h * HOUR_NS), Onset(0, 1.0), 0.5,
        60.0, False, Harm(60.0), 0.9, (), "", (), (),
    )  # fmt: skip


def test_what_departs_together_is_one_finding():
    (found,) = unlike_usual(
        [
            unusual("disk.wait", "sdb", 3, 5),
            unusual("disk.queue", "sdb", 4, 7, times=9),
            unusual("cpu.iowait", None, 3, 4),
        ],
        [],
    )  # fmt: skip
    assert (found.kind, found.resource, found.device) == (KIND.id, Resource.DISK, "sdb")
    assert (found.start_ns, found.end_ns) == (3 * HOUR_NS, 7 * HOUR_NS)
    assert found.evidence[0].measure == "disk.queue"  # the farthest above its band
    assert found.evidence[0].threshold == pytest.approx(0.006)
    assert "learnt from 3 weeks" in found.explanation
    assert "Requests in flight of sdb was 13.5 times what is usual" in found.explanation
    assert found.harm.seconds == pytest.approx(4 * 3_600)


def test_several_devices_are_named_and_none_of_them_blamed():
    (found,) = unlike_usual([unusual("disk.wait", name, 3, 5) for name in ("sda", "sdb", "sdc", "sdd")], [])
    assert found.device is None
    assert "sda, sdb, sdc and 1 more" in found.explanation


def test_how_much_past_there_is_says_how_sure_it_is():
    few, some, much = (
        unlike_usual([unusual("disk.wait", "sdb", 3, 5, weeks=weeks, days=days)], [])[0]
        for weeks, days in ((0, 4), (2, 0), (6, 0))
    )
    assert few.confidence < some.confidence < much.confidence < 0.7
    assert "4 other days at the same hour" in few.explanation


def test_another_finding_of_the_resource_says_it_already():
    own = [unusual("disk.wait", "sdd", 3, 5)]
    assert unlike_usual(own, [a_finding(Resource.DISK, 2, 6)]) == []
    assert len(unlike_usual(own, [a_finding(Resource.MEMORY, 2, 6)])) == 1
    assert len(unlike_usual(own, [a_finding(Resource.DISK, 4.5, 6)])) == 1
    assert len(unlike_usual([*own, replace(own[0], departure=unusual("disk.wait", "sdd", 9, 11).departure)], [])) == 2
