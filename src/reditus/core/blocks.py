"""Blocks: a stretch of ticks of one group, column by column, the same on the wire, in the spool and in the store.

Schema of the bytes (all little-endian), format version 3; 1 and 2 are read as well:

    0    4   magic b"RDTB"
    4    2   format version
    6    2   reserved, 0
    8    16  archive (UUID)
    24   16  boot id (UUID), so that no rate is taken across a restart
    40   32  digest of the schema
    72   4   columns, the two clocks not counted
    76   4   ticks
    80   8   wall clock of the first tick, ns since the epoch, UTC
    88   8   wall clock of the last tick
    96   8   interval between ticks as planned, ns
    104  4   length of the data
    108  4 × (columns + 3)  offsets into the data, ascending, the last one equal to its length
    ..       data: chunks (column_codec) of wall clock, monotonic clock, then the schema's columns; since version 3 each
             with its checksum at its end (checksums)
    ..   4   CRC-32 of everything before it

A batch is simply blocks one after another. One column is read without the rest through the offsets.
"""

import struct
import zlib
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from itertools import accumulate, pairwise
from uuid import UUID

import numpy as np

from reditus.core.checksums import head_seed, verified, with_checksums
from reditus.core.column_codec import (
    CHECKSUMS_SINCE,
    FORMAT_VERSION,
    check_chunks,
    decode_column,
    decode_wall,
    encode_clocks,
    encode_columns,
)
from reditus.core.errors import BlockError, BlockVersionError
from reditus.core.schema import MAX_COLUMNS
from reditus.core.types import NS_PER_S, BoolArray, IntArray

MAGIC = b"RDTB"
CLOCKS = 2
MAX_TICKS = 14_400
MAX_DATA_BYTES = 64 << 20
MIN_INTERVAL_NS = NS_PER_S // 10
MAX_INTERVAL_NS = 3_600 * NS_PER_S
_HEAD = struct.Struct("<4sHH16s16s32sIIqqqI")
_CRC = struct.Struct("<I")
_OFFSET = np.dtype("<u4")
_OFFSET_BYTES = _OFFSET.itemsize
_PAIR = struct.Struct("<II")


@dataclass(frozen=True, slots=True)
class Stretch:
    """Ticks of one group before encoding: two clocks and a value per tick and column."""

    wall_ns: IntArray
    monotonic_ns: IntArray
    values: IntArray
    """Shape (ticks, columns)."""


@dataclass(frozen=True)
class Block:
    """A stretch of ticks, encoded."""

    archive: UUID
    boot: UUID
    schema: bytes
    ticks: int
    first_ns: int
    last_ns: int
    interval_ns: int
    directory: bytes
    """The offsets into the data as they are written, 4 bytes each: most of what handles a block only hands them on."""
    data: bytes
    version: int = FORMAT_VERSION
    """Of the format of its chunks."""

    @property
    def offsets(self) -> tuple[int, ...]:
        """Where each chunk begins in the data, and where the last one ends; in bytes."""
        return offsets_in(self.directory)

    @property
    def columns(self) -> int:
        """How many columns the block has beside its two clocks."""
        return len(self.directory) // _OFFSET_BYTES - 1 - CLOCKS

    def chunk(self, position: int) -> memoryview:
        """The bytes of one column, without their checksum; 0 is the wall clock, 1 the monotonic clock, 2 the schema's
        first column. Raise DamagedBlock where the checksum does not match.
        """
        begin, end = _PAIR.unpack_from(self.directory, _OFFSET_BYTES * position)
        chunk = memoryview(self.data)[begin:end]
        return memoryview(verified(chunk, self.seed, position)) if self.version >= CHECKSUMS_SINCE else chunk

    @cached_property
    def seed(self) -> int:
        """What the head contributes to the checksums of the columns."""
        return head_seed(self.boot, self.ticks, self.first_ns, self.last_ns, self.interval_ns)

    def current(self) -> "Block":
        """The block in today's format: itself, or with checksums where it comes from before there were any."""
        if self.version >= CHECKSUMS_SINCE:
            return self
        chunks = [self.data[begin:end] for begin, end in pairwise(self.offsets)]
        directory, data = _packed(with_checksums(chunks, self.seed))
        return replace(self, directory=directory, data=data, version=FORMAT_VERSION)

    def check(self) -> None:
        """Raise BlockError unless every column can be decoded, the clocks agree with the head, and the monotonic clock
        only moves forward.
        """
        chunks = [self.chunk(position) for position in range(CLOCKS + self.columns)]
        check_chunks(chunks[CLOCKS:], self.ticks)
        monotonic_ns = decode_column(chunks[1], self.ticks)
        wall_ns = decode_wall(chunks[0], monotonic_ns)
        if wall_ns[0] != self.first_ns or wall_ns[-1] != self.last_ns:
            raise BlockError("a block's head and its wall clock tell different times; it was put together wrongly")
        if (np.diff(monotonic_ns) <= 0).any():
            raise BlockError(
                "a block's monotonic clock stands still or steps back; ticks must be in their order, once each"
            )

    def column(self, position: int) -> IntArray:
        """Decode the chunk at a position: 0 and 1 are the clocks, then the schema's columns. Shape (ticks,). Raise
        DamagedBlock.
        """
        chunk = self.chunk(position)
        return decode_wall(chunk, self.column(1)) if position == 0 else decode_column(chunk, self.ticks)

    def stretch(self) -> Stretch:
        """Everything, decoded."""
        columns = [self.column(CLOCKS + position) for position in range(self.columns)]
        return Stretch(self.column(0), self.column(1), np.stack(columns, axis=1))

    def to_bytes(self) -> bytes:
        """The block as docs/blocks.md describes it."""
        head = _HEAD.pack(
            MAGIC,
            self.version,
            0,
            self.archive.bytes,
            self.boot.bytes,
            self.schema,
            self.columns,
            self.ticks,
            self.first_ns,
            self.last_ns,
            self.interval_ns,
            len(self.data),
        )
        body = b"".join((head, self.directory, self.data))
        return body + _CRC.pack(zlib.crc32(body))


