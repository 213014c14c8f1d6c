"""Top processes in a finding, on kernel integers written by hand."""

import pytest

import builders
from builders import BEGIN_NS, process_columns
from reditus.core.diagnosis.contributors import Attribution, contributors_to
from reditus.core.processes import GROUP
from reditus.core.types import NS_PER_S

TICKS = 20
USER, SYSTEM, MEMORY = 0, 1, 2


def a_finding(kind, device=None, first=5, last=15):
    return builders.a_finding(kind, BEGIN_NS + first * NS_PER_S, BEGIN_NS + last * NS_PER_S, device=device)


def a_frame(*slots, whole):
    return builders.a_frame(process_columns(slots, whole, ticks=TICKS), group=GROUP)


def test_shares_are_of_what_all_processes_had():
    frame = a_frame((11, 0, {USER: 60}), (12, 1, {USER: 30}), (13, 1, {USER: 1}), whole={USER: 100})
    answer = contributors_to(frame, a_finding("cpu.saturated"))
    assert [(entry.pid, entry.start, entry.share) for entry in answer.processes] == [(11, 77, 0.6), (12, 77, 0.3)]
    assert answer.recorded == pytest.approx(0.91)


def test_a_full_core_is_reported_by_who_was_on_it():
    frame = a_frame((11, 0, {USER: 90}), (12, 3, {USER: 50}), whole={USER: 200})
    answer = contributors_to(frame, a_finding("cpu.one_core", device="3"))
    (only,) = answer.processes
    assert (only.pid, only.share, answer.recorded) == (12, 0.5, 0.5)  # of the core's time, not of what was recorded


def test_a_leak_is_reported_by_who_grew_not_by_who_is_large():
    growing = [100 + 10 * tick for tick in range(TICKS)]
    frame = a_frame((11, 0, {MEMORY: 5_000}), (12, 0, {MEMORY: growing}), whole={MEMORY: 6_000})
    (only,) = contributors_to(frame, a_finding("memory.leak")).processes
    assert (only.pid, only.share) == (12, 1.0)


def test_a_slot_that_changes_hands_counts_for_each_owner():
    pids = [11] * 10 + [12] * 10
    frame = a_frame((pids, 0, {USER: 50}), whole={USER: 100})
    answer = contributors_to(frame, a_finding("cpu.saturated", first=0, last=19))
    assert {entry.pid: round(entry.share, 2) for entry in answer.processes} == {11: 0.24, 12: 0.26}


@pytest.mark.parametrize("kind", ["net.errors", "fs.filling", "tasks.blocked"])
def test_what_no_process_is_charged_for_names_none(kind):
    frame = a_frame((11, 0, {USER: 60}), whole={USER: 100})
    assert contributors_to(frame, a_finding(kind)) == Attribution()


def test_of_a_link_those_are_named_that_kept_the_kernel_busy():
    frame = a_frame((11, 0, {USER: 60, SYSTEM: 1}), (12, 1, {SYSTEM: 30}), whole={USER: 60, SYSTEM: 40})
    answer = contributors_to(frame, a_finding("net.saturated"))
    assert [(entry.pid, entry.share) for entry in answer.processes] == [(12, 0.75)]
    assert answer.by.startswith("processor time in the kernel")


def test_shares_say_what_they_are_shares_of():
    frame = a_frame((11, 0, {USER: 60}), whole={USER: 100})
    assert contributors_to(frame, a_finding("cpu.saturated")).by == "processor time"
