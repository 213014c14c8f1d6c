"""The diagnosis over made-up scenarios whose truth is known: what is there is found, and nothing else is."""

from itertools import islice

import pytest

from reditus.core.diagnosis import diagnose
from reditus.core.diagnosis.engine import KINDS
from reditus.simulator.library import Score, cases, normal_days, score
from reditus.simulator.library.recipes import LOOK_ALIKES, PROBLEMS

SEED = 77
"""Another one than the benchmark's."""
EVERY = 5


@pytest.fixture(scope="module")
def answer():
    total = Score()
    for case in islice(cases(SEED), 0, None, EVERY):
        score(case, diagnose(case.frame(), case.window), total)
    return total


def test_what_is_there_is_found(answer):
    found, missed = sum(answer.found.values()), sum(answer.missed.values())
    assert found >= 45
    assert found / (found + missed) >= 0.95, answer.remarks


def test_nothing_is_simulated(answer):
    found, simulated = sum(answer.found.values()), sum(answer.simulated.values())
    assert found / (found + simulated) >= 0.95, answer.remarks


def test_onsets_are_near_the_truth_and_causes_are_reported_once(answer):
    assert answer.onsets_good / answer.onsets >= 0.9, answer.remarks
    assert answer.single / answer.causes >= 0.95, answer.remarks


@pytest.mark.parametrize("case", list(normal_days(SEED)), ids=lambda case: case.name)
def test_a_normal_day_has_no_finding(case):
    assert [finding.id for finding in diagnose(case.frame(), case.window).findings] == []


def test_the_library_holds_every_kind_and_enough_of_them():
    entries = list(cases(SEED))
    assert len(entries) >= 200
    made = {truth.trouble.kind for case in entries for truth in case.truths}
    assert made == {kind.id for kind in KINDS}
    assert {len(case.truths) for case in entries} >= {1, 2}
    assert {case.interval_s for case in entries} == {0.2, 1.0, 5.0, 15.0, 60.0}
    assert any(not case.has_stall for case in entries)
    assert len(PROBLEMS) + len(LOOK_ALIKES) >= 35
