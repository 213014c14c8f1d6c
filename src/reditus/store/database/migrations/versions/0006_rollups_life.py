"""Rollups, and what people decide about an archive: notes, protection, deletion that can be taken back."""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("archives", sa.Column("notes", sa.Text(), nullable=False, server_default=""))
    op.add_column("archives", sa.Column("protected", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.add_column("archives", sa.Column("deleted_ns", sa.BigInteger(), nullable=True))
    op.create_table(
        "rollup_keys",
        sa.Column("host_id", sa.Uuid(), primary_key=True),
        sa.Column("id", sa.Integer(), sa.Identity(), primary_key=True),
        sa.Column("digest", sa.LargeBinary(), nullable=False),
        sa.Column("names", sa.ARRAY(sa.Text()), nullable=False),
        sa.UniqueConstraint("host_id", "digest", name="rollup_keys_digest_key"),
        sa.ForeignKeyConstraint(["host_id"], ["hosts.id"], name="rollup_keys_host_id_fkey"),
    )
    op.create_table(
        "rollups",
        sa.Column("host_id", sa.Uuid(), primary_key=True),
        sa.Column("archive_id", sa.Uuid(), primary_key=True),
        sa.Column("level_s", sa.Integer(), primary_key=True),
        sa.Column("keys_id", sa.Integer(), primary_key=True),
        sa.Column("first_ns", sa.BigInteger(), primary_key=True),
        sa.Column("bins", sa.Integer(), nullable=False),
        sa.Column("offsets", sa.ARRAY(sa.Integer()), nullable=False),
        sa.Column("data", sa.LargeBinary(), nullable=False),
        sa.ForeignKeyConstraint(
            ["host_id", "archive_id"], ["archives.host_id", "archives.id"], name="rollups_archive_fkey"
        ),
        sa.ForeignKeyConstraint(
            ["host_id", "keys_id"], ["rollup_keys.host_id", "rollup_keys.id"], name="rollups_keys_fkey"
        ),
    )
    op.execute("ALTER TABLE rollups ALTER COLUMN offsets SET STORAGE PLAIN")
    op.execute("ALTER TABLE rollups ALTER COLUMN data SET STORAGE EXTERNAL")
    op.create_table(
        "rollup_reach",
        sa.Column("host_id", sa.Uuid(), primary_key=True),
        sa.Column("archive_id", sa.Uuid(), primary_key=True),
        sa.Column("level_s", sa.Integer(), primary_key=True),
        sa.Column("derivation", sa.Integer(), nullable=False),
        sa.Column("since_ns", sa.BigInteger(), nullable=False),
        sa.Column("until_ns", sa.BigInteger(), nullable=False),
        sa.ForeignKeyConstraint(
            ["host_id", "archive_id"], ["archives.host_id", "archives.id"], name="rollup_reach_archive_fkey"
        ),
    )


def downgrade() -> None:
    for table in ("rollup_reach", "rollups", "rollup_keys"):
        op.drop_table(table)
    for column in ("deleted_ns", "protected", "notes"):
        op.drop_column("archives", column)
