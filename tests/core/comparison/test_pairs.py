"""Pairs of recordings of which it is known what differs: it stands among the first rows, and in the right words."""

from collections import Counter

import pytest

from reditus.core.comparison import aligned_bin_ns, compare, side_of_frame
from reditus.core.comparison.samples import keys_of
from reditus.core.comparison.verdict import verdict_of
from reditus.core.measures import Resource
from reditus.core.types import NS_PER_S
from reditus.simulator.library.pairs import pairs, sisters, window_of

FIRST_ROWS = 3
RIGHT = 0.95


def held_against(pair):
    window, reference = pair.frames()
    keys = keys_of([window, reference])
    windows = window_of(pair.window), window_of(pair.reference)
    bin_ns = aligned_bin_ns(windows, [round(pair.window.interval_s * NS_PER_S)] * 2)
    sides = (
        side_of_frame(name, frame, keys, part, bin_ns)
        for name, frame, part in zip(("window", "reference"), (window, reference), windows, strict=True)
    )
    return compare(*sides, keys)


def is_shown(change, item):
    return item.measure.name in change.shows_in and (
        change.device is None or change.device in (item.device, *item.likewise) or item.device is None
    )


@pytest.fixture(scope="module")
def judged():
    return [(pair, held_against(pair)) for pair in pairs(11, alike=20, each=3)]


def test_where_nothing_differs_nothing_is_called_different(judged):
    alike = [(pair, found) for pair, found in judged if pair.name.startswith("same")]
    wrong = [(pair.name, found.differences[0].measure.name) for pair, found in alike if found.differences]
    assert len(alike) == 23
    assert len(wrong) <= (1 - RIGHT) * len(alike), wrong


def test_what_differs_stands_among_the_first_rows_and_in_the_right_words(judged):
    differing = [(pair, found) for pair, found in judged if not pair.name.startswith("same")]
    missed = [
        pair.name for pair, found in differing if not any(map(is_shown, [pair.change] * FIRST_ROWS, found.differences))
    ]
    verdicts = [(pair, verdict_of(found).what) for pair, found in differing]
    worded = Counter(f"{pair.name}: {what}" for pair, what in verdicts if what != pair.change.what)
    assert len(differing) == 24
    assert len(missed) <= (1 - RIGHT) * len(differing), missed
    assert worded.total() <= (1 - RIGHT) * len(differing), worded


def test_between_sisters_of_other_size_and_names(judged):
    """The larger sister has more memory, and nothing that waits points to that."""
    found = [(pair, held_against(pair)) for pair in sisters(13, each=2)]
    assert len(found) == 12
    wrong = [f"{pair.name}: {verdict_of(it).what}" for pair, it in found if verdict_of(it).what != pair.change.what]
    assert wrong == []
    for pair, comparison in found:
        if pair.change.shows_in:
            assert any(map(is_shown, [pair.change] * FIRST_ROWS, comparison.differences)), pair.name
        else:
            # What the machine itself has more of is all.
            assert {item.measure.resource for item in comparison.differences} <= {Resource.MEMORY}, pair.name
    slow = next(comparison for pair, comparison in found if "slow_disk" in pair.name)
    row = slow.differences[0]
    assert row.reference_device is not None
    assert row.reference_device.startswith("vd")


def test_a_sentence_says_why(judged):
    sentences = {pair.name.split("/")[0]: verdict_of(found).sentence for pair, found in judged}
    assert " cores, and had " in sentences["fewer_cores"]
    assert "GiB of memory, and had" in sentences["less_memory"]
    assert "hypervisor took time away" in sentences["stolen"]
    assert sentences["more_work"].startswith("More work was done")
    assert sentences["same"].startswith("No difference beyond chance among ")
