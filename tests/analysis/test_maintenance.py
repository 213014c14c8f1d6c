"""Background work: one archive's trouble is never another's."""

from uuid import uuid4

import pytest
import structlog

from builders import ARCHIVE, a_block
from reditus.analysis import diagnosis, rollups
from reditus.analysis.diagnosis import SpanCache, diagnose_timeline
from reditus.analysis.maintenance import (
    FIRST_RETRY_S,
    LAST_RETRY_S,
    OVERDUE_S,
    Journal,
    Task,
    judge_at_rest,
    maintain,
    scrub,
)
from reditus.analysis.windows import requested_window
from reditus.core.types import NS_PER_S
from reditus.store.errors import DatabaseUnavailable, UnknownArchive


class Clock:
    def __init__(self):
        self.now_ns = 10**18

    def __call__(self):
        return self.now_ns

    def pass_s(self, seconds):
        self.now_ns += round(seconds * NS_PER_S)


@pytest.fixture
def clock():
    return Clock()


@pytest.fixture
def journal(clock):
    return Journal(clock)


def broken():
    raise ValueError("no such luck")


def report(journal, task=Task.SEALING):
    return next(item for item in journal.reports() if item.task is task)


def test_what_fails_is_tried_again_ever_less_often(journal, clock):
    waits = []
    for _ in range(16):
        assert not journal.run(Task.SEALING, ARCHIVE, broken)
        (failing,) = report(journal).failing
        waits.append((failing.retry_ns - clock.now_ns) / NS_PER_S)
        assert not journal.run(Task.SEALING, ARCHIVE, lambda: pytest.fail("it is not time yet"))
        clock.pass_s(waits[-1])
    assert waits[:3] == [FIRST_RETRY_S, 2 * FIRST_RETRY_S, 4 * FIRST_RETRY_S]
    assert waits[-1] == LAST_RETRY_S
    assert failing.times == 16


def test_others_go_on_meanwhile_and_the_same_reason_is_logged_once(journal, clock):
    other = uuid4()
    with structlog.testing.capture_logs() as lines:
        for _ in range(3):
            journal.run(Task.SEALING, ARCHIVE, broken)
            assert journal.run(Task.SEALING, other, lambda: None)
            clock.pass_s(LAST_RETRY_S)
    assert [line["archive"] for line in lines] == [str(ARCHIVE)]


def test_what_works_again_fails_no_more(journal, clock):
    journal.run(Task.ROLLUPS, ARCHIVE, broken)
    clock.pass_s(FIRST_RETRY_S)
    assert journal.run(Task.ROLLUPS, ARCHIVE, lambda: None)
    found = report(journal, Task.ROLLUPS)
    assert (found.failing, found.last_success_ns) == ([], clock.now_ns)


def test_a_database_that_is_away_is_nothing_about_an_archive(journal):
    def away():
        raise DatabaseUnavailable("gone")

    with pytest.raises(DatabaseUnavailable):
        journal.run(Task.SEALING, ARCHIVE, away)
    assert report(journal).failing == []


def test_an_archive_that_was_removed_is_no_failure(journal):
    def removed():
        raise UnknownArchive(ARCHIVE)

    assert journal.run(Task.SEALING, ARCHIVE, removed)
    journal.run(Task.SEALING, ARCHIVE, broken)
    journal.forget_others([])
    assert report(journal).failing == []


def test_what_has_not_gone_through_for_long_is_overdue(journal, clock):
    assert not any(item.overdue for item in journal.reports())
    clock.pass_s(OVERDUE_S[Task.SEALING] + 1)
    journal.succeeded(Task.SCRUBBING)
    overdue = {item.task for item in journal.reports() if item.overdue}
    assert overdue == {Task.SEALING}


def test_a_round_does_all_that_is_to_be_done(known):
    known.append(ARCHIVE, [a_block(3, start=at) for at in range(0, 1_200, 3)])
    journal = Journal()
    assert maintain(known, journal) == 398
    assert scrub(known, journal, most_blocks=100, every_s=60) == 2
    assert scrub(known, journal, most_blocks=100, every_s=60) == 0  # it is verified, and not due yet
    done = {item.task for item in journal.reports() if item.last_success_ns is not None}
    assert done == {Task.SEALING, Task.ROLLUPS, Task.RETENTION, Task.SCRUBBING}


