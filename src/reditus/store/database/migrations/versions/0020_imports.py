"""Files on their way into archives."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0020"
down_revision = "0019"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "imports",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("size_bytes", sa.BigInteger(), nullable=False),
        sa.Column("received_bytes", sa.BigInteger(), nullable=False),
        sa.Column("state", sa.Text(), nullable=False),
        sa.Column("options", JSONB(), nullable=False),
        sa.Column("problem", sa.Text(), nullable=True),
        sa.Column("remarks", JSONB(), nullable=False),
        sa.Column("archive_id", sa.Uuid(), nullable=True),
        sa.Column("ticks", sa.BigInteger(), nullable=False),
        sa.Column("created_ns", sa.BigInteger(), nullable=False),
        sa.Column("changed_ns", sa.BigInteger(), nullable=False),
        sa.PrimaryKeyConstraint("id", name="imports_pkey"),
    )


def downgrade() -> None:
    op.drop_table("imports")
