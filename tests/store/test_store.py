from dataclasses import replace

import numpy as np
import pytest
from alembic import command
from sqlalchemy import create_engine, text

from builders import ARCHIVE, BEGIN_NS, BOOT, HOST, RUNNABLE, SWITCHES, a_block, a_schema, tick_times
from reditus.analysis.maintenance import Journal, maintain
from reditus.core.blocks import Stretch, encode_block, offsets_in
from reditus.core.facts import HostFacts
from reditus.core.kernel_columns import cpu_time
from reditus.core.types import NS_PER_S
from reditus.core.window import Window
from reditus.store import BlockConflict, DatabaseUnavailable, HostInfo, UnknownArchive, UnknownSchema
from reditus.store.database.migrations import configuration
from reditus.store.database.offset_table import directory_in
from reditus.store.database.tables import LONG_NS, Base
from reditus.store.read import block_reader as chunks
from reditus.store.store import Store

OTHER = ARCHIVE.__class__(int=77)


def switches(store, window=None, *, of=ARCHIVE):
    with store.reading(of) as reader:
        frame = reader.frame([item for item in reader.known if item.column == SWITCHES], window)
    (group,) = frame.groups
    return group.series[SWITCHES].values.tolist()


def rows(store):
    with store.engine.connect() as connection:
        return connection.execute(text("select count(*), sum(ticks) from blocks")).one()


def test_what_is_appended_is_read(known):
    stored = known.append(ARCHIVE, [a_block(3), a_block(2, start=3)])
    assert (stored.stored_ticks, stored.repeated_ticks) == (5, 0)
    assert switches(known) == [0, 100, 200, 300, 400]


def test_an_archive_reports_what_it_holds(known):
    known.append(ARCHIVE, [a_block(3), a_block(2, start=8)])
    archive = known.archives.get(ARCHIVE)
    assert (archive.ticks, archive.columns, archive.host.name) == (5, 2, "testbed")
    assert (archive.first_ns, archive.last_ns) == (BEGIN_NS, BEGIN_NS + 9 * NS_PER_S)
    assert archive.coverage == 0.5
    assert archive.facts.cores == 2
    assert [item.id for item in known.archives.all()] == [ARCHIVE]


def test_an_empty_archive_is_there_without_times(known):
    archive = known.archives.get(ARCHIVE)
    assert (archive.first_ns, archive.ticks, archive.coverage) == (None, 0, 0.0)


def test_sending_twice_stores_once(known):
    known.append(ARCHIVE, [a_block(3)])
    again = known.append(ARCHIVE, [a_block(3)])
    assert (again.stored_ticks, again.repeated_ticks) == (0, 3)
    assert rows(known) == (1, 3)


def test_overlapping_batches_are_merged(known):
    known.append(ARCHIVE, [a_block(4)])
    stored = known.append(ARCHIVE, [a_block(4, start=2)])
    assert (stored.stored_ticks, stored.repeated_ticks) == (2, 2)
    assert switches(known) == [0, 100, 200, 300, 400, 500]


def test_a_batch_is_taken_whole_or_not_at_all(known):
    stranger = a_block(2, start=5, schema=a_schema([cpu_time("user")]))
    with pytest.raises(UnknownSchema):
        known.append(ARCHIVE, [a_block(3), stranger])
    assert rows(known)[0] == 0


def test_a_block_with_other_columns_than_its_schema_is_refused(known):
    block = a_block(2, schema=a_schema([SWITCHES, RUNNABLE, cpu_time("user")]))
    wrong = replace(block, schema=a_schema().digest)
    with pytest.raises(BlockConflict, match="3 columns, its schema 2"):
        known.append(ARCHIVE, [wrong])


def test_a_block_of_another_archive_is_refused(known):
    with pytest.raises(BlockConflict, match="sent to archive"):
        known.append(ARCHIVE, [a_block(archive=OTHER)])


def test_an_archive_belongs_to_one_host(known):
    with pytest.raises(BlockConflict, match="another host"):
        known.archives.register(
            host=HostInfo(OTHER, "b"), archive=ARCHIVE, name="x", source="recorded", facts=HostFacts()
        )


def test_unknown_archives_are_reported(store):
    for request in (
        store.archives.get,
        lambda archive: store.reading(archive).__enter__(),
        lambda archive: store.append(archive, [a_block()]),
    ):
        with pytest.raises(UnknownArchive, match="reditus archives"):
            request(ARCHIVE)


