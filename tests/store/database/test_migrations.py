"""Databases that earlier versions made."""

from uuid import UUID

from alembic import command
from sqlalchemy import text

from builders import ARCHIVE, HOST, a_block
from reditus.store.database.migrations import configuration
from reditus.store.records import Verdict

WORDS = (
    "select column_name from information_schema.columns where table_schema = 'public' and column_name like '%layout%'"
)


def test_a_database_of_version_0_1_is_taken_over(known):
    """Until 0013 schemas were layouts, verdicts had another column, and simulated archives another source."""
    known.append(ARCHIVE, [a_block(3)])
    verdict = Verdict("disk.slow", "sda", 5, 9, "confirmed", "a cable", decided_ns=7)
    known.verdicts.save(ARCHIVE, verdict)
    with known.engine.begin() as connection:
        config = configuration()
        config.attributes["connection"] = connection
        command.downgrade(config, "0012")
        assert set(connection.scalars(text(WORDS))) == {"layout_id"}
        assert connection.scalar(text("select told_ns from verdicts")) == 7
        connection.execute(text("update archives set source = 'made up'"))
    known.migrate()
    with known.engine.connect() as connection:
        assert connection.scalars(text(WORDS)).all() == []
    assert known.archives.get(ARCHIVE).source == "simulated"
    assert known.verdicts.of_host(HOST) == [verdict]
    # Both ways of appending: the function in the database, and late ticks.
    assert known.append(ARCHIVE, [a_block(3, start=10)]).stored_ticks == 3
    assert known.append(ARCHIVE, [a_block(3, start=5)]).stored_ticks == 3
    with known.reading(UUID(int=ARCHIVE.int)) as reader:
        assert reader.extent.first_ns is not None
