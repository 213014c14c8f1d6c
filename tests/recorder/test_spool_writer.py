"""Batches go to disk beside the ticks; a disk that is slow or full costs nothing until memory runs out."""

import os
import subprocess
import threading

import pytest

from builders import ARCHIVE, a_block, a_schema
from e2e_helpers import wait_until
from reditus.core.rfc3339 import spell_time
from reditus.recorder.spool import Spool
from reditus.recorder.spool_writer import NO_ROOM, Kept, SpoolWriter


class SlowSpool(Spool):
    """Takes a batch only once the gate is open."""

    def __init__(self, folder):
        super().__init__(folder)
        self.gate = threading.Event()

    def put(self, batch):
        self.gate.wait(60)
        super().put(batch)


@pytest.fixture
def tiny_disk(tmp_path):
    if os.geteuid():
        pytest.skip("only root may mount a file system")
    folder = tmp_path / "disk"
    folder.mkdir()
    mounted = subprocess.run(
        ["mount", "-t", "tmpfs", "-o", "size=1m", "tmpfs", folder], capture_output=True, check=False
    )
    if mounted.returncode:
        pytest.skip(f"no file system can be mounted here: {mounted.stderr.decode().strip()}")
    yield folder
    subprocess.run(["umount", "--lazy", folder], check=True)


def fill(ballast):
    with ballast.open("wb", buffering=0) as file:
        for _ in range(1 << 10):
            try:
                file.write(bytes(4096))
            except OSError:
                return
    raise AssertionError("the disk took everything")


def blocks(count):
    return [a_block(start=number * 3).to_bytes() for number in range(count)]


def contents(spool):
    return [batch.path.read_bytes() for batch in spool.batches()]


def kept(batch, schemas=(), then=lambda: None):
    return Kept(batch, schemas, then)


def test_a_slow_disk_holds_up_none_and_the_order_stays(tmp_path):
    spool = SlowSpool(tmp_path / str(ARCHIVE))
    keeper = SpoolWriter(spool)
    done = []
    for number, batch in enumerate(blocks(5)):
        keeper.put(kept(batch, then=lambda number=number: done.append(number)))
    assert not spool.batches()
    assert not done
    spool.gate.set()
    keeper.close()
    assert contents(spool) == blocks(5)
    assert done == [0, 1, 2, 3, 4]


def test_what_memory_cannot_hold_is_a_gap_and_schemas_stay(tmp_path):
    spool = SlowSpool(tmp_path / str(ARCHIVE))
    written = blocks(8)
    keeper = SpoolWriter(spool, limit_bytes=3 * max(map(len, written)))
    keeper.put(kept(written[0]))
    keeper.put(kept(written[1], schemas=(a_schema(),)))
    for batch in written[2:]:
        keeper.put(kept(batch))
    spool.gate.set()
    keeper.close()
    # The first was on its way to the disk already.
    assert contents(spool) == [written[0], *written[6:]]
    assert [digest for digest, _ in spool.schemas()] == [a_schema().digest.hex()]
    spool.close()
    (gap,) = Spool(tmp_path / str(ARCHIVE)).dropped
    first, last = a_block(start=3), a_block(start=15)
    assert (gap["start"], gap["end"], gap["reason"]) == (spell_time(first.first_ns), spell_time(last.last_ns), NO_ROOM)


def test_a_full_disk_is_said_and_passes(tiny_disk):
    spool = Spool(tiny_disk / str(ARCHIVE))
    keeper = SpoolWriter(spool)
    ballast = tiny_disk / "ballast"
    fill(ballast)
    for batch in blocks(3):
        keeper.put(kept(batch))
    wait_until(lambda: keeper.trouble is not None)
    assert "No space" in keeper.trouble
    assert not spool.batches()
    ballast.unlink()
    wait_until(lambda: len(spool.batches()) == 3)
    assert keeper.trouble is None
    keeper.close()
    assert contents(spool) == blocks(3)
    assert not spool.dropped