def test_a_window_comes_with_the_tick_before_it(known):
    known.append(ARCHIVE, [a_block(2, start=at) for at in range(0, 20, 2)])
    window = Window(BEGIN_NS + 10 * NS_PER_S, BEGIN_NS + 12 * NS_PER_S)
    values = switches(known, window)
    assert values[0] <= 900
    assert {1000, 1100, 1200} <= set(values)
    assert len(values) < 12


def test_schemas_may_change_within_an_archive(known):
    wider = a_schema([SWITCHES, RUNNABLE, cpu_time("user")])
    known.add_schema(ARCHIVE, wider)
    known.append(ARCHIVE, [a_block(2), a_block(2, start=2, schema=wider)])
    assert switches(known) == [0, 100, 200, 300]
    with known.reading(ARCHIVE) as reader:
        assert len(reader.known) == 5


def test_sealing_merges_without_changing_what_is_read(known):
    known.append(ARCHIVE, [a_block(2, start=at) for at in range(0, 1300, 2)])
    before = switches(known)
    assert maintain(known, Journal()) == 650 - 52
    assert switches(known) == before == [100 * at for at in range(1300)]
    count, ticks = rows(known)
    assert (count, ticks) == (2 + 50, 1300)
    assert maintain(known, Journal()) == 0


def test_sealed_hours_grow_from_sealed_minutes(known):
    known.append(ARCHIVE, [a_block(600, start=at) for at in range(0, 3600, 600)])
    maintain(known, Journal())
    assert rows(known) == (1, 3600)
    assert known.append(ARCHIVE, [a_block(10, start=3595)]).stored_ticks == 5


def test_restarts_are_not_merged_over(known):
    known.append(ARCHIVE, [a_block(400), a_block(400, start=400, boot=OTHER)])
    assert maintain(known, Journal()) == 0


def test_the_sealed_store_is_small(known):
    known.append(ARCHIVE, [a_block(3_600)])
    archive = known.archives.get(ARCHIVE)
    assert archive.size_bytes / (archive.ticks * archive.columns) < 0.55


def test_a_database_that_is_away_is_reported_as_such():
    lost = Store("postgresql+psycopg://nobody@127.0.0.1:1/none")
    with pytest.raises(DatabaseUnavailable, match="cannot be reached"):
        lost.archives.all()
    lost.close()


def test_connections_that_the_database_ended_are_not_used_again(known):
    """As after its restart: neither reading nor appending notices."""
    known.append(ARCHIVE, [a_block(3)])
    known.append(ARCHIVE, [a_block(3, start=3)])
    with known.reading(ARCHIVE), known.reading(ARCHIVE):
        pass  # two are in the pool now
    other = create_engine(known.engine.url)
    with other.connect() as connection:
        ended = (
            "select pg_terminate_backend(pid, 5000) from pg_stat_activity where datname = current_database() and pid "
            "<> pg_backend_pid()"
        )
        assert len(connection.execute(text(ended)).all()) >= 3
    other.dispose()
    assert switches(known) == [100 * at for at in range(6)]
    with known.reading(ARCHIVE) as one, known.reading(ARCHIVE) as two:
        assert one.extent == two.extent
    assert known.append(ARCHIVE, [a_block(3, start=6)]).stored_ticks == 3


def test_migrations_make_the_tables_that_the_code_expects(store):
    from alembic.autogenerate import compare_metadata
    from alembic.runtime.migration import MigrationContext

    with store.engine.connect() as connection:
        assert compare_metadata(MigrationContext.configure(connection), Base.metadata) == []


def test_migrating_twice_changes_nothing(store):
    store.migrate()


def test_blocks_survive_a_migration_back_and_forth(known):
    """An older version kept the offsets as an array of numbers."""
    known.append(ARCHIVE, [a_block(3), a_block(700, start=3)])
    noise = np.random.default_rng(1).integers(-(2**62), 2**62, (14_000, 2))
    at_ns = tick_times(14_000, start=1_000)
    big = encode_block(
        Stretch(BEGIN_NS + at_ns, at_ns, noise),
        archive=ARCHIVE,
        boot=BOOT,
        schema=a_schema().digest,
        interval_ns=NS_PER_S,
    )
    known.append(ARCHIVE, [big])

    def stored(what):
        with known.engine.connect() as connection:
            return connection.execute(text(f"select {what}, data from blocks order by first_ns")).all()

    def downgrade(connection, version):
        config = configuration()
        config.attributes["connection"] = connection
        command.downgrade(config, version)

    # What came before 0012 knows no checksums.
    with known.engine.begin() as connection:
        downgrade(connection, "0011")
    before = stored("directory")
    assert all(offsets_in(directory_in(bytes(own)))[-1] == len(data) for own, data in before)
    with known.engine.begin() as connection:
        downgrade(connection, "0008")
    assert [tuple(offsets) for offsets, _ in stored("offsets")] == [
        offsets_in(directory_in(bytes(own))) for own, _ in before
    ]
    known.migrate()
    assert stored("directory") == before
    assert switches(known) == [*(100 * at for at in range(703)), *noise[:, 0].tolist()]


