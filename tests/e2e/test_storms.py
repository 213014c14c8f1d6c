"""Server and database are killed in the middle of append, seal, rollup, trim, copy and delete. More:
benchmarks/kills.py.
"""

from storms import run_storm


def test_whatever_is_killed_counts_and_sums_are_as_acknowledged(open_folder):
    count = run_storm(open_folder, kills=4, seed=1905)
    assert not count.wrong, count.wrong
    assert count.kills == 4
    assert {"append", "trim", "copy", "delete"} <= set(count.done)
    assert count.counted > count.acknowledged
    assert count.rolled > 20
    assert count.unknown == 0
