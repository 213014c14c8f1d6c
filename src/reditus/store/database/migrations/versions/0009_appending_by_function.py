"""Offsets as bytes, and the usual append as one call."""

from alembic import op

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None

# A directory begins with the length of an entry, 2 bytes or 4; entries are little-endian
# (store/database/offset_table.py).
_DIRECTORY_OF = """
create function pg_temp.directory_of(offsets int[]) returns bytea language sql as $$
    select case when offsets[cardinality(offsets)] < 65536 then '\\x02'::bytea else '\\x04'::bytea end
           || string_agg(substring(n from 4 for 1) || substring(n from 3 for 1)
                         || case when offsets[cardinality(offsets)] < 65536 then ''::bytea
                            else substring(n from 2 for 1) || substring(n from 1 for 1) end, ''::bytea order by u.at)
    from unnest(offsets) with ordinality as u(value, at), int4send(u.value) as n
$$
"""
_OFFSET_AT = """
create function offset_at(directory bytea, place int) returns int language sql immutable parallel safe as $$
    select case when get_byte(directory, 0) = 2
        then get_byte(directory, 2 * place + 1) | (get_byte(directory, 2 * place + 2) << 8)
        else get_byte(directory, 4 * place + 1) | (get_byte(directory, 4 * place + 2) << 8)
           | (get_byte(directory, 4 * place + 3) << 16) | (get_byte(directory, 4 * place + 4) << 24) end
$$
"""
# The locks are those that `appending` takes, in the same order. Each statement sees what was committed before it began,
# so those after the locks see all that whoever held them has done. Plans are made for a table of any size.
_APPEND = """
create function append_blocks(
    host_ids uuid[], archive_ids uuid[], layout_ids int[], firsts_ns bigint[], lasts_ns bigint[], boots uuid[],
    intervals_ns bigint[], tick_counts int[], directories bytea[], chunks bytea[]
) returns boolean language plpgsql set enable_seqscan = off as $$
begin
    perform from archives a where a.id = any(archive_ids) order by a.id for update;
    if exists (
        select from unnest(host_ids, archive_ids, layout_ids, firsts_ns, intervals_ns)
                    as w(host_id, archive_id, layout_id, first_ns, interval_ns)
        where (select a.host_id from archives a where a.id = w.archive_id) is distinct from w.host_id
           or (select b.last_ns from blocks b
               where b.host_id = w.host_id and b.archive_id = w.archive_id and b.layout_id = w.layout_id
               order by b.last_ns desc limit 1) >= w.first_ns
           or (select max(r.until_ns) from rollup_reach r
               where r.host_id = w.host_id and r.archive_id = w.archive_id) > w.first_ns - w.interval_ns
    ) then
        return false;
    end if;
    insert into blocks
        (host_id, archive_id, layout_id, first_ns, last_ns, boot, interval_ns, ticks, directory, data)
    select * from unnest(host_ids, archive_ids, layout_ids, firsts_ns, lasts_ns, boots, intervals_ns, tick_counts,
                         directories, chunks);
    return true;
end $$
"""


def upgrade() -> None:
    # Each cost as much as writing a small block. Layouts are never removed, and whoever removes an archive locks it
    # first.
    op.drop_constraint("blocks_archive_fkey", "blocks")
    op.drop_constraint("blocks_layout_fkey", "blocks")
    op.execute(_DIRECTORY_OF)
    op.execute("ALTER TABLE blocks ALTER COLUMN offsets TYPE bytea USING pg_temp.directory_of(offsets)")
    op.execute("ALTER TABLE blocks RENAME COLUMN offsets TO directory")
    op.execute("ALTER TABLE blocks ALTER COLUMN directory SET STORAGE PLAIN")
    op.execute(_OFFSET_AT)
    op.execute(_APPEND)


def downgrade() -> None:
    op.execute("DROP FUNCTION append_blocks")
    op.execute(
        "create function pg_temp.offsets_in(directory bytea) returns int[] language sql as $$ "
        "select array_agg(offset_at(directory, place) order by place) "
        "from generate_series(0, octet_length(directory) / get_byte(directory, 0) - 1) as place $$"
    )
    op.execute("ALTER TABLE blocks ALTER COLUMN directory TYPE int[] USING pg_temp.offsets_in(directory)")
    op.execute("ALTER TABLE blocks RENAME COLUMN directory TO offsets")
    op.execute("ALTER TABLE blocks ALTER COLUMN offsets SET STORAGE PLAIN")
    op.execute("DROP FUNCTION offset_at")
    op.create_foreign_key("blocks_archive_fkey", "blocks", "archives", ["host_id", "archive_id"], ["host_id", "id"])
    op.create_foreign_key("blocks_layout_fkey", "blocks", "layouts", ["host_id", "layout_id"], ["host_id", "id"])
