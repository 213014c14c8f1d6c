"""Blocks say which format their chunks have, and what was found damaged is written down."""

from itertools import pairwise

import numpy as np
import sqlalchemy as sa
from alembic import op

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None


def upgrade() -> None:
    # What is there has no checksums (formats 1 and 2 are read alike); all that is written from now on has.
    op.add_column("blocks", sa.Column("version", sa.SmallInteger, server_default="2", nullable=False))
    op.alter_column("blocks", "version", server_default="3")
    op.create_table(
        "damage",
        sa.Column("host_id", sa.Uuid, primary_key=True),
        sa.Column("archive_id", sa.Uuid, primary_key=True),
        sa.Column("layout_id", sa.Integer, primary_key=True, autoincrement=False),
        sa.Column("first_ns", sa.BigInteger, primary_key=True, autoincrement=False),
        sa.Column("last_ns", sa.BigInteger, nullable=False),
        sa.Column("columns", sa.ARRAY(sa.Integer)),
        sa.Column("reason", sa.Text, nullable=False),
        sa.Column("found_ns", sa.BigInteger, nullable=False),
        sa.ForeignKeyConstraint(
            ["host_id", "archive_id"], ["archives.host_id", "archives.id"], name="damage_archive_fkey"
        ),
    )
    op.create_table(
        "scrubs",
        sa.Column("host_id", sa.Uuid, primary_key=True),
        sa.Column("archive_id", sa.Uuid, primary_key=True),
        sa.Column("layout_id", sa.Integer, nullable=False),
        sa.Column("after_ns", sa.BigInteger, nullable=False),
        sa.Column("finished_ns", sa.BigInteger),
        sa.ForeignKeyConstraint(
            ["host_id", "archive_id"], ["archives.host_id", "archives.id"], name="scrubs_archive_fkey"
        ),
    )


# As the store writes them (store/database/offset_table.py, core/checksums.py): 4 bytes at the end of each chunk.
_ROWS = "select host_id, archive_id, layout_id, first_ns, directory, data from blocks where version > 2 limit 64"
_STRIP = sa.text(
    "update blocks set directory = :directory, data = :data, version = 2 where host_id = :host_id "
    "and archive_id = :archive_id and layout_id = :layout_id and first_ns = :first_ns"
)


def downgrade() -> None:
    connection = op.get_bind()
    while rows := connection.exec_driver_sql(_ROWS).mappings().all():
        connection.execute(_STRIP, [dict(row) | _without_checksums(row["directory"], row["data"]) for row in rows])
    op.drop_table("scrubs")
    op.drop_table("damage")
    op.drop_column("blocks", "version")


def _without_checksums(directory: bytes, data: bytes) -> dict[str, bytes]:
    form = "<u2" if directory[0] == 2 else "<u4"
    offsets = np.frombuffer(directory, dtype=form, offset=1).astype(np.int64).tolist()
    chunks = [data[begin : end - 4] for begin, end in pairwise(offsets)]
    ends = np.cumsum([0, *map(len, chunks)])
    width = 2 if ends[-1] < 1 << 16 else 4
    return {"directory": bytes((width,)) + ends.astype(f"<u{width}").tobytes(), "data": b"".join(chunks)}
