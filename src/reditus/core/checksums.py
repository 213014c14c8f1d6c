"""Checksums of the columns of a block: the low 32 bits of XXH3-64 (the xxHash specification), at the end of each chunk.

A column can be verified without the rest of its block. What the block's head says (boot, ticks, times, interval) and
the column's position are folded into each checksum, so that a damaged head or offset is noticed with whichever column
is read.
"""

import struct
from collections.abc import Sequence
from uuid import UUID

import numpy as np
from xxhash import xxh3_64_intdigest

from reditus.core.errors import DamagedBlock

CHECKSUM_BYTES = 4
_MASK = 0xFFFF_FFFF
_STEP = 0x9E37_79B1
"""An odd number whose multiples differ in many bits: neighbouring positions get unlike checksums."""
_HEAD = struct.Struct("<16sIqqq")
_SUM = struct.Struct("<I")


def head_seed(boot: UUID, ticks: int, first_ns: int, last_ns: int, interval_ns: int) -> int:
    """What a block's head contributes to the checksum of each of its columns."""
    return xxh3_64_intdigest(_HEAD.pack(boot.bytes, ticks, first_ns, last_ns, interval_ns)) & _MASK


def with_checksums(chunks: Sequence[bytes], seed: int) -> list[bytes]:
    """Each chunk of a block, in order of position, with its checksum at its end."""
    digests = np.fromiter(map(xxh3_64_intdigest, chunks), dtype=np.uint64, count=len(chunks))
    positions = np.arange(len(chunks), dtype=np.uint64) * np.uint64(_STEP)
    sums = (digests ^ positions ^ np.uint64(seed)).astype("<u4").tobytes()
    return [chunk + sums[CHECKSUM_BYTES * at : CHECKSUM_BYTES * (at + 1)] for at, chunk in enumerate(chunks)]


def verified(chunk: bytes | memoryview, seed: int, position: int) -> bytes | memoryview:
    """The chunk without its checksum. Raise DamagedBlock where that does not match."""
    end = len(chunk) - CHECKSUM_BYTES
    if end <= 0:
        raise DamagedBlock(f"column {position} is too short for its checksum: its bytes were damaged at rest")
    body = chunk[:end]
    # One expression, for it is worked out for every column that is read: what is left of equal sums is 0.
    if (xxh3_64_intdigest(body) ^ position * _STEP ^ seed ^ _SUM.unpack_from(chunk, end)[0]) & _MASK:
        raise DamagedBlock(f"the checksum of column {position} does not match its bytes: they were damaged at rest")
    return body
