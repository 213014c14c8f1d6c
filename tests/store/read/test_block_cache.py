"""What was read recently is kept: nothing of it is fetched again, and nothing that has changed is reported from it."""

import numpy as np
import pytest

from builders import ARCHIVE, BEGIN_NS, RUNNABLE, SWITCHES, a_block
from reditus.analysis.maintenance import Journal, maintain
from reditus.core.delta_array import Steps
from reditus.core.types import NS_PER_S
from reditus.core.window import Window
from reditus.store.read import block_reader as chunks
from reditus.store.read.block_cache import BlockCache, BlockVersion, CachedBlock

HOUR = 3_600


@pytest.fixture
def fetched(known, monkeypatch):
    """An archive of an hour in one block, and how many parts of blocks were fetched since."""
    known.append(ARCHIVE, [a_block(600, start=at) for at in range(0, HOUR, 600)])
    maintain(known, Journal())
    seen = []
    request = chunks.binary_rows

    def counting(session, statement, values):
        rows = request(session, statement, values)
        if statement == chunks._TOGETHER:
            seen.extend(rows)
        return rows

    monkeypatch.setattr(chunks, "binary_rows", counting)
    return seen


def values(store, column=SWITCHES, window=None, *, again=True):
    with store.reading(ARCHIVE) as reader:
        (group,) = reader.frame([item for item in reader.known if item.column == column], window, again=again).groups
    return group.series[column].values.tolist()


def test_what_is_kept_is_not_fetched_again(known, fetched):
    first = values(known)
    assert first == [100 * tick for tick in range(HOUR)]
    assert len(fetched) == 1
    assert values(known) == first
    assert len(fetched) == 1
    part = values(known, window=Window(BEGIN_NS + 100 * NS_PER_S, BEGIN_NS + 200 * NS_PER_S))
    assert part == [100 * tick for tick in range(97, 202)]
    assert len(fetched) == 1


def test_another_column_is_fetched_alone(known, fetched):
    values(known)
    fetched.clear()
    answer = values(known, RUNNABLE)
    ((_, _, count, _, data),) = fetched
    assert count == 2, "one column has two ends; the clocks are kept"
    assert len(data) < 1_000
    with known.reading(ARCHIVE) as reader:
        block = reader.frame(list(reader.known), None).groups[0]
    assert block.series[RUNNABLE].values.tolist() == answer


def test_what_is_read_once_is_not_kept(known, fetched):
    for _ in range(2):
        values(known, again=False)
    assert len(fetched) == 2


def test_a_block_in_whose_place_another_was_put_is_fetched(known, fetched):
    """Ticks that come late go into a block that begins when the old one began."""
    before = values(known)
    known.append(ARCHIVE, [a_block(600, start=HOUR)])
    known.append(ARCHIVE, [a_block(600, start=HOUR + 1_200)])
    assert values(known)[: len(before)] == before
    known.append(ARCHIVE, [a_block(600, start=HOUR + 600)])
    known.append(ARCHIVE, [a_block(600, start=at) for at in range(HOUR + 1_800, 2 * HOUR, 600)])
    maintain(known, Journal())
    with known.engine.connect() as connection:
        assert connection.exec_driver_sql("select count(*) from blocks").scalar() == 2
    assert values(known) == [100 * tick for tick in range(2 * HOUR)]


def test_a_trimmed_block_is_fetched(known, fetched):
    values(known)
    known.archives.trim(ARCHIVE, Window(BEGIN_NS, BEGIN_NS + 1_000 * NS_PER_S))
    assert values(known) == [100 * tick for tick in range(1_000)]


def a_written(number=1):
    return BlockVersion(ARCHIVE, 1, number, b"1")


def decoded(places, ticks=600):
    clock = np.arange(ticks)
    return CachedBlock(clock, clock, {place: Steps(place, np.ones(ticks - 1, dtype=np.int64)) for place in places})


def test_no_more_is_kept_than_there_is_room_for():
    one = decoded([2, 3])
    kept = BlockCache(3 * one.size_bytes)
    for number in range(3):
        kept.put(a_written(number), one)
    kept.get(a_written(0))
    kept.put(a_written(3), one)
    assert [kept.get(a_written(number)) is not None for number in range(4)] == [True, False, True, True]
    assert kept.size_bytes == kept.most_bytes


def test_columns_of_one_block_come_together():
    kept = BlockCache()
    kept.put(a_written(), decoded([2]))
    kept.put(a_written(), decoded([3]))
    assert set(kept.get(a_written()).columns) == {2, 3}
    assert kept.size_bytes == decoded([2, 3]).size_bytes


def test_what_is_kept_cannot_be_written_to(known, fetched):
    for _ in range(2):
        with known.reading(ARCHIVE) as reader:
            (group,) = reader.frame(list(reader.known), None, again=True).groups
    with pytest.raises(ValueError, match="read-only"):
        group.timebase.wall_ns[0] = 7
    for sery in group.series.values():
        sery.values[0] = 7  # added up for this frame alone
        with pytest.raises(ValueError, match="read-only"):
            sery.steps[0] = 7
    assert values(known)[0] == 0
