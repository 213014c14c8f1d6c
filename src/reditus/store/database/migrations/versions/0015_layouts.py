"""Layouts of one's own: named arrangements of strips, for all hosts or one."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import ARRAY

revision = "0015"
down_revision = "0014"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "layouts",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("host_id", sa.Uuid(), nullable=True),
        sa.Column("place", sa.Integer(), nullable=False),
        sa.Column("strips", ARRAY(sa.Text()), nullable=False),
        sa.Column("deleted_ns", sa.BigInteger(), nullable=True),
        sa.PrimaryKeyConstraint("id", name="layouts_pkey"),
        sa.ForeignKeyConstraint(["host_id"], ["hosts.id"], name="layouts_host_id_fkey"),
    )


def downgrade() -> None:
    op.drop_table("layouts")
