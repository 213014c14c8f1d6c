"""How one column of raw integers becomes bytes and back, without loss for any 64-bit input.

A chunk is self-contained but for its number of values, which its block knows:

    byte 0        encoding (Encoding below; ids are never reused); or 128 + n, and only the value of a column that
    stands
                  still follows, in n bytes
    byte 1        planes: bytes kept of each delta, 0 to 8
    byte 2        low 4 bits: length of `first`; high 4 bits: length of `least`
    byte 3        length of `span`
    then          first, least, span as signed little-endian integers of those lengths
    then          the payload

`first` is the first value, `span` the last value minus the first, `least` the smallest delta. The payload holds each
(delta − least) as byte planes: all lowest bytes, then all second bytes, ... so that slow-moving bytes lie together
for zstd. The doubled encodings apply the same to the deltas of deltas; they pay for clock columns only.
Arithmetic is modulo 2^64 throughout, which is what makes every input survive.
"""

import sys
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from enum import IntEnum
from functools import lru_cache

import numpy as np
import zstandard
from numpy.typing import NDArray

from reditus.core.delta_array import Steps
from reditus.core.errors import BlockError
from reditus.core.types import IntArray

ZSTD_LEVEL = 3  # measured: level 9 gains 3 % and costs several times the processor
MIN_COMPRESSED = 24  # shorter payloads only grow: a zstd frame has about a dozen bytes of its own
HEAD = 4
WORD = 8
FORMAT_VERSION = 3
"""2 added the short form of columns that stand still, 128 + n; 3 a checksum at the end of each chunk (core.checksums).
"""
CHECKSUMS_SINCE = 3
STILL = 128
_MASK = (1 << 64) - 1
_LITTLE = sys.byteorder == "little"

Words = NDArray[np.uint64]


class Encoding(IntEnum):
    """Chunk encodings. What was once written stays readable: ids are only ever added."""

    CONSTANT = 0
    """Every value is the first. Version 1 wrote these."""
    PLANES = 1
    """Deltas as byte planes, as they are."""
    PLANES_ZSTD = 2
    """Deltas as byte planes in one zstd frame."""
    DOUBLED = 3
    """Deltas of deltas as byte planes, as they are. `span` here is the first delta."""
    DOUBLED_ZSTD = 4
    """Deltas of deltas as byte planes in one zstd frame. `span` here is the first delta."""
    AHEAD = 5
    """Of wall clocks only: after this byte another chunk, of how far the wall clock is ahead of the monotonic one."""


def encode_column(values: IntArray, *, doubled: bool = False) -> bytes:
    """Encode at least one value. `doubled` suits evenly growing values such as clocks.

    >>> decode_column(encode_column(np.array([5, 7, 9, 9])), 4)
    array([5, 7, 9, 9])
    """
    words = np.ascontiguousarray(values).view(np.uint64)
    first = int(values[0])
    if len(words) == 1 or bool((words == words[0]).all()):
        return constant_chunk(first)
    deltas = np.diff(words)
    if doubled and len(deltas) > 1:
        return _planes_chunk(first, _signed(int(deltas[0])), np.diff(deltas), (Encoding.DOUBLED, Encoding.DOUBLED_ZSTD))
    span = _signed((int(words[-1]) - int(words[0])) & _MASK)
    return _planes_chunk(first, span, deltas, _PLAIN)


def encode_clocks(wall_ns: IntArray, monotonic_ns: IntArray) -> tuple[bytes, bytes]:
    """Encode the two clocks of a stretch, each in the shortest way. Within a tick they hardly part, so that one of them
    need not be reported in full.

    >>> wall, monotonic = encode_clocks(np.array([105, 117, 131]), np.array([5, 17, 31]))
    >>> decode_wall(wall, np.array([5, 17, 31]))
    array([105, 117, 131])
    """
    ahead = bytes((Encoding.AHEAD,)) + _shortest(wall_ns - monotonic_ns)
    return min(ahead, _shortest(wall_ns), key=len), _shortest(monotonic_ns)


def _shortest(values: IntArray) -> bytes:
    return min(encode_column(values), encode_column(values, doubled=True), key=len)


def decode_wall(chunk: bytes | memoryview, monotonic_ns: IntArray) -> IntArray:
    """The wall clock of the ticks that have this monotonic clock. Raise BlockError for bytes that are no such chunk."""
    if len(chunk) and chunk[0] == Encoding.AHEAD:
        return decode_column(chunk[1:], len(monotonic_ns)) + monotonic_ns
    return decode_column(chunk, len(monotonic_ns))