def offsets_in(directory: bytes) -> tuple[int, ...]:
    """What a directory, or some neighbouring entries of it, says."""
    return tuple(np.frombuffer(directory, dtype=_OFFSET).tolist())


def encode_block(stretch: Stretch, *, archive: UUID, boot: UUID, schema: bytes, interval_ns: int) -> Block:
    """Encode at least one tick. Raise BlockError where the parts do not fit together."""
    _check_size(stretch)
    chunks = [
        *encode_clocks(stretch.wall_ns, stretch.monotonic_ns),
        *encode_columns(stretch.values),
    ]
    return _block(stretch, chunks, archive=archive, boot=boot, schema=schema, interval_ns=interval_ns)


def only(block: Block, stretch: Stretch, ticks: BoolArray) -> Block | None:
    """The block with some of its ticks; itself where that is all of them, None where it is none."""
    if ticks.all():
        return block
    if not ticks.any():
        return None
    return encode_block(
        Stretch(stretch.wall_ns[ticks], stretch.monotonic_ns[ticks], stretch.values[ticks]),
        archive=block.archive,
        boot=block.boot,
        schema=block.schema,
        interval_ns=block.interval_ns,
    )


@dataclass(frozen=True, slots=True)
class Described:
    """A stretch with its schema's digest and the interval that was planned."""

    stretch: Stretch
    schema: bytes
    interval_ns: int


def encode_batch(parts: Sequence[Described], *, archive: UUID, boot: UUID) -> list[Block]:
    """Encode several stretches of a few ticks as `encode_block` would, but for the clocks, each of which is encoded
    like any column. A recorder hands over many small groups at once: what NumPy costs a call, whatever it works on,
    is paid once for all that have the same number of ticks.
    """
    blocks: list[Block | None] = [None] * len(parts)
    by_ticks: dict[int, list[int]] = {}
    for at, part in enumerate(parts):
        _check_size(part.stretch)
        by_ticks.setdefault(len(part.stretch.wall_ns), []).append(at)
    for places in by_ticks.values():
        columns: list[IntArray] = []
        for at in places:
            stretch = parts[at].stretch
            columns += [stretch.wall_ns[:, None], stretch.monotonic_ns[:, None], stretch.values]
        chunks = encode_columns(np.concatenate(columns, axis=1))
        start = 0
        for at in places:
            part = parts[at]
            end = start + CLOCKS + part.stretch.values.shape[1]
            blocks[at] = _block(
                part.stretch, chunks[start:end], archive=archive, boot=boot, schema=part.schema,
                interval_ns=part.interval_ns,
            )  # fmt: skip
            start = end
    return [block for block in blocks if block is not None]


def _check_size(stretch: Stretch) -> None:
    ticks, columns = stretch.values.shape
    if not 1 <= ticks <= MAX_TICKS or not 1 <= columns <= MAX_COLUMNS:
        raise BlockError(f"a block has 1 to {MAX_TICKS} ticks and 1 to {MAX_COLUMNS} columns, not {ticks} × {columns}")


