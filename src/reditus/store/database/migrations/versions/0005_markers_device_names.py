"""Markers, and readable names of devices."""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "markers",
        sa.Column("host_id", sa.Uuid(), primary_key=True),
        sa.Column("archive_id", sa.Uuid(), primary_key=True),
        sa.Column("ident", sa.Text(), primary_key=True),
        sa.Column("at_ns", sa.BigInteger(), nullable=False),
        sa.Column("end_ns", sa.BigInteger(), nullable=True),
        sa.Column("kind", sa.Text(), nullable=False),
        sa.Column("severity", sa.SmallInteger(), nullable=True),
        sa.Column("source", sa.Text(), nullable=False),
        sa.Column("text", sa.Text(), nullable=False),
        sa.ForeignKeyConstraint(
            ["host_id", "archive_id"], ["archives.host_id", "archives.id"], name="markers_archive_fkey"
        ),
    )
    op.create_index("markers_at", "markers", ["host_id", "archive_id", "at_ns"])
    op.create_table(
        "device_names",
        sa.Column("host_id", sa.Uuid(), primary_key=True),
        sa.Column("kind", sa.Text(), primary_key=True),
        sa.Column("device", sa.Text(), primary_key=True),
        sa.Column("name", sa.Text(), nullable=False),
        sa.ForeignKeyConstraint(["host_id"], ["hosts.id"], name="device_names_host_id_fkey"),
    )


def downgrade() -> None:
    for table in ("device_names", "markers"):
        op.drop_table(table)