def encode_columns(values: IntArray) -> list[bytes]:
    """Encode every column of (ticks, columns), each as `encode_column` would.

    What all columns have in common is computed for all at once: in the small batches of a recorder most columns stand
    still, and the others hold a delta or two.
    """
    words = np.ascontiguousarray(values).view(np.uint64)
    moving = (words[1:] != words[0]).any(axis=0)
    still = ~moving
    chunks = [b""] * len(moving)
    constant = map(constant_chunk, words[0, still].view(np.int64).tolist())
    for at, chunk in zip(np.flatnonzero(still).tolist(), constant, strict=True):
        chunks[at] = chunk
    if moving.any():
        for at, chunk in zip(np.flatnonzero(moving).tolist(), _moving_chunks(words[:, moving]), strict=True):
            chunks[at] = chunk
    return chunks


def _moving_chunks(words: Words) -> Iterator[bytes]:
    """The chunk of each column, none of which stands still."""
    count = len(words) - 1
    deltas = words[1:] - words[:-1]
    least = deltas.view(np.int64).min(axis=0)
    rest = deltas - least.view(np.uint64)
    widest = rest.max(axis=0).tolist()
    spans = (words[-1] - words[0]).view(np.int64).tolist()
    # Every column's planes side by side, so that each column's payload is one slice.
    spread = np.ascontiguousarray(rest, dtype="<u8").view(np.uint8).reshape(count, -1, WORD)
    planes = spread.transpose(1, 2, 0).tobytes()
    start = 0
    for first, span, lowest, wide in zip(words[0].view(np.int64).tolist(), spans, least.tolist(), widest, strict=True):
        kept = (wide.bit_length() + 7) // 8
        yield _packed_chunk(first, span, lowest, kept, planes[start : start + kept * count], _PLAIN)
        start += WORD * count


@lru_cache(maxsize=8_192)
def constant_chunk(value: int) -> bytes:
    """The chunk of a column that holds `value` at every tick. Most columns stand still, and most of those at 0."""
    length = _length(value)
    return bytes((STILL + length,)) + value.to_bytes(length, "little", signed=True)


def decode_column(chunk: bytes | memoryview, ticks: int) -> IntArray:
    """Return the column's `ticks` values. Raise BlockError for bytes that are no such chunk."""
    found = _parsed(chunk, ticks)
    if isinstance(found, int):
        return np.full(ticks, found, dtype=np.int64)
    out = np.empty(ticks, dtype=np.int64)
    out[0] = found.first
    found.fill(out[1:])
    return np.add.accumulate(out, out=out)


def check_chunks(chunks: Sequence[bytes | memoryview], ticks: int) -> None:
    """Raise BlockError, with the column's position, unless each chunk decodes to so many values."""
    room: IntArray | None = None
    for position, chunk in enumerate(chunks):
        # Most columns stand still, and those need no more than a look at two bytes.
        if len(chunk) and STILL <= chunk[0] <= STILL + WORD and len(chunk) == 1 + chunk[0] - STILL:
            continue
        try:
            found = _parsed(chunk, ticks)
            if not isinstance(found, int):
                room = np.empty(ticks - 1, dtype=np.int64) if room is None else room
                found.fill(room)
        except BlockError as why:
            raise BlockError(f"column {position} cannot be decoded: {why}") from why


def unpacked(frame: bytes | memoryview, most_bytes: int, *, of: str) -> bytes:
    """What a zstd frame holds. Raise BlockError for a damaged one, and for one that says of itself that it holds more:
    room for all of that would be made before anything shows to be wrong.
    """
    try:
        if zstandard.frame_content_size(frame) > most_bytes:
            raise BlockError(f"{of}'s bytes are damaged: they say that they hold more than {most_bytes} bytes")
        return zstandard.ZstdDecompressor().decompress(frame, max_output_size=most_bytes)
    except zstandard.ZstdError as why:
        raise BlockError(f"{of}'s bytes are damaged: {why}") from why


def decode_steps(chunk: bytes | memoryview, ticks: int) -> Steps:
    """As decode_column, without adding up the steps; a damaged payload shows when the values are used."""
    found = _parsed(chunk, ticks)
    if isinstance(found, int):
        return Steps(found, np.zeros(ticks - 1, dtype=np.int64), least=0)
    return Steps.of(found)


@dataclass(frozen=True, slots=True)
class _Moving:
    """A chunk whose head is read: the source of a column's steps."""

    first: int
    last: int | None
    least: int | None
    ticks: int
    planes: int
    payload: bytes | memoryview
    compressed: bool
    base: int
    """What the planes lack of each delta, or of each delta of deltas."""
    doubled_from: int | None
    """The first delta, where the others are reported by their differences."""

    def fill(self, steps: IntArray) -> None:
        words = steps.view(np.uint64)
        if self.doubled_from is None:
            self._read_planes(words)
            return
        words[0] = self.doubled_from & _MASK
        self._read_planes(words[1:])
        np.add.accumulate(words, out=words)

    def _read_planes(self, out: Words) -> None:
        count, planes = len(out), self.planes
        size, payload = count * planes, self.payload
        if self.compressed:
            payload = unpacked(payload, size, of="a column")
        if len(payload) != size:
            raise BlockError(f"a column of {count} deltas wants {size} bytes and has {len(payload)}")
        parts = np.frombuffer(payload, dtype=np.uint8).reshape(planes, count)
        base = np.uint64(self.base & _MASK)
        if planes == 0:
            out[:] = base
        elif planes == 1:
            np.add(parts[0], base, out=out)
        else:
            # Measured: quicker than putting the bytes together elsewhere and widening them.
            out[:] = parts[0]
            spread = out.view(np.uint8).reshape(count, WORD)
            for plane in range(1, planes):
                spread[:, plane if _LITTLE else WORD - 1 - plane] = parts[plane]
            np.add(out, base, out=out)


