"""The facts of hosts as they changed."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "facts",
        sa.Column("host_id", sa.Uuid(), primary_key=True),
        sa.Column("archive_id", sa.Uuid(), primary_key=True),
        sa.Column("since_ns", sa.BigInteger(), primary_key=True),
        sa.Column("facts", postgresql.JSONB(), nullable=False),
        sa.ForeignKeyConstraint(
            ["host_id", "archive_id"], ["archives.host_id", "archives.id"], name="facts_archive_fkey"
        ),
    )


def downgrade() -> None:
    op.drop_table("facts")
