"""Who processes are."""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "processes",
        sa.Column("host_id", sa.Uuid(), primary_key=True),
        sa.Column("archive_id", sa.Uuid(), primary_key=True),
        sa.Column("boot", sa.Uuid(), primary_key=True),
        sa.Column("pid", sa.BigInteger(), primary_key=True),
        sa.Column("start", sa.BigInteger(), primary_key=True),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("user_name", sa.Text(), nullable=False),
        sa.Column("control_group", sa.Text(), nullable=False),
        sa.Column("parent", sa.BigInteger(), nullable=False),
        sa.Column("arguments", sa.Text(), nullable=True),
        sa.ForeignKeyConstraint(
            ["host_id", "archive_id"], ["archives.host_id", "archives.id"], name="processes_archive_fkey"
        ),
    )


def downgrade() -> None:
    op.drop_table("processes")
