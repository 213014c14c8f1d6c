"""Plans, and recorders as they report."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "plans",
        sa.Column("name", sa.Text(), primary_key=True),
        sa.Column("content", postgresql.JSONB(), nullable=False),
        sa.Column("changed_ns", sa.BigInteger(), nullable=False),
    )
    op.create_table(
        "recorders",
        sa.Column("host_id", sa.Uuid(), primary_key=True),
        sa.Column("id", sa.Uuid(), primary_key=True),
        sa.Column("host_name", sa.Text(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("plan", sa.Text(), nullable=True),
        sa.Column("recording", sa.Boolean(), nullable=False),
        sa.Column("burst_until_ns", sa.BigInteger(), nullable=False),
        sa.Column("reported_ns", sa.BigInteger(), nullable=False),
        sa.Column("report", postgresql.JSONB(), nullable=False),
        sa.UniqueConstraint("id", name="recorders_id_key"),
        sa.ForeignKeyConstraint(["plan"], ["plans.name"], name="recorders_plan_fkey"),
    )


def downgrade() -> None:
    for table in ("recorders", "plans"):
        op.drop_table(table)