def _block(
    stretch: Stretch, chunks: list[bytes], *, archive: UUID, boot: UUID, schema: bytes, interval_ns: int
) -> Block:
    ticks, first_ns, last_ns = len(stretch.wall_ns), int(stretch.wall_ns[0]), int(stretch.wall_ns[-1])
    directory, data = _packed(with_checksums(chunks, head_seed(boot, ticks, first_ns, last_ns, interval_ns)))
    return Block(
        archive=archive,
        boot=boot,
        schema=schema,
        ticks=ticks,
        first_ns=first_ns,
        last_ns=last_ns,
        interval_ns=interval_ns,
        directory=directory,
        data=data,
    )


def _packed(chunks: Sequence[bytes]) -> tuple[bytes, bytes]:
    """Directory and data."""
    return np.fromiter(accumulate(map(len, chunks), initial=0), dtype=_OFFSET).tobytes(), b"".join(chunks)


def read_blocks(batch: bytes) -> Iterator[Block]:
    """Yield the blocks of a batch. Raise BlockError, saying what is wrong and at which byte, for anything else."""
    if not batch:
        raise BlockError("the body is empty; a batch holds at least one block")
    start = 0
    while start < len(batch):
        block, start = read_block(memoryview(batch), start)
        yield block


def read_block(batch: memoryview, start: int) -> tuple[Block, int]:
    """The block that begins at a byte of a batch, and the byte after it. Raise BlockError where there is none."""
    if len(batch) - start < _HEAD.size:
        raise BlockError(
            f"the block at byte {start} is cut off: a head has {_HEAD.size} bytes, {len(batch) - start} left"
        )
    magic, version, _, archive, boot, schema, columns, ticks, first_ns, last_ns, interval_ns, length = (
        _HEAD.unpack_from(batch, start)
    )
    if magic != MAGIC:
        raise BlockError(f"no block begins at byte {start}: it would begin with {MAGIC!r}, not {bytes(magic)!r}")
    if version > FORMAT_VERSION:
        raise BlockVersionError(
            f"the block at byte {start} has format version {version}; this Reditus reads up to {FORMAT_VERSION}. "
            "Update the server before the recorder."
        )
    _check_head(start, columns=columns, ticks=ticks, length=length, interval_ns=interval_ns)
    data_start = start + _HEAD.size + _OFFSET_BYTES * (columns + CLOCKS + 1)
    end = data_start + length + _CRC.size
    if len(batch) < end:
        raise BlockError(
            f"the block at byte {start} is cut off: it wants {end - start} bytes, {len(batch) - start} left"
        )
    if _CRC.unpack_from(batch, end - _CRC.size)[0] != zlib.crc32(batch[start : end - _CRC.size]):
        raise BlockError(f"the block at byte {start} is damaged: its checksum does not match; send it again")
    directory = bytes(batch[start + _HEAD.size : data_start])
    offsets = np.frombuffer(directory, dtype=_OFFSET).astype(np.int64)
    if offsets[0] != 0 or offsets[-1] != length or (np.diff(offsets) < 0).any():
        raise BlockError(f"the block at byte {start} has offsets that do not ascend from 0 to its length")
    block = Block(
        archive=UUID(bytes=archive),
        boot=UUID(bytes=boot),
        schema=bytes(schema),
        ticks=ticks,
        first_ns=first_ns,
        last_ns=last_ns,
        interval_ns=interval_ns,
        directory=directory,
        data=bytes(batch[data_start : data_start + length]),
        version=version,
    )
    return block, end


def _check_head(start: int, *, columns: int, ticks: int, length: int, interval_ns: int) -> None:
    rules = [
        (1 <= columns <= MAX_COLUMNS, f"1 to {MAX_COLUMNS} columns, not {columns}"),
        (1 <= ticks <= MAX_TICKS, f"1 to {MAX_TICKS} ticks, not {ticks}"),
        (length <= MAX_DATA_BYTES, f"at most {MAX_DATA_BYTES} bytes of data, not {length}"),
        (
            MIN_INTERVAL_NS <= interval_ns <= MAX_INTERVAL_NS,
            f"an interval of 0.1 s to 3600 s, not {interval_ns / NS_PER_S:g} s",
        ),
    ]
    for holds, rule in rules:
        if not holds:
            raise BlockError(f"the block at byte {start} breaks a limit: a block has {rule}")
