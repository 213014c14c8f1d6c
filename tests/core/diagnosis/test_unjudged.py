"""What a diagnosis says that it could not judge."""

from pathlib import Path

import pytest

from benchmarks.lab.variations import VARIATIONS, only, thinned, without
from reditus.core.diagnosis import KINDS, Unjudged, diagnose
from reditus.core.diagnosis.unjudged import combined
from reditus.core.measures import measure_named
from reditus.exchange import read_capture

CAPTURES = Path(__file__).parents[4] / "shared" / "captures"


@pytest.fixture(scope="module")
def capture():
    path = CAPTURES / "normal.txt.zst"
    if not path.exists():
        pytest.skip("the captures do not lie beside the checkout")
    return read_capture(path).recording


def subjects(recording):
    return {item.subject: item for item in diagnose(recording.frame(), recording.window()).unjudged}


def test_every_kind_of_trouble_says_what_it_requires():
    for kind in KINDS:
        assert bool(kind.requires) == kind.is_problem, kind.id
        for name in kind.requires:
            assert "." in name
            if not name.startswith("system."):
                measure_named(name)


def test_a_missing_file_is_named_with_all_that_it_hides(capture):
    poor = only(capture, "cpu", "memory", "paging", "disk", "network", "load")
    found = [item for item in subjects(poor).values() if "/proc/net/snmp" in item.reason]
    assert [item.kinds for item in found] == [("net.loss", "net.listen_overflow", "net.udp_overflow")]
    assert found[0].subject.startswith("TCP retransmissions, ")
    assert not any("net.loss" in item.kinds for item in subjects(capture).values())


def test_without_stall_files_the_stalls_are_not_judged(capture):
    lacking = subjects(without(capture, "stall.io"))
    assert any("io.stalled" in item.kinds for item in lacking.values())
    assert not any("io.limited" in item.kinds for item in lacking.values())  # the count of blocked tasks decides


def test_a_handful_of_ticks_is_said_to_be_too_little(capture):
    few = subjects(thinned(capture, 20))
    assert "too little" in few["Everything"].reason
    assert "Everything" not in subjects(capture)


def test_spans_that_differ_say_in_part():
    one, other = Unjudged("a", "not recorded.", ("x",)), Unjudged("b", "not recorded.", ("y",))
    assert combined([(one, other), (one,)]) == (one, Unjudged("b", "In part of the time: not recorded.", ("y",)))


@pytest.mark.parametrize("name", VARIATIONS)
def test_variations_keep_counters_whole(capture, name):
    changed = VARIATIONS[name](capture)
    assert changed.frame().groups
    for piece in changed.pieces:
        assert all(len(values) == len(piece.wall_ns) for values in piece.columns.values())
