"""A whole recording in memory, from wherever it came, ready to be judged or kept."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from uuid import UUID

import numpy as np

from reditus.core.blocks import Block, Stretch, encode_block
from reditus.core.facts import HostFacts
from reditus.core.frame import BlockSlice, Frame
from reditus.core.frame_builder import assemble
from reditus.core.identities import Identities, Identity
from reditus.core.markers import Marker
from reditus.core.schema import Schema, split_columns
from reditus.core.types import Json
from reditus.core.window import Window

BLOCK_TICKS = 3_600


def blocks_of(piece: BlockSlice, *, archive: UUID) -> Iterator[Block]:
    """A piece of a recording, encoded."""
    for schema in split_columns(piece.group, tuple(piece.columns)):
        values = np.stack([piece.columns[column] for column in schema.columns], axis=1)
        for start in range(0, len(values), BLOCK_TICKS):
            part = slice(start, start + BLOCK_TICKS)
            yield encode_block(
                Stretch(piece.wall_ns[part], piece.monotonic_ns[part], values[part]),
                archive=archive,
                boot=UUID(bytes=piece.boot),
                schema=schema.digest,
                interval_ns=piece.interval_ns,
            )


@dataclass(frozen=True)
class Recording:
    """Counters of one host over a stretch of time. Each piece is of one group, boot and set of columns."""

    host: UUID
    host_name: str
    archive: UUID
    name: str
    source: str
    facts: HostFacts
    pieces: Sequence[BlockSlice]
    identities: tuple[Identity, ...] = ()

    @property
    def registration(self) -> Json:
        """What the server has to be reported first."""
        return {
            "host": {"id": str(self.host), "name": self.host_name},
            "name": self.name,
            "source": self.source,
            "facts": self.facts.as_json(),
        }

    def schemas(self) -> list[Schema]:
        """The schemas of all pieces."""
        every = {schema.digest: schema for piece in self.pieces for schema in split_columns(piece.group, piece.columns)}
        return list(every.values())

    def blocks(self) -> Iterator[Block]:
        """The blocks of all pieces."""
        for piece in self.pieces:
            yield from blocks_of(piece, archive=self.archive)

    def batches(self) -> Iterator[tuple[list[Block], Identities | None]]:
        """Blocks, and who the processes in them are."""
        if self.identities:
            boot = UUID(bytes=self.pieces[0].boot)
            yield [], Identities(self.archive, boot, self.identities)
        for block in self.blocks():
            yield [block], None

    def markers(self) -> list[Marker]:
        """None: a recording has no markers of its own."""
        return []

    def frame(self) -> Frame:
        """The counters as the store would hand them out."""
        return Frame(assemble(self.pieces), self.facts)

    def window(self) -> Window:
        """From the first tick to the last. Raise WindowError if there are fewer than two."""
        return Window(
            min(int(piece.wall_ns[0]) for piece in self.pieces), max(int(piece.wall_ns[-1]) for piece in self.pieces)
        )

    @property
    def ticks(self) -> int:
        """Ticks of the group that has the most."""
        counts: dict[str, int] = {}
        for piece in self.pieces:
            counts[piece.group] = counts.get(piece.group, 0) + len(piece.wall_ns)
        return max(counts.values(), default=0)
