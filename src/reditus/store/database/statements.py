"""The queries, as values. One place runs them: `store.py` and `sealing.py`."""

import json
from collections.abc import Sequence
from typing import Any
from uuid import UUID

from sqlalchemy import ColumnElement, Select, func, select, true
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.dialects.postgresql.dml import Insert
from sqlalchemy.orm import Session
from sqlalchemy.sql.dml import ReturningInsert

from reditus.core.identities import Identities
from reditus.core.schema import Column, Schema
from reditus.store.database.tables import ArchiveRow, BlockRow, ColumnRow, FactsRow, HostRow, SchemaRow, ScrubRow


def upsert_host(host_id: UUID, name: str) -> Insert:
    """Insert a host, or update its name."""
    statement = insert(HostRow).values(id=host_id, name=name)
    return statement.on_conflict_do_update(index_elements=["id"], set_={"name": name})


def upsert_archive(values: dict[str, Any]) -> Insert:
    """Insert an archive, or update its facts; a name that a user gave stays."""
    statement = insert(ArchiveRow).values(**values)
    # The name is the one that people may have given it since.
    changed = {"source": values["source"], "facts": values["facts"]}
    return statement.on_conflict_do_update(index_elements=["host_id", "id"], set_=changed)


def facts_history(host_id: UUID, archives: Sequence[UUID]) -> Select[int, dict[str, Any]]:
    """A host's facts with the time since when they hold, oldest first."""
    return (
        select(FactsRow.since_ns, FactsRow.facts)
        .where(FactsRow.host_id == host_id, FactsRow.archive_id.in_(archives))
        .order_by(FactsRow.since_ns)
    )


def newest_facts(host_id: UUID, archive_id: UUID) -> Select[dict[str, Any]]:
    """The facts that an archive registered last."""
    return (
        select(FactsRow.facts)
        .where(FactsRow.host_id == host_id, FactsRow.archive_id == archive_id)
        .order_by(FactsRow.since_ns.desc())
        .limit(1)
    )


def insert_schema(host_id: UUID, schema: Schema) -> ReturningInsert[int]:
    """Insert a schema where it is new, and return its id."""
    values = {
        "host_id": host_id,
        "digest": schema.digest,
        "group_name": schema.group,
        "part": schema.part,
        "width": len(schema.columns),
    }
    return insert(SchemaRow).values(**values).on_conflict_do_nothing().returning(SchemaRow.id)


INSERT_COLUMNS = """
insert into columns
    (host_id, schema_id, position, counter, attributes, unit, kind, scale_up, scale_down, bits, double)
select %(host)s, %(schema)s, w.position, w.counter, w.attributes::jsonb, w.unit, w.kind, w.up, w.down, w.bits, w.double
from unnest(
    %(positions)s::smallint[], %(counters)s::text[], %(attributes)s::text[], %(units)s::text[], %(kinds)s::text[],
    %(ups)s::bigint[], %(downs)s::bigint[], %(bits)s::smallint[], %(doubles)s::boolean[]
) as w(position, counter, attributes, unit, kind, up, down, bits, double)
"""


def columns_of(host_id: UUID, schema_id: int, columns: Sequence[Column]) -> dict[str, Any]:
    """The values of INSERT_COLUMNS: all columns of a schema at once."""
    return {
        "host": host_id,
        "schema": schema_id,
        "positions": list(range(len(columns))),
        "counters": [column.counter for column in columns],
        "attributes": [json.dumps(dict(column.attributes)) for column in columns],
        "units": [column.unit for column in columns],
        "kinds": [column.kind.value for column in columns],
        "ups": [column.scale[0] for column in columns],
        "downs": [column.scale[1] for column in columns],
        "bits": [column.bits for column in columns],
        "doubles": [column.double for column in columns],
    }


def schema_columns(host_id: UUID, schemas: Sequence[int]) -> Select[ColumnRow, str]:
    """The columns of some schemas, with their group."""
    return (
        select(ColumnRow, SchemaRow.group_name)
        .join(SchemaRow, (SchemaRow.host_id == ColumnRow.host_id) & (SchemaRow.id == ColumnRow.schema_id))
        .where(ColumnRow.host_id == host_id, ColumnRow.schema_id.in_(schemas))
        .order_by(ColumnRow.schema_id, ColumnRow.position)
    )


