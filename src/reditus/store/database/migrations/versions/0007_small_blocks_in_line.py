"""Keep blocks of a few ticks in their rows: moving their bytes out of line costs as much as writing them."""

from alembic import op

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("ALTER TABLE blocks SET (toast_tuple_target = 8160)")


def downgrade() -> None:
    op.execute("ALTER TABLE blocks RESET (toast_tuple_target)")
