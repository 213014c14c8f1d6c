"""Long timelines are judged span by span: the same findings, and what is over is not judged again."""

from uuid import UUID

import pytest

from api_helpers import load
from reditus.analysis import diagnosis as diagnosing
from reditus.analysis.diagnosis import SpanCache, diagnose_timeline
from reditus.core.diagnosis import diagnose
from reditus.core.types import NS_PER_S
from reditus.core.window import Window
from reditus.simulator import simulate
from reditus.simulator.fernhold import ARCHIVES

LEAFDB, GATE = ARCHIVES[1].scenario, ARCHIVES[3].scenario


@pytest.fixture(scope="module", params=[LEAFDB, GATE], ids=["a leak's two days", "a full link and a full core"])
def answer(request):
    return request.param, simulate(request.param)


@pytest.fixture
def small_spans(monkeypatch):
    """Five hours a span, so that two days have ten."""
    monkeypatch.setattr(diagnosing, "LONG_TICKS", 7_200)
    monkeypatch.setattr(diagnosing, "SPAN_TICKS", 3_600)
    monkeypatch.setattr("reditus.core.diagnosis.spans.MARGIN_TICKS", 150)


def judged(store, archive, memory):
    with store.reading(UUID(str(archive))) as reader:
        window = Window(reader.extent.first_ns, reader.extent.last_ns)
        return diagnose_timeline(reader, window, memory)


def test_spans_find_what_one_look_at_all_of_it_finds(client, store, answer, small_spans):
    scenario, host = answer
    load(client, scenario, host)
    at_once = diagnose(host.frame(), Window(scenario.begin_ns, scenario.begin_ns + scenario.length_s * NS_PER_S))
    by_spans = judged(store, scenario.archive, SpanCache()).diagnosis
    mine = {(finding.kind, finding.device): finding for finding in by_spans.findings}
    assert set(mine) == {(finding.kind, finding.device) for finding in at_once.findings}
    assert len(by_spans.findings) == len(at_once.findings)
    for item in at_once.findings:
        (alike,) = [
            other
            for other in by_spans.findings
            if (other.kind, other.device) == (item.kind, item.device)
            and other.start_ns < item.end_ns
            and item.start_ns < other.end_ns
        ]
        # A file cache that grows too small over hours shows now and then at first; where that is one with the rest may
        # differ.
        slack_s = 4_500 if item.kind == "memory.cache_thrash" else 900
        assert abs(alike.start_ns - item.start_ns) <= slack_s * NS_PER_S
        assert alike.time_lost_s == pytest.approx(item.time_lost_s, rel=0.1, abs=60)
        assert len(alike.caused_by) == len(item.caused_by)


def test_what_was_judged_is_judged_again_only_where_ticks_changed(client, store, answer, small_spans, monkeypatch):
    scenario, host = answer
    load(client, scenario, host)
    seen = []
    judge = diagnosing.judge
    monkeypatch.setattr(diagnosing, "judge", lambda readings: seen.append(1) or judge(readings))
    memory = SpanCache()
    first = judged(store, scenario.archive, memory).diagnosis
    spans = len(seen)
    assert spans >= 10
    assert judged(store, scenario.archive, memory).diagnosis.findings == first.findings
    assert len(seen) == spans


def test_processes_that_took_part_are_named(client, store):
    load(client, LEAFDB)
    answer = judged(store, LEAFDB.archive, SpanCache())
    leak = next(finding for finding in answer.diagnosis.findings if finding.kind == "memory.leak")
    (grown, _), *others = answer.processes[leak.id].processes
    assert grown.share > 0.9
    assert all(other.share < 0.1 for other, _ in others)
