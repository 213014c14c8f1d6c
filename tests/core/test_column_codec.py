import tracemalloc

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from reditus.core.checksums import with_checksums
from reditus.core.column_codec import (
    Encoding,
    decode_column,
    decode_wall,
    encode_clocks,
    encode_column,
    encode_columns,
)
from reditus.core.errors import BlockError
from reditus.core.rollup import from_chunks

any_column = arrays(np.int64, st.integers(1, 80))


@given(any_column, st.booleans())
def test_every_column_survives(values, doubled):
    chunk = encode_column(values, doubled=doubled)
    assert decode_column(chunk, len(values)).tolist() == values.tolist()


@given(st.integers(-(2**62), 2**62), st.integers(0, 2**40), st.integers(2, 2000))
def test_growing_columns_survive_any_step(first, step, ticks):
    values = np.array([first + step * at for at in range(ticks)], dtype=np.object_) % 2**63
    column = values.astype(np.int64)
    assert decode_column(encode_column(column), ticks).tolist() == column.tolist()


@given(arrays(np.int64, st.tuples(st.integers(1, 40), st.integers(1, 6))), st.booleans())
def test_columns_together_are_encoded_as_each_alone(values, still):
    if still:
        values[:, 0] = values[0, 0]
    assert encode_columns(values) == [encode_column(values[:, at]) for at in range(values.shape[1])]


def test_a_steady_column_costs_a_few_bytes():
    assert len(encode_column(np.full(3_600, 12_345, dtype=np.int64))) == 3


def test_an_even_clock_costs_a_few_bytes():
    clock = np.arange(3_600, dtype=np.int64) * 1_000_000_000 + 1_794_474_000_000_000_000
    assert len(encode_column(clock, doubled=True)) < 40


def test_small_deltas_take_one_plane():
    chunk = encode_column(np.cumsum(np.arange(10, dtype=np.int64)))
    assert (chunk[0], chunk[1]) == (Encoding.PLANES, 1)


@given(any_column, st.data())
def test_damaged_chunks_never_crash(values, data):
    chunk = bytearray(encode_column(values))
    at = data.draw(st.integers(0, len(chunk) - 1))
    chunk[at] ^= data.draw(st.integers(1, 255))
    try:
        decoded = decode_column(bytes(chunk), len(values))
    except BlockError:
        return
    assert len(decoded) == len(values)


@pytest.mark.parametrize("claimed_bytes", [1 << 30, 1 << 60])
def test_what_claims_to_be_huge_is_refused_before_room_is_made(claimed_bytes):
    """A zstd frame says how much it holds (RFC 8878, 3.1.1.1); here in 8 bytes, and then comes an empty last block."""
    frame = bytes.fromhex("28b52ffd e0") + claimed_bytes.to_bytes(8, "little") + bytes.fromhex("010000")
    tracemalloc.start()
    try:
        for unpack in (
            lambda: decode_column(bytes((Encoding.PLANES_ZSTD, 1, 0, 0)) + frame, 600),
            lambda: from_chunks(
                [with_checksums([part], 0)[0] for part in (encode_column(np.zeros(60, dtype=np.int64)), frame)], 60
            ),
        ):
            with pytest.raises(BlockError, match="they say that they hold more"):
                unpack()
        assert tracemalloc.get_traced_memory()[1] < 1 << 20
    finally:
        tracemalloc.stop()


@pytest.mark.parametrize(
    "chunk",
    [
        b"",
        b"\x01",
        b"\x01\x09\x00\x00",
        b"\x63\x00\x00\x00",
        b"\x02\x01\x00\x00junk",
        b"\x81",
        b"\x80\x00",
        b"\x89" + bytes(9),
        b"\xff",
    ],
)
def test_what_is_no_chunk_is_refused(chunk):
    with pytest.raises(BlockError):
        decode_column(chunk, 3)


# Written by format version 1 and kept for ever: what was once written stays readable.
VERSION_1 = {
    "00000100" + "2a": [42, 42, 42],
    "01010101" + "0105" + "000102": [1, 1, 2, 4],
}


VERSION_2 = {
    "80": [0, 0, 0],
    "823930": [12_345] * 2,
    "81ff": [-1],
    "880000000000000080": [-(2**63)] * 4,
}


def test_chunks_of_older_versions_stay_readable():
    for text, values in (VERSION_1 | VERSION_2).items():
        assert decode_column(bytes.fromhex(text), len(values)).tolist() == values


@given(st.lists(st.tuples(st.integers(-(2**63), 2**63 - 1), st.integers(-(2**63), 2**63 - 1)), min_size=1, max_size=60))
def test_clocks_survive_whatever_they_show(readings):
    wall_ns, monotonic_ns = (np.array(clock, dtype=np.int64) for clock in zip(*readings, strict=True))
    wall, monotonic = encode_clocks(wall_ns, monotonic_ns)
    assert np.array_equal(decode_column(monotonic, len(readings)), monotonic_ns)
    assert np.array_equal(decode_wall(wall, monotonic_ns), wall_ns)


def test_a_wall_clock_costs_little_beside_a_monotonic_one():
    rng = np.random.default_rng(3)
    monotonic_ns = np.arange(3_600) * 10**9 + rng.integers(0, 2_000_000, 3_600)
    wall, monotonic = encode_clocks(1_794_474_000 * 10**9 + monotonic_ns + rng.integers(0, 400, 3_600), monotonic_ns)
    assert len(wall) < len(monotonic) * 0.6
    # A step of the wall clock is reported, once.
    stepped = monotonic_ns + np.where(np.arange(3_600) < 1_000, 0, 3_600 * 10**9)
    assert len(encode_clocks(stepped, monotonic_ns)[0]) < 200
