"""What is known across a gap: what was counted, and not when in it."""

from dataclasses import replace

import numpy as np

from reditus.core.diagnosis import diagnose
from reditus.core.frame import Timebase
from reditus.core.types import NS_PER_S
from reditus.simulator.host import simulate
from reditus.simulator.library import cases
from reditus.simulator.scenario import Fault, FaultKind


def timebase(*seconds, bridges=False):
    at = np.array(seconds, dtype=np.int64) * NS_PER_S
    return Timebase(at, at, np.zeros(len(at), dtype=np.int64), np.full(len(at), NS_PER_S), bridges)


def test_a_bridged_timebase_continues_across_a_gap():
    assert timebase(1, 2, 6, 7).follows.tolist() == [False, True, False, True]
    bridged = timebase(1, 2, 6, 7, bridges=True)
    assert bridged.follows.tolist() == [False, True, True, True]
    assert bridged.elapsed_s.tolist()[1:] == [1.0, 4.0, 1.0]
    assert bridged.start_ns[2] == 2 * NS_PER_S


def test_a_restart_is_never_bridged():
    whole = timebase(1, 2, 6, bridges=True)
    restarted = replace(whole, epoch=np.array([0, 0, 1]))
    assert restarted.follows.tolist() == [False, True, False]


def test_a_kill_within_a_gap_is_found_with_the_gap_as_its_uncertainty():
    case = next(item for item in cases(5) if item.name.startswith("memory_oom_kill/") and item.interval_s == 1)
    truth = next(item for item in case.truths if item.trouble.kind == "memory.oom_kill")
    scenario = case.scenarios[0]
    gap = Fault(FaultKind.UNOBSERVED, truth.start_s - 3, truth.start_s + 4)
    hidden = replace(scenario, faults=(*scenario.faults, gap))
    frame = simulate(hidden).frame()
    found = [item for item in diagnose(frame, case.window).findings if item.kind == "memory.oom_kill"]
    assert len(found) == 1
    begin_s = scenario.begin_ns / NS_PER_S
    onset_s = found[0].onset.at_ns / NS_PER_S - begin_s
    assert onset_s <= truth.start_s <= onset_s + found[0].onset.uncertainty_s
    assert found[0].onset.uncertainty_s >= 7
    assert "in which nothing was recorded" in found[0].explanation
