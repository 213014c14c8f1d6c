"""Bounded LRU cache of decoded block columns: looking at the same hours again fetches and decodes nothing.

Blocks never change. In the place of one another may be put, when small ones are merged or ticks come late; that one was
written by another transaction, which the database tells along with it.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from threading import Lock
from typing import NamedTuple
from uuid import UUID

from cachetools import LRUCache

from reditus.core.delta_array import Steps
from reditus.core.types import IntArray

CACHE_BYTES = 128 << 20
"""A day of eighty series, of a tick a second."""
COLUMN_BYTES = 400
"""What a column takes beside its numbers (measured), which of a small block is most of it."""


class BlockVersion(NamedTuple):
    """One block as one transaction wrote it."""

    archive: UUID
    schema: int
    first_ns: int
    by: bytes
    """The transaction, as PostgreSQL numbers it (its hidden column xmin)."""


@dataclass(frozen=True, slots=True)
class CachedBlock:
    """Some columns of one block, by their place among its chunks. What is read once is decoded straight to where it is
    wanted; who finds it here and wants it again has it decoded for all.
    """

    wall_ns: IntArray
    monotonic_ns: IntArray
    columns: Mapping[int, Steps]

    def with_others(self, columns: Mapping[int, Steps]) -> "CachedBlock":
        """With more columns of the same block."""
        return CachedBlock(self.wall_ns, self.monotonic_ns, {**self.columns, **columns})

    def decode(self, places: Iterable[int]) -> None:
        """Let these columns stay decoded, read-only for all readers."""
        for place in places:
            self.columns[place].steps.flags.writeable = False

    @property
    def size_bytes(self) -> int:
        """When all of it is decoded."""
        return (self.wall_ns.nbytes + COLUMN_BYTES) * (2 + len(self.columns))


class BlockCache:
    """Up to so many bytes of decoded columns, least recently read evicted first. Safe from several threads."""

    def __init__(self, most_bytes: int = CACHE_BYTES) -> None:
        self.most_bytes = most_bytes
        self._lock = Lock()
        self._blocks = LRUCache[BlockVersion, CachedBlock](most_bytes, getsizeof=lambda block: block.size_bytes)

    def get(self, block: BlockVersion) -> CachedBlock | None:
        """The block's cached columns, if any."""
        with self._lock:
            return self._blocks.get(block)

    def put(self, block: BlockVersion, decoded: CachedBlock) -> None:
        """Add columns to what is cached of the block. A block that is larger than the whole cache is not cached."""
        for clock_ns in (decoded.wall_ns, decoded.monotonic_ns):
            clock_ns.flags.writeable = False
        with self._lock:
            before = self._blocks.pop(block, None)
            if before is not None:
                decoded = before.with_others(decoded.columns)
            if decoded.size_bytes <= self.most_bytes:
                self._blocks[block] = decoded

    @property
    def size_bytes(self) -> int:
        """Memory taken, in bytes."""
        with self._lock:
            return int(self._blocks.currsize)
