"""Investigations and their exhibits."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0018"
down_revision = "0017"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "investigations",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("fields", JSONB(), nullable=False),
        sa.Column("touched", JSONB(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("keeps", sa.Boolean(), nullable=False, server_default=sa.false()),
        sa.Column("origin", JSONB(), nullable=True),
        sa.Column("created_ns", sa.BigInteger(), nullable=False),
        sa.Column("changed_ns", sa.BigInteger(), nullable=False),
        sa.Column("deleted_ns", sa.BigInteger(), nullable=True),
        sa.PrimaryKeyConstraint("id", name="investigations_pkey"),
    )
    op.create_table(
        "exhibits",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("investigation_id", sa.Uuid(), nullable=False),
        sa.Column("archive_id", sa.Uuid(), nullable=False),
        sa.Column("start_ns", sa.BigInteger(), nullable=False),
        sa.Column("end_ns", sa.BigInteger(), nullable=False),
        sa.Column("content", sa.LargeBinary(), nullable=False),
        sa.Column("pictures", JSONB(), nullable=False),
        sa.Column("checksum", sa.Text(), nullable=False),
        sa.Column("pinned_ns", sa.BigInteger(), nullable=False),
        sa.Column("deleted_ns", sa.BigInteger(), nullable=True),
        sa.PrimaryKeyConstraint("id", name="exhibits_pkey"),
        sa.ForeignKeyConstraint(["investigation_id"], ["investigations.id"], name="exhibits_investigation_fkey"),
    )
    op.create_index("exhibits_of", "exhibits", ["investigation_id"])
    # Pictures and numbers are compressed by the database; an exhibit is read whole or not at all.
    op.create_table(
        "settings",
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("content", JSONB(), nullable=False),
        sa.PrimaryKeyConstraint("name", name="settings_pkey"),
    )


def downgrade() -> None:
    for table in ("settings", "exhibits", "investigations"):
        op.drop_table(table)