def _parsed(chunk: bytes | memoryview, ticks: int) -> _Moving | int:
    """What a chunk's head says; or the one value of a column that stands still."""
    if ticks >= 1 and len(chunk) and chunk[0] >= STILL:
        if len(chunk) != 1 + chunk[0] - STILL or len(chunk) > 1 + WORD:
            raise BlockError(f"a column that stands still has {len(chunk)} bytes, not {1 + chunk[0] - STILL}")
        return int.from_bytes(chunk[1:], "little", signed=True)
    if len(chunk) < HEAD or ticks < 1:
        raise BlockError(f"a column of {len(chunk)} bytes for {ticks} ticks is cut off")
    kind, planes, lengths, span_length = chunk[0], chunk[1], chunk[2], chunk[3]
    first_end = HEAD + (lengths & 15)
    least_end = first_end + (lengths >> 4)
    span_end = least_end + span_length
    if max(planes, lengths & 15, lengths >> 4, span_length) > WORD or span_end > len(chunk):
        raise BlockError("a column's head does not fit its bytes; it is damaged or no column at all")
    first = int.from_bytes(chunk[HEAD:first_end], "little", signed=True)
    if kind == Encoding.CONSTANT:
        return first
    if kind not in _PAYLOADS:
        raise BlockError(f"column encoding {kind} is unknown here; it may come from a newer Reditus")
    least = int.from_bytes(chunk[first_end:least_end], "little", signed=True)
    span = int.from_bytes(chunk[least_end:span_end], "little", signed=True)
    doubled, compressed = _PAYLOADS[kind]
    if ticks < 2 + doubled:
        raise BlockError("a column holds more values than its block has ticks")
    return _Moving(
        first=first,
        last=None if doubled else _signed((first + span) & _MASK),
        least=None if doubled else least,
        ticks=ticks,
        planes=planes,
        payload=chunk[span_end:],
        compressed=compressed,
        base=least,
        doubled_from=span if doubled else None,
    )


_PLAIN = (Encoding.PLANES, Encoding.PLANES_ZSTD)
_PAYLOADS: dict[int, tuple[bool, bool]] = {
    Encoding.PLANES: (False, False),
    Encoding.PLANES_ZSTD: (False, True),
    Encoding.DOUBLED: (True, False),
    Encoding.DOUBLED_ZSTD: (True, True),
}


def _planes_chunk(first: int, span: int, deltas: Words, kinds: tuple[Encoding, Encoding]) -> bytes:
    least = int(deltas.view(np.int64).min())
    rest = deltas - np.uint64(least & _MASK)
    planes = (int(rest.max()).bit_length() + 7) // 8
    spread = np.ascontiguousarray(rest, dtype="<u8").view(np.uint8).reshape(-1, WORD)
    return _packed_chunk(first, span, least, planes, spread[:, :planes].T.tobytes(), kinds)


def _packed_chunk(
    first: int, span: int, least: int, planes: int, payload: bytes, kinds: tuple[Encoding, Encoding]
) -> bytes:
    """`payload` holds the byte planes of each delta less the smallest, `planes` of them."""
    kind, compressed_kind = kinds
    if len(payload) >= MIN_COMPRESSED:
        packed = zstandard.ZstdCompressor(level=ZSTD_LEVEL, write_checksum=False).compress(payload)
        if len(packed) < len(payload):
            kind, payload = compressed_kind, packed
    return _chunk(kind, planes, first, least, span, payload)


def _chunk(kind: Encoding, planes: int, first: int, least: int, span: int, payload: bytes) -> bytes:
    a, b, c = _length(first), _length(least), _length(span)
    return (
        bytes((kind, planes, a | b << 4, c))
        + first.to_bytes(a, "little", signed=True)
        + least.to_bytes(b, "little", signed=True)
        + span.to_bytes(c, "little", signed=True)
        + payload
    )


def _signed(word: int) -> int:
    return word - (1 << 64) if word >> 63 else word


def _length(value: int) -> int:
    """Bytes that a signed integer needs; none for 0."""
    return 0 if value == 0 else (value if value > 0 else ~value).bit_length() // 8 + 1
