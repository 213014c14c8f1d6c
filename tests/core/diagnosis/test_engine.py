"""The rules on small made-up loads whose truth is known."""

from dataclasses import replace

import numpy as np
import pytest

from builders import BEGIN_NS, a_piece, a_processor_frame, processor_columns
from reditus.core.counters import COUNTERS
from reditus.core.diagnosis import diagnose, engine, needed_measures
from reditus.core.diagnosis.engine import RULES
from reditus.core.diagnosis.onset import best_split
from reditus.core.diagnosis.parameters import described
from reditus.core.frame import Frame
from reditus.core.frame_builder import assemble
from reditus.core.measures import MEASURES
from reditus.core.types import NS_PER_S
from reditus.core.window import Window


def judged(frame):
    return diagnose(frame, Window(BEGIN_NS - NS_PER_S, BEGIN_NS + 10_000 * NS_PER_S))


def step(quiet, loud, *, before=30, during=40, after=30):
    return [quiet] * before + [loud] * during + [quiet] * after


def seconds(at_ns):
    return (at_ns - BEGIN_NS) / NS_PER_S


def test_more_work_than_cores_is_saturation():
    frame = a_processor_frame(busy=step(0.2, 2.0), cores=2, stall=step(0.01, 1.0), runnable=step(0, 6))
    (finding,) = judged(frame).findings
    assert finding.kind == "cpu.saturated"
    # The tick at 30 s is the first loud one; it describes the second that ends there.
    assert (seconds(finding.start_ns), seconds(finding.end_ns)) == (29, 69)
    assert abs(seconds(finding.onset.at_ns) - 29) <= finding.onset.uncertainty_s
    assert finding.time_lost_s == pytest.approx(40)
    assert finding.severity == pytest.approx(1)
    assert {item.measure for item in finding.evidence} == {"cpu.busy", "stall.cpu.some", "cpu.waiting"}
    assert not judged(frame).ruled_out


def test_busy_cores_with_none_waiting_are_ruled_out():
    frame = a_processor_frame(busy=step(0.2, 2.0), cores=2, stall=step(0.01, 0.12), runnable=step(0, 2))
    diagnosis = judged(frame)
    assert not diagnosis.findings
    (excluded,) = diagnosis.ruled_out
    assert excluded.kind == "cpu.busy_unwaited"
    assert (seconds(excluded.start_ns), seconds(excluded.end_ns)) == (29, 69)
    assert "no work was delayed" in excluded.explanation


def test_low_priority_work_is_ruled_out_however_it_waits():
    frame = a_processor_frame(busy=step(0, 2.0), cores=2, stall=step(0, 1.0), runnable=step(0, 6), nice_share=1.0)
    diagnosis = judged(frame)
    assert not diagnosis.findings
    assert "low-priority" in diagnosis.ruled_out[0].explanation


def test_waiting_without_busy_cores_is_not_saturation():
    """A quota makes tasks stall on an idle machine; that is another kind."""
    frame = a_processor_frame(busy=step(0.2, 0.4), cores=2, stall=step(0, 0.8), runnable=step(0, 1))
    assert [finding.kind for finding in judged(frame).findings] == ["cpu.quota"]
    assert not judged(frame).ruled_out


def test_many_cores_with_a_moments_wait_are_not_saturated():
    frame = a_processor_frame(busy=step(5, 64), cores=64, stall=step(0, 0.9), runnable=step(0, 66))
    assert not judged(frame).findings
    assert [item.kind for item in judged(frame).ruled_out] == ["cpu.busy_unwaited"]


def test_one_spike_is_no_finding():
    frame = a_processor_frame(
        busy=step(0.1, 2.0, during=3), cores=2, stall=step(0, 1.0, during=3), runnable=step(0, 9, during=3)
    )
    assert not judged(frame).findings


