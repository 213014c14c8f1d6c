"""What people made of findings."""

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "verdicts",
        sa.Column("host_id", sa.Uuid(), primary_key=True),
        sa.Column("finding_kind", sa.Text(), primary_key=True),
        sa.Column("device", sa.Text(), primary_key=True),
        sa.Column("start_ns", sa.BigInteger(), primary_key=True),
        sa.Column("end_ns", sa.BigInteger(), nullable=False),
        sa.Column("state", sa.Text(), nullable=False),
        sa.Column("remark", sa.Text(), nullable=False),
        sa.Column("told_ns", sa.BigInteger(), nullable=False),
        sa.ForeignKeyConstraint(["host_id"], ["hosts.id"], name="verdicts_host_id_fkey"),
    )


def downgrade() -> None:
    op.drop_table("verdicts")