def overlapping_blocks(
    host_id: UUID, archive_id: UUID, schema_id: int, first_ns: int, last_ns: int
) -> Select[BlockRow]:
    """Blocks of a schema that reach into a stretch."""
    return select(BlockRow).where(
        BlockRow.host_id == host_id,
        BlockRow.archive_id == archive_id,
        BlockRow.schema_id == schema_id,
        BlockRow.first_ns <= last_ns,
        BlockRow.last_ns >= first_ns,
    )


def archives_with_contents(archive_id: UUID | None = None) -> Select[*tuple[Any, ...]]:
    """Archives with their host, extent and size; newest data first."""
    # The index blocks_last has all of this, in this order: no block is looked at.
    by_schema = select(
        BlockRow.host_id,
        BlockRow.archive_id,
        BlockRow.schema_id,
        func.min(BlockRow.first_ns).label("first_ns"),
        func.max(BlockRow.last_ns).label("last_ns"),
        func.min(BlockRow.interval_ns).label("interval_ns"),
        func.sum(BlockRow.ticks).label("ticks"),
        func.sum(BlockRow.size_bytes).label("size_bytes"),
    ).group_by(BlockRow.host_id, BlockRow.archive_id, BlockRow.schema_id)
    if archive_id is not None:
        own = select(ArchiveRow.host_id, ArchiveRow.id).where(_stands_for(archive_id)).subquery()
        by_schema = by_schema.join(own, (own.c.host_id == BlockRow.host_id) & (own.c.id == BlockRow.archive_id))
    held = by_schema.subquery()
    each = (
        select(
            held.c.host_id,
            held.c.archive_id,
            func.min(held.c.first_ns).label("first_ns"),
            func.max(held.c.last_ns).label("last_ns"),
            func.min(held.c.interval_ns).label("interval_ns"),
            func.sum(held.c.ticks).label("ticks"),
            func.max(SchemaRow.width).label("width"),
            func.sum(held.c.size_bytes).label("size_bytes"),
        )
        .join(SchemaRow, (SchemaRow.host_id == held.c.host_id) & (SchemaRow.id == held.c.schema_id))
        .group_by(held.c.host_id, held.c.archive_id, SchemaRow.group_name, SchemaRow.part)
        .subquery()
    )
    contents = (
        select(
            each.c.host_id,
            each.c.archive_id,
            func.min(each.c.first_ns).label("first_ns"),
            func.max(each.c.last_ns).label("last_ns"),
            func.min(each.c.interval_ns).label("interval_ns"),
            func.max(each.c.ticks).label("ticks"),
            func.sum(each.c.width).label("columns"),
            func.sum(each.c.size_bytes).label("size_bytes"),
        )
        .group_by(each.c.host_id, each.c.archive_id)
        .subquery()
    )
    statement = (
        select(ArchiveRow, HostRow.name, contents)
        .join(HostRow, HostRow.id == ArchiveRow.host_id)
        .outerjoin(contents, (contents.c.host_id == ArchiveRow.host_id) & (contents.c.archive_id == ArchiveRow.id))
        .order_by(contents.c.last_ns.desc().nulls_last(), HostRow.name, ArchiveRow.name, ArchiveRow.id)
    )
    if archive_id is None:
        return statement
    return statement.where(_stands_for(archive_id))


def archive_ids(archive_id: UUID | None) -> Select[UUID]:
    """All archives, or those that an id stands for."""
    statement = select(ArchiveRow.id).order_by(ArchiveRow.id)
    return statement if archive_id is None else statement.where(_stands_for(archive_id))


def archives_alone(archive_id: UUID) -> Select[ArchiveRow, str]:
    """An archive with its host's name, without what it holds."""
    joined = select(ArchiveRow, HostRow.name).join(HostRow, HostRow.id == ArchiveRow.host_id)
    return joined.where(ArchiveRow.id == archive_id)


