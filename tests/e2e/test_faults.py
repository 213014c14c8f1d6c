"""A frozen server, a database that is restarted, clocks that step, signals right after a start. More:
benchmarks/kills.py faults.
"""

import pytest

from faults import YEAR_S, run_fault, signals_right_after_the_start


@pytest.mark.parametrize(
    ("fault", "more"),
    [
        ("server frozen", {"for_s": 8}),
        ("database restarted", {"times": 2}),
        ("clock steps", {"pause_s": 2, "steps_s": (-1, 20 * YEAR_S, -20 * YEAR_S)}),
    ],
)
def test_what_was_acknowledged_is_stored_and_others_are_unharmed(open_folder, fault, more):
    found = run_fault(open_folder, fault, **more)
    assert found.is_right, found
    if fault == "clock steps":  # what lies a day ahead and more is refused, and says so
        assert not found.remarks.startswith("0 batches"), found


def test_signals_right_after_a_start_end_it(tmp_path):
    ended, _ = signals_right_after_the_start(tmp_path, 12)
    assert ended == 12
