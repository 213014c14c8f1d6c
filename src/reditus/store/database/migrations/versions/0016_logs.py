"""Lines know their log: what was kept before is put together by the program that wrote it."""

import sqlalchemy as sa
from alembic import op

revision = "0016"
down_revision = "0015"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("markers", sa.Column("log", sa.Text(), nullable=False, server_default=""))
    op.execute(r"UPDATE markers SET log = left(regexp_replace(source, '\[\d{1,10}\]$', ''), 100) WHERE kind = 'log'")


def downgrade() -> None:
    op.drop_column("markers", "log")
