"""What is to be appended, and what can be reported of it without asking the database."""

from collections.abc import Iterator, Sequence
from concurrent.futures import Future
from dataclasses import dataclass, field
from uuid import UUID

from reditus.core.batches import Batch
from reditus.core.identities import Identities
from reditus.store.ingest.fast_append import FastBatch, Row
from reditus.store.records import Stored


@dataclass(frozen=True)
class Append:
    """A batch for an archive, and what becomes of it."""

    archive: UUID
    batch: Batch
    outcome: "Future[Stored]" = field(default_factory=Future)


@dataclass(frozen=True, slots=True)
class Part:
    """Batches that go into one transaction."""

    appends: Sequence[Append]
    usual: FastBatch | None
    """All that they have, where nothing about it looks unusual."""


class Known:
    """What is fetched once, and hardly ever changes: whose the archives are, and the schemas of their hosts."""

    def __init__(self) -> None:
        self.hosts: dict[UUID, UUID] = {}
        self.schemas: dict[tuple[UUID, bytes], tuple[int, int]] = {}
        """The id and how many columns."""

    def parts(self, together: Sequence[Append]) -> Iterator[Part]:
        """The batches about which nothing looks unusual, then the others: one late batch among a hundred
        holds up none.
        """
        rows: list[Row] = []
        identities: list[tuple[UUID, Identities]] = []
        usual: list[Append] = []
        others: list[Append] = []
        held_up: set[UUID] = set()
        kinds: set[tuple[UUID, int]] = set()
        for item in together:
            own = None if item.archive in held_up else self._rows(item)
            own_kinds = {(item.archive, schema) for _, schema, _ in own or ()}
            # Two of a kind may overlap each other.
            if own is None or len(own_kinds) < len(own) or not kinds.isdisjoint(own_kinds):
                held_up.add(item.archive)
                others.append(item)
                continue
            usual.append(item)
            rows += own
            kinds |= own_kinds
            identities += [(self.hosts[item.archive], each) for each in item.batch.identities if each.processes]
        if rows:
            yield Part(usual, FastBatch(rows, identities))
        if others:
            yield Part(others, None)

    def _rows(self, item: Append) -> list[Row] | None:
        """The blocks with their host and schemas; None where there are none, or something is unusual."""
        host = self.hosts.get(item.archive)
        if host is None or item.batch.markers or not item.batch.blocks:
            return None
        rows: list[Row] = []
        for block in item.batch.blocks:
            schema, columns = self.schemas.get((host, block.schema), (0, 0))
            if block.archive != item.archive or columns != block.columns:
                return None
            rows.append((host, schema, block))
        return rows if all(each.archive == item.archive for each in item.batch.identities) else None


def stored_of(batch: Batch, ticks: int | None = None) -> Stored:
    """What is answered where so many of a batch's ticks were stored, or all."""
    offered = sum(block.ticks for block in batch.blocks)
    last_ns = max((block.last_ns for block in batch.blocks), default=None)
    stored = offered if ticks is None else ticks
    return Stored(stored, offered - stored, last_ns)
