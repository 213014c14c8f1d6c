from builders import SWITCHES, a_piece
from reditus.core.frame_builder import assemble
from reditus.core.timeline import joined


def ticks(*archives):
    (group,) = assemble(joined(archives))
    return group.series[SWITCHES].values.tolist()


def test_archives_one_after_the_other_are_one_timeline():
    assert ticks([a_piece({SWITCHES: [1, 2]})], [a_piece({SWITCHES: [3, 4]}, start=5)]) == [1, 2, 3, 4]


def test_where_two_report_of_the_same_time_the_first_counts():
    second = a_piece({SWITCHES: [90, 91, 92, 93, 94]}, start=1)
    assert ticks([a_piece({SWITCHES: [1, 2, 3]})], [second]) == [1, 2, 3, 92, 93, 94]


def test_a_gap_of_the_first_is_filled_by_the_second():
    first = [a_piece({SWITCHES: [1, 2]}), a_piece({SWITCHES: [8, 9]}, start=7)]
    second = a_piece({SWITCHES: [51, 52, 53, 54, 55]}, start=2)
    assert ticks(first, [second]) == [1, 2, 51, 52, 53, 54, 55, 8, 9]


def test_other_groups_are_left_alone():
    pieces = joined([[a_piece({SWITCHES: [1, 2]})], [a_piece({SWITCHES: [3, 4]}, group="other")]])
    assert [piece.group for piece in pieces] == ["cpu", "other"]
