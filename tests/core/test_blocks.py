import struct
import zlib

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from builders import ARCHIVE, BEGIN_NS, BOOT, a_block, a_schema, tick_times, without_checksums
from reditus.core.blocks import Stretch, encode_block, read_blocks
from reditus.core.errors import BlockError, BlockVersionError
from reditus.core.types import NS_PER_S


def patched(raw: bytes, at: int, part: bytes) -> bytes:
    """The block with some bytes replaced, and a checksum that fits again."""
    body = raw[:at] + part + raw[at + len(part) : -4]
    return body + struct.pack("<I", zlib.crc32(body))


def test_a_block_survives_the_wire():
    block = a_block(5)
    (read,) = read_blocks(block.to_bytes())
    assert read == block
    assert read.column(2).tolist() == [0, 100, 200, 300, 400]
    assert (read.first_ns, read.last_ns) == (BEGIN_NS, BEGIN_NS + 4 * NS_PER_S)


def test_a_batch_is_blocks_one_after_another():
    batch = a_block(2).to_bytes() + a_block(3, start=2).to_bytes()
    assert [block.ticks for block in read_blocks(batch)] == [2, 3]


@given(st.integers(1, 40), st.integers(1, 12), st.randoms(use_true_random=False))
def test_any_stretch_survives(ticks, columns, random):
    values = np.array([[random.getrandbits(63) for _ in range(columns)] for _ in range(ticks)], dtype=np.int64)
    at_ns = tick_times(ticks)
    stretch = Stretch(BEGIN_NS + at_ns, at_ns, values)
    block = encode_block(stretch, archive=ARCHIVE, boot=BOOT, schema=bytes(32), interval_ns=NS_PER_S)
    (read,) = read_blocks(block.to_bytes())
    assert read.stretch().values.tolist() == values.tolist()


@given(st.integers(0, 400))
def test_a_cut_block_is_refused(kept):
    raw = a_block().to_bytes()
    with pytest.raises(BlockError):
        list(read_blocks(raw[: min(kept, len(raw) - 1)]))


@given(st.integers(0, 10_000), st.integers(1, 255))
def test_a_flipped_byte_is_noticed(at, flip):
    raw = bytearray(a_block().to_bytes())
    raw[at % len(raw)] ^= flip
    with pytest.raises(BlockError):
        list(read_blocks(bytes(raw)))


@pytest.mark.parametrize(
    ("at", "part", "says"),
    [
        (0, b"HTTP", "would begin with"),
        (72, struct.pack("<I", 0), "1 to 400 columns"),
        (72, struct.pack("<I", 4_000_000_000), "1 to 400 columns"),
        (76, struct.pack("<I", 0), "1 to 14400 ticks"),
        (76, struct.pack("<I", 2_000_000_000), "1 to 14400 ticks"),
        (96, struct.pack("<q", 0), "an interval of 0.1 s to 3600 s, not 0 s"),
        (96, struct.pack("<q", -5), "an interval"),
        (104, struct.pack("<I", 4_000_000_000), "bytes of data"),
        (108, struct.pack("<I", 7), "offsets"),
    ],
)
def test_absurd_heads_are_refused_by_name(at, part, says):
    with pytest.raises(BlockError, match=says):
        list(read_blocks(patched(a_block().to_bytes(), at, part)))


def test_a_block_of_an_older_version_is_read():
    (old,) = read_blocks(patched(without_checksums(a_block()).to_bytes(), 4, struct.pack("<H", 1)))
    assert (old.version, old.stretch().values.tolist()) == (1, a_block().stretch().values.tolist())
    assert old.current() == a_block()


def test_a_version_from_the_future_is_reported_as_such():
    with pytest.raises(BlockVersionError, match="format version 9; this Reditus reads up to 3"):
        list(read_blocks(patched(a_block().to_bytes(), 4, struct.pack("<H", 9))))


def test_clocks_must_agree_with_the_head():
    (block,) = read_blocks(patched(without_checksums(a_block()).to_bytes(), 80, struct.pack("<q", BEGIN_NS - 5)))
    with pytest.raises(BlockError, match="different times"):
        block.check()


def test_a_standing_clock_is_refused():
    still = np.full(3, NS_PER_S, dtype=np.int64)
    stretch = Stretch(tick_times(3) + BEGIN_NS, still, np.zeros((3, 2), dtype=np.int64))
    block = encode_block(stretch, archive=ARCHIVE, boot=BOOT, schema=a_schema().digest, interval_ns=NS_PER_S)
    with pytest.raises(BlockError, match="stands still"):
        block.check()