def test_each_part_of_rolling_up_gives_way_first(known, monkeypatch):
    monkeypatch.setattr(rollups, "STEP_TICKS", 120)
    monkeypatch.setattr(rollups, "STEPS_A_PASS", 1)
    known.append(ARCHIVE, [a_block(3, start=at) for at in range(0, 1_200, 3)])
    reached = []

    def give_way():
        with known.reading(ARCHIVE) as reader:
            reached.append(reader.rollups.reach(ARCHIVE, 60))
        return len(reached) < 4

    maintain(known, Journal(), give_way=give_way)
    ends = [reach.until_ns for reach in reached if reach]
    assert reached[0] is None
    # It went no further than it was let, and the next round does.
    maintain(known, Journal())
    with known.reading(ARCHIVE) as reader:
        assert reader.rollups.reach(ARCHIVE, 60).until_ns > ends[-1]
    assert len(ends) > 2
    assert ends == sorted(set(ends))


def test_what_no_longer_grows_is_judged_once_and_is_there_when_it_is_opened(known, monkeypatch):
    known.append(ARCHIVE, [a_block(3, start=at) for at in range(0, 300, 3)])
    journal, cache, done = Journal(), SpanCache(), {}
    assert judge_at_rest(known, journal, cache, done) == 1
    assert judge_at_rest(known, journal, cache, done) == 0
    assert report(journal, Task.JUDGING).last_success_ns is not None
    judged = []
    monkeypatch.setattr("reditus.analysis.diagnosis.diagnose", lambda *given: judged.append(given))
    with known.reading(ARCHIVE) as reader:
        answer = diagnose_timeline(reader, requested_window(reader, None, None), cache)
    assert answer.diagnosis.coverage >= 0
    assert judged == []


def test_what_grows_is_not_judged_in_the_background(known, monkeypatch):
    known.append(ARCHIVE, [a_block(3, start=at) for at in range(0, 300, 3)])
    monkeypatch.setattr("reditus.analysis.maintenance.REST_S", 10**10)
    assert judge_at_rest(known, Journal(), SpanCache(), {}) == 0


def test_a_server_that_ends_does_not_wait_for_a_judgement(known):
    known.append(ARCHIVE, [a_block(3, start=at) for at in range(0, 300, 3)])
    done = {}
    calls = iter([False])
    assert judge_at_rest(known, Journal(), SpanCache(), done, stop=lambda: next(calls, True)) == 0
    assert done == {}


def test_what_is_passed_over_has_not_succeeded(known, monkeypatch):
    """A growing archive whose diagnosis failed on request still fails, though the background looks past it."""
    known.append(ARCHIVE, [a_block(3, start=at) for at in range(0, 300, 3)])
    monkeypatch.setattr("reditus.analysis.maintenance.REST_S", 10**10)
    journal = Journal()
    journal.failed(Task.JUDGING, ARCHIVE, ValueError("no such luck"))
    assert judge_at_rest(known, journal, SpanCache(), {}) == 0
    assert [item.archive for item in report(journal, Task.JUDGING).failing] == [ARCHIVE]


def test_judging_that_gave_way_goes_on_where_it_was(known, monkeypatch):
    """Readings come first: what was judged of a long archive until one began is not judged again after it."""
    for name, ticks in (("LONG_TICKS", 60), ("SPAN_TICKS", 50), ("MARGIN_TICKS", 5)):
        monkeypatch.setattr(f"reditus.analysis.diagnosis.{name}", ticks)
    known.append(ARCHIVE, [a_block(3, start=at) for at in range(0, 300, 3)])
    judged, judge = [], diagnosis.judge

    def counting(readings):
        judged.append(readings)
        return judge(readings)

    monkeypatch.setattr("reditus.analysis.diagnosis.judge", counting)
    journal, cache, done = Journal(), SpanCache(), {}
    assert judge_at_rest(known, journal, cache, done, stop=lambda: len(judged) == 2) == 0
    assert report(journal, Task.JUDGING).failing == []
    assert judge_at_rest(known, journal, cache, done) == 1
    whole = len(judged)
    judged.clear()
    assert judge_at_rest(known, Journal(), SpanCache(), {}) == 1
    assert len(judged) == whole > 2