def archive_keys(session: Session) -> list[tuple[UUID, UUID]]:
    """Host and archive ids of all archives."""
    return [(host_id, archive_id) for host_id, archive_id in session.execute(select(ArchiveRow.host_id, ArchiveRow.id))]


def scrub_turns(before_ns: int) -> Select[UUID, UUID]:
    """Archives that were not gone through since, the one that waits longest first."""
    return (
        select(ArchiveRow.host_id, ArchiveRow.id)
        .outerjoin(ScrubRow, (ScrubRow.host_id == ArchiveRow.host_id) & (ScrubRow.archive_id == ArchiveRow.id))
        .where(func.coalesce(ScrubRow.finished_ns, 0) < before_ns)
        .order_by(func.coalesce(ScrubRow.finished_ns, 0), ArchiveRow.created_ns)
    )


def _stands_for(archive_id: UUID) -> ColumnElement[bool]:
    """A host's id stands for all its archives."""
    return (ArchiveRow.id == archive_id) | ((ArchiveRow.host_id == archive_id) & ArchiveRow.deleted_ns.is_(None))


def small_blocks(host_id: UUID, archive_id: UUID, below_ticks: int) -> Select[*tuple[Any, ...]]:
    """Blocks that may be merged, without their data."""
    own = BlockRow.host_id == host_id, BlockRow.archive_id == archive_id
    # Which they are the index blocks_last tells; only those are looked at, one by one.
    small = select(BlockRow.schema_id, BlockRow.first_ns).where(*own, BlockRow.ticks < below_ticks).cte("small")
    block = (
        select(BlockRow.boot, BlockRow.interval_ns, BlockRow.ticks)
        .where(*own, BlockRow.schema_id == small.c.schema_id, BlockRow.first_ns == small.c.first_ns)
        .limit(1)
        .lateral("block")
    )
    return (
        select(small.c.schema_id, small.c.first_ns, block.c.boot, block.c.interval_ns, block.c.ticks)
        .join(block, true())
        .order_by(small.c.schema_id, small.c.first_ns)
    )


def blocks_at(host_id: UUID, archive_id: UUID, schema_id: int, firsts_ns: Sequence[int]) -> Select[BlockRow]:
    """Blocks of a schema that begin at these ticks."""
    return (
        select(BlockRow)
        .where(
            BlockRow.host_id == host_id,
            BlockRow.archive_id == archive_id,
            BlockRow.schema_id == schema_id,
            BlockRow.first_ns.in_(firsts_ns),
        )
        .order_by(BlockRow.first_ns)
    )


# The last word counts: a process takes another name when it becomes another program.
UPSERT_PROCESSES = """
insert into processes
    (host_id, archive_id, boot, pid, start, name, user_name, control_group, parent, arguments)
select %(host)s, %(archive)s, %(boot)s, w.* from unnest(
    %(pids)s::bigint[], %(starts)s::bigint[], %(names)s::text[], %(users)s::text[], %(groups)s::text[],
    %(parents)s::bigint[], %(arguments)s::text[]) as w
on conflict (host_id, archive_id, boot, pid, start) do update
set name = excluded.name, user_name = excluded.user_name, control_group = excluded.control_group,
    parent = excluded.parent, arguments = excluded.arguments
"""


def processes_of(host_id: UUID, identities: Identities) -> dict[str, Any]:
    """The values of UPSERT_PROCESSES."""
    # Twice in one statement would be an error.
    last = {(process.pid, process.start): process for process in identities.processes}.values()
    return {
        "host": host_id,
        "archive": identities.archive,
        "boot": identities.boot,
        "pids": [item.pid for item in last],
        "starts": [item.start for item in last],
        "names": [item.name for item in last],
        "users": [item.user for item in last],
        "groups": [item.group for item in last],
        "parents": [item.parent for item in last],
        "arguments": [item.arguments for item in last],
    }


def slowest(host_id: UUID, archive_id: UUID) -> Select[int | None]:
    """The longest interval of any group."""
    return select(func.max(BlockRow.interval_ns)).where(BlockRow.host_id == host_id, BlockRow.archive_id == archive_id)


