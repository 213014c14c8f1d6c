"""Who ran on which core, on kernel integers written by hand."""

import numpy as np
import pytest

import builders
from builders import BEGIN_NS, process_columns
from reditus.core.placement import PROCESSES, Placement
from reditus.core.processes import GROUP
from reditus.core.types import NS_PER_S

TICKS = 21
USER, SYSTEM = 0, 1


def placed(*slots, edges_s=(0, 10, 20)):
    placement = Placement(BEGIN_NS + np.array(edges_s, dtype=np.int64) * NS_PER_S, 4, PROCESSES)
    frame = builders.a_frame(process_columns(slots, {}, ticks=TICKS), group=GROUP)
    placement.add(frame, BEGIN_NS - NS_PER_S, BEGIN_NS + 100 * NS_PER_S)
    who, share = placement.heaviest()
    pids = {at: owner.pid for owner, at in placement.owners.items()}
    return [[pids.get(int(task)) for task in row] for row in who], share


def test_each_core_has_who_used_most_of_it():
    who, share = placed((11, 2, {USER: 30, SYSTEM: 10}), (12, 2, {USER: 60}), (13, 0, {USER: 5}))
    assert who == [[13, 13], [None, None], [12, 12], [None, None]]
    assert share[2] == pytest.approx([0.6, 0.6])
    assert share[0] == pytest.approx([0.05, 0.05])


def test_a_process_that_moves_is_where_each_tick_found_it():
    columns_of = [1] * 11 + [3] * 10
    who, share = placed((11, columns_of, {USER: 100}))
    assert who[1] == [11, None]
    assert who[3] == [None, 11]
    assert share[1][0] == share[3][1] == 1.0


def test_ticks_of_one_bin_add_up_across_slots_and_parts():
    placement = Placement(BEGIN_NS + np.array([0, 20], dtype=np.int64) * NS_PER_S, 4, PROCESSES)
    slots = [([11] * 10 + [0] * 11, 1, {USER: 50}), ([0] * 10 + [11] * 11, 1, {USER: 50}), (12, 1, {USER: 30})]
    frame = builders.a_frame(process_columns(slots, {}, ticks=TICKS), group=GROUP)
    for begin_s, end_s in ((-1, 7), (7, 100)):
        placement.add(frame, BEGIN_NS + begin_s * NS_PER_S, BEGIN_NS + end_s * NS_PER_S)
    who, share = placement.heaviest()
    (best,) = [owner.pid for owner, at in placement.owners.items() if at == who[1, 0]]
    assert (best, share[1, 0]) == (11, pytest.approx(0.5))


def test_who_did_nothing_ran_nowhere():
    who, _ = placed((11, 2, {}))
    assert who == [[None, None]] * 4
