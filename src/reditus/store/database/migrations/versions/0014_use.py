"""Who used what, per bin of a fixed length: derived from the ticks, so that long windows are told fast."""

import sqlalchemy as sa
from alembic import op

revision = "0014"
down_revision = "0013"
branch_labels = None
depends_on = None


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


def downgrade() -> None:
    op.drop_table("use_reach")
    op.drop_table("use_bins")