# What every reading asks first. As plain text for the driver: building a statement again, and looking it up among the
# compiled ones, takes SQLAlchemy longer than the answer.
_WANTED = "where a.id = %(id)s or (a.host_id = %(id)s and a.deleted_ns is null)"
ARCHIVES_OF = f"""
select a.host_id, a.id, a.facts, h.name, a.name from archives a join hosts h on h.id = a.host_id {_WANTED}
"""
_OWN = "from blocks b where b.host_id = l.host_id and b.archive_id = a.id and b.schema_id = l.id order by"
OPENED = f"""
select a.host_id, a.id, a.facts, h.name, a.name, held.schemas, held.firsts_ns, held.lasts_ns, held.intervals_ns
from archives a join hosts h on h.id = a.host_id cross join lateral (
    select array_agg(e.id order by e.id) as schemas, array_agg(e.first_ns order by e.id) as firsts_ns,
           array_agg(e.last_ns order by e.id) as lasts_ns, array_agg(e.interval_ns order by e.id) as intervals_ns
    from (select l.id, (select b.first_ns {_OWN} b.first_ns limit 1) as first_ns,
                 (select b.last_ns {_OWN} b.last_ns desc limit 1) as last_ns,
                 (select b.interval_ns {_OWN} b.first_ns desc limit 1) as interval_ns
          from schemas l where l.host_id = a.host_id offset 0) as e
    where e.first_ns is not null
) as held {_WANTED}
"""
"""As ARCHIVES_OF, and which schemas each archive's blocks have, with first and last tick and the newest interval of
each; null where it has none. The keys' first and last entries tell, so that no walk over the blocks is needed.
"""
SCHEMAS_OF = "select id from schemas where host_id = %(host)s order by id"
HELD_BETWEEN = """
select min(first_ns), max(last_ns), min(interval_ns) from (
    select first_ns, last_ns, interval_ns from blocks
    where host_id = %(host)s and archive_id = %(archive)s and schema_id = %(schema)s
      and first_ns >= %(begin)s and first_ns < %(end)s
    order by first_ns limit 1000000000
) as own
"""
"""What an archive has of one schema, of blocks that begin in a range: for where pages are damaged. In the order of
the key, so that the planner walks along that index alone, and meets no page that only other ranges need.
"""
# A block's neighbours may be late ticks that lie within it; behind more of them than that it is not looked for.
_NEAR = """
schemas l cross join lateral (
    select b.boot, b.last_ns, b.interval_ns from blocks b
    where b.host_id = l.host_id and b.archive_id = {archive} and b.schema_id = l.id and b.first_ns <= %(at)s
    order by b.first_ns desc limit 8
) as near
where l.host_id = %(host)s
"""
ARCHIVES_AT = f"""
select a.id from archives a
where a.host_id = %(host)s and a.id = any(%(archives)s::uuid[]) and exists (
    select from {_NEAR.format(archive="a.id")} and near.last_ns >= %(at)s - near.interval_ns)
"""
"""Which of some archives tell of a moment."""
PROCESSES_NAMED = f"""
select p.pid, p.start, p.name, p.user_name, p.control_group, p.parent, p.arguments
from processes p join unnest(%(pids)s::bigint[], %(starts)s::bigint[]) as w(pid, start)
     on p.pid = w.pid and p.start = w.start
where p.host_id = %(host)s and p.archive_id = %(archive)s and p.boot = (
    select near.boot from {_NEAR.format(archive="%(archive)s")} and near.last_ns >= %(at)s limit 1)
"""
"""The processes with these numbers and starts, in the boot that the tick at a time belongs to."""
PROCESSES_OF_BOOTS = """
select p.boot, p.pid, p.start, p.name, p.user_name, p.control_group, p.parent, p.arguments
from processes p join unnest(%(boots)s::uuid[], %(pids)s::bigint[], %(starts)s::bigint[]) as w(boot, pid, start)
     on p.boot = w.boot and p.pid = w.pid and p.start = w.start
where p.host_id = %(host)s and p.archive_id = any(%(archives)s::uuid[])
"""
"""The processes with these boots, numbers and starts."""
