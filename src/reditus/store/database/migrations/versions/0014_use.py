"""Who used what, per bin of a fixed length: derived from the ticks, so that long windows are told fast."""

import sqlalchemy as sa
from alembic import op

revision = "0014"
down_revision = "0013"
branch_labels = None
depends_on = None

# As before (0009), but that what use was added up of counts as well: ticks that come late are to be added up again.
_APPEND = """
create or replace function append_blocks(
    host_ids uuid[], archive_ids uuid[], schema_ids int[], firsts_ns bigint[], lasts_ns bigint[], boots uuid[],
    intervals_ns bigint[], tick_counts int[], directories bytea[], chunks bytea[]
) returns boolean language plpgsql set enable_seqscan = off as $$
begin
    perform from archives a where a.id = any(archive_ids) order by a.id for update;
    if exists (
        select from unnest(host_ids, archive_ids, schema_ids, firsts_ns, intervals_ns)
                    as w(host_id, archive_id, schema_id, first_ns, interval_ns)
        where (select a.host_id from archives a where a.id = w.archive_id) is distinct from w.host_id
           or (select b.last_ns from blocks b
               where b.host_id = w.host_id and b.archive_id = w.archive_id and b.schema_id = w.schema_id
               order by b.last_ns desc limit 1) >= w.first_ns
           or {reached} > w.first_ns - w.interval_ns
    ) then
        return false;
    end if;
    insert into blocks
        (host_id, archive_id, schema_id, first_ns, last_ns, boot, interval_ns, ticks, directory, data)
    select * from unnest(host_ids, archive_ids, schema_ids, firsts_ns, lasts_ns, boots, intervals_ns, tick_counts,
                         directories, chunks);
    return true;
end $$
"""
_REACHED = """(select max(r.until_ns) from {table} r
               where r.host_id = w.host_id and r.archive_id = w.archive_id)"""
_ROLLED, _USE = _REACHED.format(table="rollup_reach"), _REACHED.format(table="use_reach")


def upgrade() -> None:
    op.create_table(
        "use_bins",
        sa.Column("host_id", sa.Uuid(), nullable=False),
        sa.Column("archive_id", sa.Uuid(), nullable=False),
        sa.Column("level_s", sa.Integer(), nullable=False),
        sa.Column("first_ns", sa.BigInteger(), nullable=False),
        sa.Column("data", sa.LargeBinary(), nullable=False),
        sa.PrimaryKeyConstraint("host_id", "archive_id", "level_s", "first_ns", name="use_bins_pkey"),
        sa.ForeignKeyConstraint(
            ["host_id", "archive_id"], ["archives.host_id", "archives.id"], name="use_bins_archive_fkey"
        ),
    )
    op.create_table(
        "use_reach",
        sa.Column("host_id", sa.Uuid(), nullable=False),
        sa.Column("archive_id", sa.Uuid(), nullable=False),
        sa.Column("level_s", sa.Integer(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("since_ns", sa.BigInteger(), nullable=False),
        sa.Column("until_ns", sa.BigInteger(), nullable=False),
        sa.PrimaryKeyConstraint("host_id", "archive_id", "level_s", name="use_reach_pkey"),
        sa.ForeignKeyConstraint(
            ["host_id", "archive_id"], ["archives.host_id", "archives.id"], name="use_reach_archive_fkey"
        ),
    )
    op.execute(_APPEND.format(reached=f"greatest({_ROLLED}, {_USE})"))


def downgrade() -> None:
    op.execute(_APPEND.format(reached=_ROLLED))
    op.drop_table("use_reach")
    op.drop_table("use_bins")
