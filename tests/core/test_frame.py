"""Ticks to rates, on values computed by hand."""

from uuid import UUID

import numpy as np
import pytest

from builders import BEGIN_NS, RUNNABLE, SWITCHES, a_frame, a_piece, ints
from reditus.core.errors import UnknownCounter
from reditus.core.frame import BlockSlice, Frame
from reditus.core.frame_builder import assemble
from reditus.core.kernel_columns import cpu_time, disk_columns
from reditus.core.types import NS_PER_S

COUNTER = "system.cpu.context_switches"
IO_TIME = disk_columns("sda")[9]


def values_of(sampled):
    return [None if np.isnan(value) else round(float(value), 6) for value in sampled.values]


def test_a_rate_is_growth_over_measured_time():
    frame = a_frame({SWITCHES: [1000, 1500, 1500, 1900]}, interval_s=5)
    assert values_of(frame.rate(COUNTER)) == [None, 100, 0, 80]


def test_time_is_taken_from_the_monotonic_clock():
    """The wall clock is set forward by an hour between the blocks; the rate does not notice."""
    frame = Frame(assemble([a_piece({SWITCHES: [0, 10]}), a_piece({SWITCHES: [20, 30]}, start=2, wall_shift_s=3600)]))
    assert values_of(frame.rate(COUNTER)) == [None, 10, 10, 10]


def test_a_missing_tick_leaves_its_interval_unknown():
    frame = Frame(assemble([a_piece({SWITCHES: [0, 10]}), a_piece({SWITCHES: [70, 80]}, start=5)]))
    assert values_of(frame.rate(COUNTER)) == [None, 10, None, 10]


def test_no_rate_is_taken_across_a_restart():
    after = a_piece({SWITCHES: [5, 9]}, boot=UUID(int=7), wall_shift_s=60)
    frame = Frame(assemble([after, a_piece({SWITCHES: [1000, 1010]})]))
    assert values_of(frame.rate(COUNTER)) == [None, 10, None, 4]


def test_a_falling_counter_was_reset():
    assert values_of(a_frame({SWITCHES: [500, 510, 3, 13]}).rate(COUNTER)) == [None, 10, None, 10]


def test_a_32_bit_counter_may_wrap():
    frame = a_frame({IO_TIME: [2**32 - 500, 250, 750]})
    assert values_of(frame.rate(IO_TIME.counter, dict(IO_TIME.attributes))) == [None, 0.75, 0.5]


def test_a_32_bit_counter_that_falls_from_the_middle_was_reset():
    frame = a_frame({IO_TIME: [2**31, 250, 750]})
    assert values_of(frame.rate(IO_TIME.counter, dict(IO_TIME.attributes))) == [None, None, 0.5]


def test_idle_may_step_back_a_little():
    idle = cpu_time("idle")
    frame = a_frame({idle: [1000, 998, 1098, 500]})
    known = frame.delta(idle.counter, dict(idle.attributes), allow_decrease=True)
    assert values_of(known) == [None, 0, 1.0, None]


def test_a_device_that_appears_starts_unknown_and_invents_no_zero():
    sda, sdb = (disk_columns(name)[0] for name in ("sda", "sdb"))
    frame = Frame(
        assemble(
            [
                a_piece({sda: [0, 10]}, group="disk"),
                a_piece({sda: [20, 30], sdb: [700, 704]}, group="disk", start=2),
                a_piece({sda: [40, 50]}, group="disk", start=4),
            ]
        )
    )
    assert values_of(frame.rate(sdb.counter, dict(sdb.attributes))) == [None, None, None, 4, None, None]
    assert values_of(frame.rate(sda.counter, dict(sda.attributes))) == [None, 10, 10, 10, 10, 10]


def test_levels_are_scaled_and_absent_where_the_device_is():
    frame = Frame(assemble([a_piece({RUNNABLE: [3]}), a_piece({SWITCHES: [1]}, start=1)]))
    assert values_of(frame.level(RUNNABLE.counter)) == [3, None]


def test_repeated_and_shuffled_blocks_count_once():
    pieces = [
        a_piece({SWITCHES: [20, 30]}, start=2),
        a_piece({SWITCHES: [0, 10]}),
        a_piece({SWITCHES: [10, 20]}, start=1),
    ]
    assert values_of(Frame(assemble(pieces)).rate(COUNTER)) == [None, 10, 10, 10]


def test_parts_of_a_wide_group_share_their_ticks():
    frame = Frame(assemble([a_piece({SWITCHES: [0, 10]}), a_piece({RUNNABLE: [1, 2]})]))
    (group,) = frame.groups
    assert group.timebase.wall_ns.tolist() == ints(BEGIN_NS, BEGIN_NS + NS_PER_S).tolist()
    assert len(group.series) == 2


def test_a_counter_that_is_not_there_is_named():
    with pytest.raises(UnknownCounter, match="context_switches"):
        a_frame({RUNNABLE: [1]}).rate(COUNTER)


def test_ticks_within_a_block_may_be_out_of_order():
    piece = a_piece({SWITCHES: [0, 10, 20, 30]})
    order = [0, 3, 1, 2]
    mixed = BlockSlice(
        group=piece.group, boot=piece.boot, interval_ns=piece.interval_ns, wall_ns=piece.wall_ns[order],
        monotonic_ns=piece.monotonic_ns[order], columns={SWITCHES: piece.columns[SWITCHES][order]},
    )  # fmt: skip
    assert values_of(Frame(assemble([mixed])).rate("system.cpu.context_switches")) == [None, 10, 10, 10]
