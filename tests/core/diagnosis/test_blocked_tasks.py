"""Tasks that hang, found in the load as the kernel counts it: every five seconds, damped, and in hundredths."""

from dataclasses import replace

import numpy as np
import pytest

from builders import BEGIN_NS, a_piece, processor_columns
from reditus.core.counters import PROCESS_STATE
from reditus.core.diagnosis import diagnose
from reditus.core.frame import Frame
from reditus.core.frame_builder import assemble
from reditus.core.kernel_columns import kernel_column, load_average
from reditus.core.types import NS_PER_S
from reditus.core.window import Window

LENGTH_S = 240
SECONDS = np.arange(LENGTH_S)
KEPT = np.exp(-5 / 60)


def load_of(counts):
    """Hundredths, as /proc/loadavg has them, of how many tasks there are at each second."""
    load, out = 0.1, []
    for second in SECONDS:
        if second % 5 == 3:
            load = round(load * KEPT + counts[second] * (1 - KEPT), 3)
        out.append(round(load * 100))
    return out


def answer(counts, runnable, busy, *, hanging=None, every=1, step_back_s=0):
    groups = processor_columns(busy=busy, cores=2, runnable=[int(count) + 1 for count in runnable])
    groups["load"] = {load_average("1m"): np.array(load_of(counts))}
    if hanging is not None:
        groups["process"] = {kernel_column("process.linux.count", {PROCESS_STATE: "D"}): np.array(hanging)}
    pieces = []
    for name, columns in groups.items():
        thinned = {column: np.asarray(values)[::every] for column, values in columns.items()}
        piece = a_piece(thinned, group=name, interval_s=every)
        stepped = np.where(np.arange(len(piece.wall_ns)) * every >= 60, step_back_s, 0)
        pieces.append(replace(piece, wall_ns=piece.wall_ns - stepped * NS_PER_S))
    found = diagnose(
        Frame(assemble(pieces)), Window(BEGIN_NS - (step_back_s + 1) * NS_PER_S, BEGIN_NS + LENGTH_S * NS_PER_S)
    ).findings
    return [finding for finding in found if finding.kind == "tasks.blocked"]


def between(first, last, number):
    return np.where((first <= SECONDS) & (last > SECONDS), number, 0)


IDLE = [0.1] * LENGTH_S


@pytest.mark.parametrize("every", [1, 5, 10])
def test_tasks_that_hang_are_in_every_count(every):
    (finding,) = answer(between(80, 180, 6), [0] * LENGTH_S, IDLE, every=every)
    begin_s, end_s = ((at_ns - BEGIN_NS) / NS_PER_S for at_ns in (finding.start_ns, finding.end_ns))
    assert begin_s == pytest.approx(80, abs=max(10, 2 * every))
    assert end_s == pytest.approx(180, abs=max(10, 2 * every))
    assert "its damping was undone" in finding.considered[2]


def test_a_clock_that_is_set_back_hides_no_tasks():
    found = answer(between(80, 180, 6), [0] * LENGTH_S, IDLE, step_back_s=30)
    assert len(found) == 1


def test_a_load_that_outlives_its_tasks_is_no_sign():
    running = between(20, 100, 16)
    assert answer(running, running, np.where(running > 0, 2.0, 0.1)) == []


def test_a_load_made_of_short_runs_is_no_queue():
    rng = np.random.default_rng(3)
    counted = np.where(rng.random(LENGTH_S) < 0.4, rng.integers(5, 14, LENGTH_S), 1)
    assert max(load_of(counted)) > 300
    assert answer(counted, [1] * LENGTH_S, [0.8] * LENGTH_S) == []


def test_beside_tasks_that_wait_for_cores_the_count_is_not_sure():
    running = between(20, 220, 7)
    assert answer(running + 4, np.minimum(running, 4), np.where(running > 0, 2.0, 0.1)) == []


def test_the_states_of_processes_are_believed():
    assert answer(between(80, 180, 6), [0] * LENGTH_S, IDLE, hanging=[0] * LENGTH_S) == []
    (finding,) = answer(between(80, 180, 6), [0] * LENGTH_S, IDLE, hanging=between(80, 180, 6))
    assert finding.confidence == pytest.approx(0.9)
    assert (finding.onset.at_ns - BEGIN_NS) / NS_PER_S == pytest.approx(80, abs=2)
    assert "6.0 processes were in uninterruptible sleep" in finding.explanation
