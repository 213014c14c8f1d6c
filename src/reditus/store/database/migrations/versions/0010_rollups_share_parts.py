"""Begin and end of each part of a rollup's series, so that series that are the same share theirs."""

from alembic import op

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None


def upgrade() -> None:
    # Until now each part ended where the next one began.
    op.execute("ALTER TABLE rollups RENAME COLUMN offsets TO places")
    op.execute(
        "UPDATE rollups SET places = (SELECT array_agg(edge.at ORDER BY part, edge.which) "
        "FROM generate_series(1, cardinality(places) - 1) AS part, "
        "LATERAL (VALUES (0, places[part]), (1, places[part + 1])) AS edge(which, at))"
    )


def downgrade() -> None:
    # What is shared cannot be told in the old way. Rollups are a cache: they are made anew.
    op.execute("DELETE FROM rollup_reach")
    op.execute("DELETE FROM rollups")
    op.execute("ALTER TABLE rollups RENAME COLUMN places TO offsets")
