import numpy as np

from builders import ARCHIVE, BEGIN_NS, BOOT, RUNNABLE, SWITCHES
from reditus.core.blocks import read_blocks
from reditus.core.kernel_columns import cpu_time
from reditus.core.types import NS_PER_S
from reditus.recorder.batcher import CLOCK_STEP_NS, Batcher
from reditus.recorder.sampler import Reading

COLUMNS = (SWITCHES, RUNNABLE)


def a_reading(at_s, columns=COLUMNS, group="cpu"):
    values = np.arange(len(columns), dtype=np.int64) + at_s
    return Reading(group, BEGIN_NS + at_s * NS_PER_S, at_s * NS_PER_S, columns, values)


def a_batcher():
    return Batcher(ARCHIVE, BOOT, NS_PER_S)


def test_a_few_ticks_make_one_block():
    batcher = a_batcher()
    for at_s in range(3):
        batcher.add([a_reading(at_s)])
    (block,) = read_blocks(batcher.take())
    assert block.column(2).tolist() == [0, 1, 2]
    assert block.schema in batcher.schemas
    assert batcher.take() == b""


def test_a_clock_that_is_set_begins_a_new_block():
    """What a clock of another year has seen is refused without what a right one has."""
    batcher = a_batcher()
    for at_s, ahead_s in ((0, 0), (1, 0), (2, 3_600), (3, 3_600), (4, 0)):
        reading = a_reading(at_s)
        batcher.add([reading._replace(wall_ns=reading.wall_ns + ahead_s * NS_PER_S)])
    assert [block.ticks for block in read_blocks(batcher.take())] == [2, 2, 1]


def test_a_change_of_columns_begins_a_new_block():
    batcher = a_batcher()
    batcher.add([a_reading(0)])
    batcher.add([a_reading(1, (SWITCHES,))])
    first, second = read_blocks(batcher.take())
    assert (first.columns, second.columns) == (2, 1)


def test_wide_groups_become_several_blocks():
    batcher = a_batcher()
    batcher.add([a_reading(0, tuple(cpu_time("user", str(core)) for core in range(401)))])
    assert [block.columns for block in read_blocks(batcher.take())] == [400, 1]


def test_a_batch_is_due_when_its_oldest_tick_is():
    batcher = a_batcher()
    assert not batcher.is_due(0)
    batcher.add([a_reading(0)])
    assert not batcher.is_due(2 * NS_PER_S)
    assert batcher.is_due(2 * NS_PER_S + 1)


def test_times_are_kept_as_finely_as_files_are_read_and_the_clocks_stay_as_far_apart():
    batcher = a_batcher()
    seen_ns = [5_000_000_123, 6_000_400_999, 7_000_000_000]
    for at_ns in seen_ns:
        batcher.add([a_reading(0)._replace(wall_ns=BEGIN_NS + 77 + at_ns, monotonic_ns=at_ns)])
    (block,) = read_blocks(batcher.take())
    kept_ns = block.column(1)
    assert (kept_ns % CLOCK_STEP_NS == 0).all()
    assert ((seen_ns - kept_ns >= 0) & (seen_ns - kept_ns < CLOCK_STEP_NS)).all()
    assert (block.column(0) - block.column(1)).tolist() == [BEGIN_NS + 77] * 3
