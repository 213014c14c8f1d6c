"""What a recorder sends: blocks, who processes are, and markers, one record after another."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

from reditus.core.blocks import MAGIC as BLOCK
from reditus.core.blocks import Block, read_block
from reditus.core.errors import BlockError
from reditus.core.identities import MAGIC as IDENTITIES
from reditus.core.identities import Identities
from reditus.core.markers import MAGIC as MARKERS
from reditus.core.markers import Markers
from reditus.core.records import Envelope, read_envelope

Record = Block | Identities | Markers
_REPORTED: dict[bytes, tuple[Callable[[Envelope], Identities | Markers], str]] = {
    IDENTITIES: (Identities.of, "pid, start, name, user, group and parent"),
    MARKERS: (Markers.of, "ident, at_ns, kind and text"),
}


@dataclass(frozen=True, slots=True)
class Batch:
    """What one request carries: blocks, identities of processes, and markers."""

    blocks: list[Block]
    identities: list[Identities]
    markers: list[Markers]


def read_records(batch: bytes) -> Iterator[Record]:
    """Everything in a batch, in its order. Raise BlockError, saying what is wrong and at which byte."""
    if not batch:
        raise BlockError("the body is empty; a batch holds at least one block")
    start, whole = 0, memoryview(batch)
    while start < len(batch):
        magic = bytes(whole[start : start + len(BLOCK)])
        if magic not in _REPORTED:
            block, start = read_block(whole, start)
            yield block
            continue
        envelope, end = read_envelope(whole, start)
        read, parts = _REPORTED[magic]
        try:
            yield read(envelope)
        except (ValueError, TypeError, KeyError) as why:
            raise BlockError(f"the list at byte {start} is not one of {parts}: {why!r}") from why
        start = end


def read_batch(batch: bytes) -> Batch:
    """Decode a batch. Raise BlockError for bytes that are none."""
    return group_records(list(read_records(batch)))


def group_records(records: Sequence[Record]) -> Batch:
    """Sort records by kind, each kind in the order of the batch."""
    return Batch(
        [record for record in records if isinstance(record, Block)],
        [record for record in records if isinstance(record, Identities)],
        [record for record in records if isinstance(record, Markers)],
    )
