"""What is stored is what was written, or it is said that it is not."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from builders import a_block, a_schema, without_checksums
from reditus.core.blocks import CLOCKS, Block, read_block
from reditus.core.checksums import CHECKSUM_BYTES, verified, with_checksums
from reditus.core.errors import BlockError, DamagedBlock
from reditus.core.kernel_columns import CPU_MODES, cpu_time

WIDE = a_block(700, schema=a_schema([cpu_time(mode, str(core)) for core in range(3) for mode in CPU_MODES]))


def flipped(data: bytes, bit: int) -> bytes:
    out = bytearray(data)
    out[bit // 8] ^= 1 << bit % 8
    return bytes(out)


def values(block: Block) -> list[list[int]]:
    return block.stretch().values.tolist()


def test_every_flipped_bit_is_noticed():
    whole = values(WIDE)
    rng = np.random.default_rng(15)
    for bit in rng.integers(0, 8 * len(WIDE.data), 4_000).tolist():
        with pytest.raises(DamagedBlock):
            replace(WIDE, data=flipped(WIDE.data, bit)).check()
    assert values(WIDE) == whole


def test_only_the_damaged_column_is_lost():
    begin = WIDE.offsets[5]
    damaged = replace(WIDE, data=flipped(WIDE.data, 8 * begin + 3))
    lost = []
    for place in range(CLOCKS + WIDE.columns):
        try:
            assert damaged.column(place).tolist() == WIDE.column(place).tolist()
        except DamagedBlock:
            lost.append(place)
    assert lost == [5]


@pytest.mark.parametrize(
    "change",
    [{"ticks": 699}, {"interval_ns": 2_000_000_000}, {"first_ns": WIDE.first_ns + 1}, {"last_ns": WIDE.last_ns - 1}],
)
def test_a_damaged_head_is_noticed_with_any_column(change):
    with pytest.raises(DamagedBlock):
        replace(WIDE, **change).column(4)


def test_columns_that_change_places_are_noticed():
    chunks = with_checksums([b"alpha", b"beta"], 7)
    assert bytes(verified(chunks[0], 7, 0)) == b"alpha"
    with pytest.raises(DamagedBlock):
        verified(chunks[0], 7, 1)


@given(st.binary(max_size=40), st.integers(0, 400), st.binary(max_size=CHECKSUM_BYTES))
def test_what_is_too_short_for_a_checksum_is_damaged(chunk, position, short):
    (sealed,) = with_checksums([chunk], 3)
    if position:
        with pytest.raises(DamagedBlock):
            verified(sealed, 3, position)
    with pytest.raises(DamagedBlock):
        verified(short, 3, 0)


def test_formats_before_checksums_are_read_and_brought_up_to_date():
    old = without_checksums(WIDE)
    again, _ = read_block(memoryview(old.to_bytes()), 0)
    assert again.version == 2
    assert values(again) == values(WIDE)
    assert again.current() == WIDE
    assert WIDE.current() is WIDE


def test_a_column_that_cannot_be_decoded_is_named():
    """Its checksum is right: the sender wrote it so."""
    chunks = [bytes(WIDE.chunk(place)) for place in range(CLOCKS + WIDE.columns)]
    chunks[CLOCKS] = bytes((99,)) + chunks[CLOCKS][1:]
    offsets = np.cumsum([0, *(len(chunk) + CHECKSUM_BYTES for chunk in chunks)]).astype("<u4")
    broken = replace(WIDE, data=b"".join(with_checksums(chunks, WIDE.seed)), directory=offsets.tobytes())
    with pytest.raises(BlockError, match="column 0 cannot be decoded: column encoding 99"):
        broken.check()
