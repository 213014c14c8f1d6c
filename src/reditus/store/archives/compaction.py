"""Merge small blocks into big ones. A small block and a big one are the same format, so readers never notice."""

from collections.abc import Iterator, Set
from itertools import groupby
from typing import Any
from uuid import UUID

import numpy as np
from sqlalchemy import Row, delete, select
from sqlalchemy.orm import Session

from reditus.core.blocks import Block, Stretch, encode_block
from reditus.core.errors import BlockError
from reditus.store.database import statements
from reditus.store.database.binary_copy import copy_rows
from reditus.store.database.damage import damaged_keys, note_damage
from reditus.store.database.offset_table import directory_in
from reditus.store.database.tables import BlockRow
from reditus.store.records import Damage

TARGETS = (600, 3_600)
"""Ticks of a merged block: first the tail, so that reading the last hour is quick, then the hour (measured sizes)."""


def seal_archive(session: Session, host_id: UUID, archive: UUID) -> int:
    """Merge what has grown enough; the caller's transaction makes it all or nothing. Return how many blocks vanished.

    Damaged blocks stay as they are, are written down, and part those around them.
    """
    damaged = damaged_keys(session, host_id, archive)
    vanished = 0
    for target in TARGETS:
        more = True
        while more:
            gone, found = _merge_runs(session, host_id, archive, target, damaged)
            note_damage(session, found)
            damaged |= {(match.schema, match.first_ns) for match in found}
            vanished += gone
            more = bool(found)  # once more, around what was found damaged
    return vanished


def _merge_runs(
    session: Session, host_id: UUID, archive: UUID, target: int, damaged: Set[tuple[int, int]]
) -> tuple[int, list[Damage]]:
    """How many blocks vanished, and those found damaged, whose runs stay as they are."""
    vanished = 0
    damage: list[Damage] = []
    for run in list(_runs(session, host_id, archive, target, damaged)):
        for part in _neighbours(session, host_id, archive, run):
            if sum(row.ticks for row in part) >= target and len(part) > 1:
                found = _merge(session, host_id, archive, part)
                damage += found
                vanished += 0 if found else len(part) - 1
    return vanished, damage


def _runs(
    session: Session, host_id: UUID, archive: UUID, target: int, damaged: Set[tuple[int, int]]
) -> Iterator[list[Row[*tuple[Any, ...]]]]:
    """Neighbouring blocks of one schema, boot and interval that together have `target` ticks."""
    every = session.execute(statements.small_blocks(host_id, archive, target)).all()
    rows = [row for row in every if (row.schema_id, row.first_ns) not in damaged]
    for _, alike in groupby(rows, key=lambda row: (row.schema_id, row.boot, row.interval_ns)):
        run: list[Row[*tuple[Any, ...]]] = []
        for row in alike:
            run.append(row)
            if sum(item.ticks for item in run) >= target:
                if len(run) > 1:
                    yield run
                run = []


def _neighbours(
    session: Session, host_id: UUID, archive: UUID, run: list[Row[*tuple[Any, ...]]]
) -> list[list[Row[*tuple[Any, ...]]]]:
    """The run, cut where a block that is not of it lies in between: what trimming and copying cut off stays small, and
    must not be joined with what comes after a bigger block.
    """
    firsts_ns = [row.first_ns for row in run]
    others_ns = session.scalars(
        select(BlockRow.first_ns).where(
            BlockRow.host_id == host_id,
            BlockRow.archive_id == archive,
            BlockRow.schema_id == run[0].schema_id,
            BlockRow.first_ns > firsts_ns[0],
            BlockRow.first_ns < firsts_ns[-1],
            BlockRow.first_ns.not_in(firsts_ns),
        )
    ).all()
    parts: dict[int, list[Row[*tuple[Any, ...]]]] = {}
    for row in run:
        parts.setdefault(sum(other_ns < row.first_ns for other_ns in others_ns), []).append(row)
    return list(parts.values())


def _merge(session: Session, host_id: UUID, archive: UUID, run: list[Row[*tuple[Any, ...]]]) -> list[Damage]:
    """Put one block in the place of several; or do nothing, and return those that are damaged."""
    schema_id, firsts_ns = run[0].schema_id, [row.first_ns for row in run]
    rows = list(session.scalars(statements.blocks_at(host_id, archive, schema_id, firsts_ns)))
    stretches: list[Stretch] = []
    damage: list[Damage] = []
    for row in rows:
        try:
            stretches.append(block_of(row).stretch())
        except BlockError as why:
            damage.append(Damage(host_id, archive, schema_id, row.first_ns, row.last_ns, None, str(why)))
    if damage:
        session.expunge_all()
        return damage
    monotonic_ns = np.concatenate([stretch.monotonic_ns for stretch in stretches])
    # Late ticks may lie between those of another block.
    order = np.argsort(monotonic_ns, kind="stable")
    merged = encode_block(
        Stretch(
            np.concatenate([stretch.wall_ns for stretch in stretches])[order],
            monotonic_ns[order],
            np.concatenate([stretch.values for stretch in stretches])[order],
        ),
        archive=archive,
        boot=rows[0].boot,
        schema=b"",  # not stored in a block's row; the row has the schema's id
        interval_ns=rows[0].interval_ns,
    )
    session.execute(
        delete(BlockRow).where(
            BlockRow.host_id == host_id,
            BlockRow.archive_id == archive,
            BlockRow.schema_id == schema_id,
            BlockRow.first_ns.in_(firsts_ns),
        ),
        execution_options={"synchronize_session": False},
    )
    session.expunge_all()
    copy_rows(session, [(host_id, schema_id, merged)])
    return []


def block_of(row: BlockRow) -> Block:
    """A block as it was sent, but for its schema's digest: the row has the schema's id."""
    return Block(
        archive=row.archive_id,
        boot=row.boot,
        schema=b"",
        ticks=row.ticks,
        first_ns=row.first_ns,
        last_ns=row.last_ns,
        interval_ns=row.interval_ns,
        directory=directory_in(row.directory),
        data=row.data,
        version=row.version,
    )
