"""What archives hold is told by an index alone, and a window's blocks are found however many there are before and
after.
"""

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None

_LONG_NS = 28_800_000_000_000  # as in store/database/tables.py at this version
_KEYS = ["host_id", "archive_id", "layout_id"]


def upgrade() -> None:
    op.add_column("layouts", sa.Column("width", sa.Integer))
    op.execute(
        "UPDATE layouts l SET width = (SELECT count(*) FROM columns c WHERE c.host_id = l.host_id AND c.layout_id = "
        "l.id)"
    )
    op.alter_column("layouts", "width", nullable=False)
    size = sa.Computed("octet_length(data) + octet_length(directory)", persisted=True)
    op.add_column("blocks", sa.Column("size_bytes", sa.Integer, size, nullable=False))
    op.drop_index("blocks_last", "blocks")
    told = ["first_ns", "interval_ns", "ticks", "size_bytes"]
    op.create_index("blocks_last", "blocks", [*_KEYS, "last_ns"], postgresql_include=told)
    op.create_index(
        "blocks_long", "blocks", [*_KEYS, "first_ns"], postgresql_include=["last_ns", "interval_ns", "ticks"],
        postgresql_where=sa.text(f"last_ns - first_ns > {_LONG_NS}"),
    )  # fmt: skip
    # An index alone tells only of pages that were looked after since they were written.
    op.execute("ALTER TABLE blocks SET (autovacuum_vacuum_insert_scale_factor = 0.02)")


def downgrade() -> None:
    op.execute("ALTER TABLE blocks RESET (autovacuum_vacuum_insert_scale_factor)")
    op.drop_index("blocks_long", "blocks")
    op.drop_index("blocks_last", "blocks")
    op.create_index("blocks_last", "blocks", [*_KEYS, "last_ns"])
    op.drop_column("blocks", "size_bytes")
    op.drop_column("layouts", "width")
