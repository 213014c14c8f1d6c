"""Blocks say which format their chunks have, and what was found damaged is written down."""

import sqlalchemy as sa
from alembic import op

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None


def upgrade() -> None:
    # What is there has no checksums (formats 1 and 2 are read alike); all that is written from now on has.
    op.add_column("blocks", sa.Column("version", sa.SmallInteger, server_default="2", nullable=False))
    op.alter_column("blocks", "version", server_default="3")
    op.create_table(
        "damage",
        sa.Column("host_id", sa.Uuid, primary_key=True),
        sa.Column("archive_id", sa.Uuid, primary_key=True),
        sa.Column("layout_id", sa.Integer, primary_key=True, autoincrement=False),
        sa.Column("first_ns", sa.BigInteger, primary_key=True, autoincrement=False),
        sa.Column("last_ns", sa.BigInteger, nullable=False),
        sa.Column("columns", sa.ARRAY(sa.Integer)),
        sa.Column("reason", sa.Text, nullable=False),
        sa.Column("found_ns", sa.BigInteger, nullable=False),
        sa.ForeignKeyConstraint(
            ["host_id", "archive_id"], ["archives.host_id", "archives.id"], name="damage_archive_fkey"
        ),
    )
    op.create_table(
        "scrubs",
        sa.Column("host_id", sa.Uuid, primary_key=True),
        sa.Column("archive_id", sa.Uuid, primary_key=True),
        sa.Column("layout_id", sa.Integer, nullable=False),
        sa.Column("after_ns", sa.BigInteger, nullable=False),
        sa.Column("finished_ns", sa.BigInteger),
        sa.ForeignKeyConstraint(
            ["host_id", "archive_id"], ["archives.host_id", "archives.id"], name="scrubs_archive_fkey"
        ),
    )


def downgrade() -> None:
    # Blocks with checksums cannot be read by what came before.
    op.execute(
        "DO $$ BEGIN IF EXISTS (SELECT FROM blocks WHERE version > 2) THEN "
        "RAISE EXCEPTION 'blocks of format 3 cannot be read by earlier versions'; END IF; END $$"
    )
    op.drop_table("scrubs")
    op.drop_table("damage")
    op.drop_column("blocks", "version")
