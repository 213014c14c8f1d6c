from pathlib import Path

import pytest

from builders import ARCHIVE, a_block, a_schema
from reditus.core.rfc3339 import spell_time
from reditus.recorder.errors import SpoolBusy
from reditus.recorder.spool import Spool


@pytest.fixture
def folder(tmp_path):
    return tmp_path / str(ARCHIVE)


def test_batches_wait_in_their_order(folder):
    spool = Spool(folder)
    for batch in (b"one", b"two", b"three"):
        spool.put(batch)
    assert [batch.path.read_bytes() for batch in spool.batches()] == [b"one", b"two", b"three"]
    assert spool.size_bytes == 11


def test_what_waits_survives_a_crash(folder):
    spool = Spool(folder)
    spool.put(b"one")
    spool.keep_schema(a_schema())
    (folder / "0000000000000001.part").write_bytes(b"half")  # a write that a crash cut off
    spool.close()
    again = Spool(folder)
    again.put(b"two")
    assert [batch.path.read_bytes() for batch in again.batches()] == [b"one", b"two"]
    assert [digest for digest, _ in again.schemas()] == [a_schema().digest.hex()]


def test_a_full_spool_drops_the_oldest_and_counts_it(folder):
    spool = Spool(folder, limit_bytes=10)
    for batch in (b"aaaa", b"bbbb", b"cccc"):
        spool.put(batch)
    assert [batch.path.read_bytes() for batch in spool.batches()] == [b"bbbb", b"cccc"]
    assert spool.dropped_batches == 1
    assert spool.size_bytes == 8


def test_the_newest_batch_stays_whatever_its_size(folder):
    spool = Spool(folder, limit_bytes=3)
    spool.put(b"larger than the limit")
    assert len(spool.batches()) == 1


def test_one_spool_has_one_recorder(folder):
    held = Spool(folder)
    with pytest.raises(SpoolBusy, match="--name"):
        Spool(folder)
    held.close()
    Spool(folder).close()


def test_refused_batches_are_laid_aside_with_the_reason(folder):
    spool = Spool(folder)
    spool.put(b"bad")
    spool.refuse(spool.batches()[0], "not a block")
    assert not spool.batches()
    (laid,) = spool.aside
    assert (laid["reason"], laid["size_bytes"]) == ("not a block", 3)
    assert Path(laid["file"]).read_bytes() == b"bad"
    assert spool.size_bytes == 0


def test_what_was_dropped_is_reported_as_gaps_with_a_reason(tmp_path):
    blocks = [a_block(start=number * 3).to_bytes() for number in range(6)]
    spool = Spool(tmp_path / str(ARCHIVE), limit_bytes=3 * len(blocks[0]))
    for block in blocks:
        spool.put(block)
    dropped = len(blocks) - len(spool.batches())
    assert 0 < dropped < len(blocks)
    spool.close()
    (gap,) = Spool(tmp_path / str(ARCHIVE)).dropped  # a recorder that starts again still knows
    first, last = a_block(start=0), a_block(start=3 * (dropped - 1))
    assert (gap["start"], gap["end"]) == (spell_time(first.first_ns), spell_time(last.last_ns))
    assert "spool was full" in gap["reason"]


def test_a_spool_of_version_0_1_is_taken_over(folder):
    spool = Spool(folder)
    spool.put(b"one")
    spool.keep_schema(a_schema())
    spool.close()
    (folder / "schemas").rename(folder / "layouts")
    again = Spool(folder)
    assert [digest for digest, _ in again.schemas()] == [a_schema().digest.hex()]
    assert [batch.path.read_bytes() for batch in again.batches()] == [b"one"]
