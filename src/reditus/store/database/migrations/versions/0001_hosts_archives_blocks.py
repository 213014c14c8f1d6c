"""Hosts, archives, layouts with their columns, and blocks."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "hosts",
        sa.Column("id", sa.Uuid(), primary_key=True),
        sa.Column("name", sa.Text(), nullable=False),
    )
    op.create_table(
        "archives",
        sa.Column("host_id", sa.Uuid(), primary_key=True),
        sa.Column("id", sa.Uuid(), primary_key=True),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("source", sa.Text(), nullable=False),
        sa.Column("facts", postgresql.JSONB(), nullable=False),
        sa.Column("created_ns", sa.BigInteger(), nullable=False),
        sa.UniqueConstraint("id", name="archives_id_key"),
        sa.ForeignKeyConstraint(["host_id"], ["hosts.id"], name="archives_host_id_fkey"),
    )
    op.create_table(
        "layouts",
        sa.Column("host_id", sa.Uuid(), primary_key=True),
        sa.Column("id", sa.Integer(), sa.Identity(), primary_key=True),
        sa.Column("digest", sa.LargeBinary(), nullable=False),
        sa.Column("group_name", sa.Text(), nullable=False),
        sa.Column("part", sa.SmallInteger(), nullable=False),
        sa.UniqueConstraint("host_id", "digest", name="layouts_digest_key"),
        sa.ForeignKeyConstraint(["host_id"], ["hosts.id"], name="layouts_host_id_fkey"),
    )
    op.create_table(
        "columns",
        sa.Column("host_id", sa.Uuid(), primary_key=True),
        sa.Column("layout_id", sa.Integer(), primary_key=True),
        sa.Column("position", sa.SmallInteger(), primary_key=True),
        sa.Column("counter", sa.Text(), nullable=False),
        sa.Column("attributes", postgresql.JSONB(), nullable=False),
        sa.Column("unit", sa.Text(), nullable=False),
        sa.Column("kind", sa.Text(), nullable=False),
        sa.Column("scale_up", sa.BigInteger(), nullable=False),
        sa.Column("scale_down", sa.BigInteger(), nullable=False),
        sa.Column("bits", sa.SmallInteger(), nullable=False),
        sa.ForeignKeyConstraint(
            ["host_id", "layout_id"], ["layouts.host_id", "layouts.id"], name="columns_layout_fkey"
        ),
    )
    op.create_table(
        "blocks",
        sa.Column("host_id", sa.Uuid(), primary_key=True),
        sa.Column("archive_id", sa.Uuid(), primary_key=True),
        sa.Column("layout_id", sa.Integer(), primary_key=True),
        sa.Column("first_ns", sa.BigInteger(), primary_key=True),
        sa.Column("last_ns", sa.BigInteger(), nullable=False),
        sa.Column("boot", sa.Uuid(), nullable=False),
        sa.Column("interval_ns", sa.BigInteger(), nullable=False),
        sa.Column("ticks", sa.Integer(), nullable=False),
        sa.Column("offsets", sa.ARRAY(sa.Integer()), nullable=False),
        sa.Column("data", sa.LargeBinary(), nullable=False),
        sa.ForeignKeyConstraint(
            ["host_id", "archive_id"], ["archives.host_id", "archives.id"], name="blocks_archive_fkey"
        ),
        sa.ForeignKeyConstraint(["host_id", "layout_id"], ["layouts.host_id", "layouts.id"], name="blocks_layout_fkey"),
    )
    op.create_index("blocks_last", "blocks", ["host_id", "archive_id", "layout_id", "last_ns"])
    # The offsets are read with every query: keep them in the row. The data is compressed already, and one column of it
    # is cut out with substring, which only uncompressed out-of-line storage serves without reading the rest.
    op.execute("ALTER TABLE blocks ALTER COLUMN offsets SET STORAGE PLAIN")
    op.execute("ALTER TABLE blocks ALTER COLUMN data SET STORAGE EXTERNAL")


def downgrade() -> None:
    for table in ("blocks", "columns", "layouts", "archives", "hosts"):
        op.drop_table(table)
