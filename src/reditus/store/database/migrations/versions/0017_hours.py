"""Hours of measures by week: what the normal and slow change are read from."""

import sqlalchemy as sa
from alembic import op

revision = "0017"
down_revision = "0016"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "hours",
        sa.Column("host_id", sa.Uuid(), nullable=False),
        sa.Column("archive_id", sa.Uuid(), nullable=False),
        sa.Column("week_ns", sa.BigInteger(), nullable=False),
        sa.Column("keys_id", sa.Integer(), nullable=False),
        sa.Column("data", sa.LargeBinary(), nullable=False),
        sa.PrimaryKeyConstraint("host_id", "archive_id", "week_ns", "keys_id", name="hours_pkey"),
        sa.ForeignKeyConstraint(
            ["host_id", "archive_id"], ["archives.host_id", "archives.id"], name="hours_archive_fkey"
        ),
        sa.ForeignKeyConstraint(
            ["host_id", "keys_id"], ["rollup_keys.host_id", "rollup_keys.id"], name="hours_keys_fkey"
        ),
    )


def downgrade() -> None:
    op.drop_table("hours")