def test_keys_begin_with_the_host():
    for table in Base.metadata.tables.values():
        # Plans and layouts are not of a host, and an investigation is of several; what hosts have is.
        own = {"hosts": "id", "plans": "name", "layouts": "id", "investigations": "id", "exhibits": "id",
               "imports": "id"}  # fmt: skip
        first = (own | {"settings": "name"}).get(table.name, "host_id")
        assert next(iter(table.primary_key)).name == first


def test_a_host_s_archives_are_read_as_one_timeline(known):
    later = ARCHIVE.__class__(int=78)
    known.archives.register(
        host=HostInfo(HOST, "testbed"), archive=later, name="later", source="recorded", facts=HostFacts()
    )
    known.append(ARCHIVE, [a_block(3)])
    known.append(later, [a_block(3, start=2, archive=later)])
    assert switches(known, of=HOST) == [0, 100, 200, 300, 400]
    with known.reading(HOST) as reader:
        extent = reader.extent
        assert (extent.first_ns, extent.last_ns) == (BEGIN_NS, BEGIN_NS + 4 * NS_PER_S)
        assert reader.archive_at(BEGIN_NS) == ARCHIVE
        assert reader.archive_at(BEGIN_NS + 4 * NS_PER_S) == later


def test_small_blocks_are_not_merged_over_a_big_one(known):
    known.append(ARCHIVE, [a_block(500), a_block(2400, start=500), a_block(500, start=2900)])
    assert maintain(known, Journal()) == 0
    known.append(ARCHIVE, [a_block(500, start=3400)])
    assert maintain(known, Journal()) > 0
    assert switches(known) == [100 * at for at in range(3900)]


def test_late_ticks_are_merged_in_their_order(known):
    known.append(ARCHIVE, [a_block(300), a_block(200, start=500)])
    known.append(ARCHIVE, [a_block(200, start=300)])
    known.append(ARCHIVE, [a_block(800, start=700)])
    maintain(known, Journal())
    assert switches(known) == [100 * at for at in range(1500)]
    answer = known.archives.get(ARCHIVE)
    assert (answer.first_ns, answer.last_ns) == (BEGIN_NS, BEGIN_NS + 1499 * NS_PER_S)


def test_an_hour_of_a_long_archive_is_found_without_looking_at_the_rest(known):
    hours = 1_500
    known.append(ARCHIVE, [a_block(2, start=3_600 * hour) for hour in range(hours)])
    with known.engine.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
        connection.execute(text("analyze blocks"))
    for hour in (1, hours // 2, hours - 1):
        begin_ns = BEGIN_NS + hour * 3_600 * NS_PER_S
        window = Window(begin_ns - 60 * NS_PER_S, begin_ns + 60 * NS_PER_S)
        assert switches(known, window) == [100 * 3_600 * hour, 100 * (3_600 * hour + 1)]
        assert seen_while_looking(known, window) < 60


def seen_while_looking(store, window):
    """How many blocks the database goes through to find those of a window, found or not."""
    with store.reading(ARCHIVE) as reader:
        requested = []
        request = chunks.binary_rows

        def explained(session, statement, values):
            if not requested:
                (answer,) = request(session, f"explain (analyze, format json) {statement}", values)
                requested.append(answer[0])
            return request(session, statement, values)

        with pytest.MonkeyPatch.context() as patch:
            patch.setattr(chunks, "binary_rows", explained)
            reader.frame(list(reader.known), window)
    return sum(seen_in(requested[0][0]["Plan"]))


def seen_in(plan):
    if plan.get("Relation Name") == "blocks":
        yield plan["Actual Loops"] * (plan["Actual Rows"] + plan.get("Rows Removed by Filter", 0))
    for part in plan.get("Plans", ()):
        yield from seen_in(part)


def test_a_block_of_many_hours_is_found_from_anywhere_within(known):
    """Such blocks are looked for by themselves: they begin long before the window."""
    slow = a_block(1_000, interval_s=600)
    known.append(ARCHIVE, [slow])
    assert slow.last_ns - slow.first_ns > 10 * LONG_NS
    middle_ns = BEGIN_NS + 500 * 600 * NS_PER_S
    assert 50_000 in switches(known, Window(middle_ns - NS_PER_S, middle_ns + NS_PER_S))
