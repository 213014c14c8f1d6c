"""Recorder, server and database are killed hard; what was acknowledged is there, once. More: benchmarks/kills.py."""

from kills import run_kills


def test_nothing_acknowledged_is_lost_and_nothing_is_stored_twice(open_folder):
    count = run_kills(open_folder, kills=6, seed=1871)
    assert (count.lost, count.twice) == (0, 0), count
    assert count.acknowledged > 100
    assert count.stored >= count.acknowledged