def test_a_short_dip_does_not_make_two_findings():
    busy, stall = step(0.1, 2.0, during=40), step(0, 1.0, during=40)
    busy[50:53], stall[50:53] = [0.3] * 3, [0.1] * 3
    frame = a_processor_frame(busy=busy, cores=2, stall=stall, runnable=step(0, 6))
    assert len(judged(frame).findings) == 1


def test_two_jobs_far_apart_are_two_findings():
    busy, stall = step(0.1, 2.0) * 2, step(0, 1.0) * 2
    frame = a_processor_frame(busy=busy, cores=2, stall=stall, runnable=step(0, 6) * 2)
    assert len(judged(frame).findings) == 2


@pytest.mark.parametrize("interval_s", [0.2, 5, 60])
def test_archives_of_any_interval_are_judged_alike(interval_s):
    groups = processor_columns(busy=step(0.2, 2.0), cores=2, stall=step(0.0, 1.0), runnable=step(0, 6))
    scaled = {
        name: {column: (values * (interval_s if column.kind.value == "cumulative" else 1)).astype(np.int64)
               for column, values in columns.items()}
        for name, columns in groups.items()
    }  # fmt: skip
    frame = Frame(assemble([a_piece(columns, group=name, interval_s=interval_s) for name, columns in scaled.items()]))
    (finding,) = judged(frame).findings
    assert seconds(finding.start_ns) == pytest.approx(29 * interval_s)


def test_without_stall_totals_the_queue_reports_with_less_confidence():
    frame = a_processor_frame(busy=step(0.2, 2.0), cores=2, runnable=step(0, 6))
    (finding,) = judged(frame).findings
    assert finding.time_lost_estimated
    assert finding.confidence < 0.8
    assert "stall.cpu.some" not in {item.measure for item in finding.evidence}


def test_a_gap_is_never_evidence():
    loud = {"cores": 2, "busy": [2.0] * 4, "stall": [1.0] * 4, "runnable": [6] * 4}
    pieces = [a_piece(columns, group=name, start=start) for start in (0, 100)
              for name, columns in processor_columns(**loud).items()]  # fmt: skip
    assert not judged(Frame(assemble(pieces))).findings


def test_an_empty_host_has_no_findings():
    diagnosis = judged(Frame([]))
    assert (diagnosis.findings, diagnosis.ruled_out, diagnosis.coverage) == ((), (), 0.0)


def test_the_best_split_finds_a_step_in_noise():
    rng = np.random.default_rng(7)
    noise = rng.normal(0, 0.1, 40)
    noise[17:] += 1
    assert best_split(noise) == 17
    assert best_split(np.array([np.nan, np.nan])) == 0


def test_every_parameter_has_a_unit_and_a_reason():
    for name, _, why in described():
        assert why.unit, name
        assert len(why.reason) > 12, name


def test_rules_ask_only_for_measures_that_exist():
    named = {item for rule in RULES for item in rule.needs if isinstance(item, str)}
    assert named <= set(MEASURES)
    assert {needed_measure.name for needed_measure in needed_measures() if needed_measure.name in MEASURES} == {
        *named,
        "cpu.busy",
    }
    # The others ask for all columns of a counter that there is.
    assert all(need.counter in COUNTERS for needed_measure in needed_measures() for need in needed_measure.needs)


def test_rules_see_what_was_found_before_them(monkeypatch):
    seen = []

    def watched(rule):
        def judge_one(context):
            seen.append((rule.id, {finding.kind for finding in context.earlier}))
            return rule.judge(context)

        return replace(rule, judge=judge_one)

    monkeypatch.setattr(engine, "RULES", [watched(rule) for rule in RULES])
    judged(a_processor_frame(busy=step(0.2, 2.0), cores=2, stall=step(0.01, 1.0), runnable=step(0, 6)))
    assert [name for name, _ in seen] == [rule.id for rule in RULES]  # each once
    assert seen[0][1] == set()
    assert all("cpu.saturated" in kinds for _, kinds in seen[1:])
