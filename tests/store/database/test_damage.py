"""Damaged blocks, columns and pages: readers go around them, and it is said."""

import time
from dataclasses import replace
from uuid import UUID

import numpy as np
import pytest
from fastapi.testclient import TestClient
from sqlalchemy import text

from builders import ARCHIVE, BEGIN_NS, BOOT, HOST, SWITCHES, a_block, a_schema, tick_times
from reditus.analysis.maintenance import Journal, Task, maintain, scrub
from reditus.analysis.rollups import rolled
from reditus.core.blocks import CLOCKS, Stretch, encode_block
from reditus.core.checksums import CHECKSUM_BYTES, with_checksums
from reditus.core.facts import HostFacts
from reditus.core.measures import measure_named
from reditus.core.measures.selection import SeriesKey
from reditus.core.types import NS_PER_S
from reditus.core.window import Window
from reditus.server.app import create_app
from reditus.server.settings import Settings
from reditus.store import HostInfo
from reditus.store.database.cluster import Cluster
from reditus.store.database.offset_table import stored
from reditus.store.database.tables import Base
from reditus.store.records import CheckPosition
from reditus.store.store import Store

OTHER = UUID(int=99)
SOON_NS = 120 * NS_PER_S


def flip(store, first_ns, at):
    """Flip a bit of a stored block's data, at a byte from its beginning."""
    change = "update blocks set data = set_byte(data, :at, get_byte(data, :at) # 4) where first_ns = :first"
    with store.engine.begin() as connection:
        assert connection.execute(text(change), {"at": at, "first": first_ns}).rowcount == 1


def undecodable(block):
    """A block whose first counter has an encoding that is none, with checksums that fit."""
    chunks = [bytes(block.chunk(place)) for place in range(CLOCKS + block.columns)]
    chunks[CLOCKS] = bytes((99,)) + chunks[CLOCKS][1:]
    offsets = np.cumsum([0, *(len(chunk) + CHECKSUM_BYTES for chunk in chunks)]).astype("<u4")
    return replace(block, data=b"".join(with_checksums(chunks, block.seed)), directory=offsets.tobytes())


def put_past_intake(store, block):
    """As it would stand there had it never been checked."""
    values = {"first": block.first_ns, "data": block.data, "directory": stored(block.directory)}
    with store.engine.begin() as connection:
        changed = "update blocks set data = :data, directory = :directory where first_ns = :first"
        assert connection.execute(text(changed), values).rowcount == 1


def switches(store, archive=ARCHIVE):
    with store.reading(archive) as reader:
        frame = reader.frame(list(reader.known), None)
    level = frame.level(SWITCHES.counter)
    return dict(zip(level.timebase.wall_ns.tolist(), level.values.tolist(), strict=True))


@pytest.fixture
def three(known):
    """Three blocks of ten ticks each, and another archive of the same host."""
    blocks = [a_block(10, start=start) for start in (0, 10, 20)]
    known.append(ARCHIVE, blocks)
    known.archives.register(
        host=HostInfo(HOST, "testbed"), archive=OTHER, name="other", source="recorded", facts=HostFacts()
    )
    known.append(OTHER, [a_block(3, start=at, archive=OTHER) for at in range(0, 1_800, 3)])
    return known, blocks


def data_offset(block, place):
    return block.offsets[place]


def test_a_damaged_column_is_unknown_where_it_is_damaged(three):
    store, blocks = three
    before = switches(store)
    flip(store, blocks[1].first_ns, data_offset(blocks[1], CLOCKS))
    after = switches(store)
    lost = {at for at, value in after.items() if np.isnan(value)}
    assert lost == {BEGIN_NS + at * NS_PER_S for at in range(10, 20)}
    assert {at: value for at, value in after.items() if at not in lost} == {
        at: value for at, value in before.items() if at not in lost
    }
    (damage,) = store.archives.damage(ARCHIVE)
    assert (damage.columns, damage.group) == (1, "cpu")
    assert store.check() == {ARCHIVE: 1}


def test_a_damaged_clock_loses_its_block_and_is_a_gap_with_the_reason(three):
    store, blocks = three
    flip(store, blocks[1].first_ns, data_offset(blocks[1], 1))
    assert len(switches(store)) == 20
    with store.reading(ARCHIVE) as reader:
        gaps = reader.gaps(Window(BEGIN_NS, BEGIN_NS + 30 * NS_PER_S))
    (gap,) = gaps
    assert gap.reason.startswith("damaged: all columns of cpu")
    assert (gap.end_ns - gap.start_ns) / NS_PER_S == pytest.approx(10)


def test_an_undecodable_block_ends_nothing_but_itself(three):
    """Sealing, retention and deletion of every archive went on in silence no more because of one block."""
    store, blocks = three
    more = [a_block(3, start=at) for at in range(30, 1_230, 3)]
    store.append(ARCHIVE, more)
    put_past_intake(store, undecodable(blocks[1]))
    gone = UUID(int=5)
    store.archives.register(
        host=HostInfo(HOST, "testbed"), archive=gone, name="gone", source="recorded", facts=HostFacts()
    )
    store.archives.delete(gone)
    journal = Journal(lambda: time.time_ns() + SOON_NS)
    assert maintain(store, journal, undo_s=0) > 700
    assert all(not report.failing for report in journal.reports())
    assert {item.id for item in store.archives.all()} == {ARCHIVE, OTHER}
    assert store.archives.get(ARCHIVE).damaged_blocks == 1
    assert len(switches(store)) == 1_230
    assert np.isnan(list(switches(store).values())).sum() == 10
    # The rest is merged around it, and the damaged one is still there to be looked at.
    with store.engine.connect() as connection:
        counts = connection.execute(text("select ticks from blocks where archive_id = :id"), {"id": ARCHIVE}).scalars()
        assert 10 in counts.all()


def test_old_blocks_without_checksums_are_read_around_too(three):
    store, blocks = three
    with store.engine.begin() as connection:
        connection.execute(text("update blocks set version = 2 where first_ns = :at"), {"at": blocks[2].first_ns})
    after = switches(store)  # four bytes too many each: none of it can be decoded as it stands
    assert len(after) == 20
    assert store.archives.damage(ARCHIVE)[0].columns in (None, 1, 2)


@pytest.mark.parametrize("directory", [b"\x02", b"", b"\x07\x00\x00\x00", b"\x04" + b"\xff" * 20])
def test_a_directory_that_leads_nowhere_loses_its_block_alone(three, directory):
    store, blocks = three
    with store.engine.begin() as connection:
        changed = "update blocks set directory = :directory where first_ns = :first"
        connection.execute(text(changed), {"directory": directory, "first": blocks[1].first_ns})
    after = switches(store)
    assert len(after) in (20, 30)
    assert np.isfinite(list(after.values())).sum() == 20
    assert len(store.archives.damage(ARCHIVE)) >= 1


def test_trimming_and_copying_go_around_damage(three):
    store, blocks = three
    flip(store, blocks[1].first_ns, data_offset(blocks[1], 1))
    window = Window(BEGIN_NS + 5 * NS_PER_S, BEGIN_NS + 15 * NS_PER_S)
    copied = store.archives.copy(ARCHIVE, window, "part")
    assert len(switches(store, copied)) == 5
    store.archives.trim(ARCHIVE, window)
    assert len(switches(store)) == 5
    assert len(store.archives.damage(ARCHIVE)) == 1


def test_damaged_rollups_are_made_again(simulated_archive):
    store, archive = simulated_archive
    measure = [SeriesKey(measure_named("cpu.busy"), None)]
    journal = Journal()
    maintain(store, journal)

    def minutes():
        with store.reading(archive) as reader:
            begin_ns = reader.extent.first_ns // (60 * NS_PER_S) * 60 * NS_PER_S
            return rolled(reader, measure, (begin_ns, begin_ns + 600 * 60 * NS_PER_S), 60)[0].mean.tolist()

    before = minutes()
    with store.reading(archive) as reader:
        assert reader.rows("select count(*) from rollups", {})[0][0] > 0
    with store.engine.begin() as connection:
        connection.execute(text("update rollups set data = set_byte(data, 3, get_byte(data, 3) # 1)"))
    assert store.archives.verify_rollups(archive)[0].where == "rollups"
    assert minutes() == pytest.approx(before, nan_ok=True)  # from the ticks
    maintain(store, journal)
    assert not any(report.failing for report in journal.reports())
    assert store.archives.verify_rollups(archive) == []
    assert minutes() == pytest.approx(before, nan_ok=True)


def test_the_scrubber_finds_damage_that_none_reads(three):
    store, blocks = three
    flip(store, blocks[2].first_ns, data_offset(blocks[2], CLOCKS + 1))
    journal = Journal()
    while scrub(store, journal, most_blocks=64, every_s=3_600):
        pass
    assert store.check() == {ARCHIVE: 1}
    assert next(report for report in journal.reports() if report.task is Task.SCRUBBING).failing == []


def test_what_is_whole_again_is_struck_out(three):
    store, blocks = three
    at = data_offset(blocks[1], CLOCKS)
    flip(store, blocks[1].first_ns, at)
    assert len(store.archives.verify(ARCHIVE, CheckPosition(), 100).damage) == 1
    flip(store, blocks[1].first_ns, at)
    found = store.archives.verify(ARCHIVE, CheckPosition(), 100)
    assert (found.checked, found.damage, found.next) == (3, [], None)
    assert store.archives.damage() == []


@pytest.fixture
def own_cluster(tmp_path_factory):
    folder = tmp_path_factory.mktemp("damaged")
    for above in (folder, *list(folder.parents)[:3]):
        above.chmod(0o755)
    cluster = Cluster(folder / "database")
    cluster.make()
    cluster.start()
    store = Store(cluster.url)
    store.migrate()
    yield cluster, store
    store.close()
    cluster.stop()


def fill(store):
    """Two archives with everything in them that has a table."""
    for number, archive in enumerate((ARCHIVE, OTHER)):
        host = UUID(int=1_000 + number)
        store.archives.register(host=HostInfo(host, f"host {number}"), archive=archive, name=f"archive {number}",
                       source="recorded", facts=HostFacts(cores=2))  # fmt: skip
        store.add_schema(archive, a_schema())
        for start in range(0, 3_000, 100):
            store.append(archive, [noisy(archive, start)])
    with store.engine.begin() as connection:
        connection.execute(text("analyze blocks"))  # as the database does by itself within a minute


def noisy(archive, start):
    """A block of 100 ticks of which a page holds four."""
    at_ns = tick_times(100, start=start)
    values = np.random.default_rng(start).integers(0, 1 << 62, (100, 2))
    return encode_block(
        Stretch(BEGIN_NS + at_ns, at_ns + NS_PER_S, values), archive=archive, boot=BOOT, schema=a_schema().digest,
        interval_ns=NS_PER_S,
    )  # fmt: skip


def flip_on_disk(cluster, store, table, *, page=0):
    """Stop the database, flip a bit in the file of a table, and start it again."""
    with store.engine.begin() as connection:
        path = connection.execute(text(f"select pg_relation_filepath('{table}')")).scalar_one()
    cluster.stop()
    with (cluster.data / path).open("r+b") as file:
        file.seek(page * 8_192 + 5_000)
        byte = file.read(1)
        file.seek(-1, 1)
        file.write(bytes((byte[0] ^ 16,)))
    cluster.start()


def test_a_damaged_page_of_blocks_costs_no_more_than_its_blocks(own_cluster):
    cluster, store = own_cluster
    fill(store)
    flip_on_disk(cluster, store, "blocks")
    listed = {item.id: item for item in store.archives.all()}
    assert set(listed) == {ARCHIVE, OTHER}
    seen = {archive: len(switches(store, archive)) for archive in (ARCHIVE, OTHER)}
    assert sum(seen.values()) < 6_000  # something is lost
    assert max(seen.values()) == 3_000  # of one archive alone
    assert min(seen.values()) > 2_000
    hurt = min(seen, key=lambda archive: seen[archive])
    assert store.archives.damage(hurt)
    journal = Journal()
    store.append(hurt, [a_block(100, start=4_000, archive=hurt)])
    maintain(store, journal)
    assert not any(failing.archive != hurt for report in journal.reports() for failing in report.failing)
    with store.reading(hurt) as reader:
        reasons = [gap.reason for gap in reader.gaps(Window(BEGIN_NS, BEGIN_NS + 5_000 * NS_PER_S))]
    assert any(reason and reason.startswith("damaged") for reason in reasons)


def test_a_damaged_page_of_any_table_is_said_and_costs_no_others(own_cluster):
    cluster, store = own_cluster
    fill(store)
    with TestClient(create_app(store, Settings(allowed_hosts=["testserver"]))) as client:
        client.put("/api/plans/p", json={"name": "p"})
        marker = [{"at": "2026-11-12T09:00:00Z", "text": "here"}]
        for archive in (ARCHIVE, OTHER):
            assert client.post(f"/api/archives/{archive}/markers", json=marker).status_code == 204
            name = {"kind": "disk", "device": "sda", "name": "the fast one"}
            assert client.put(f"/api/archives/{archive}/names", json=name).status_code == 200
        with store.engine.connect() as connection:
            filled = [
                table.name
                for table in Base.metadata.sorted_tables
                if connection.execute(text(f"select 1 from {table.name} limit 1")).first()
            ]
        assert {"hosts", "archives", "schemas", "columns", "plans", "markers", "device_names", "facts"} <= set(filled)
        for table in filled:
            flip_on_disk(cluster, store, table)
            answers = {
                path: client.get(path).status_code
                for path in ("/api/archives", "/api/plans", "/api/recorders", "/api/measures",
                             f"/api/archives/{ARCHIVE}/series?measure=cpu.switches",
                             f"/api/archives/{ARCHIVE}/markers", f"/api/archives/{ARCHIVE}/diagnosis")
            }  # fmt: skip
            assert set(answers.values()) <= {200, 503}, (table, answers)
            assert answers["/api/measures"] == 200
            found = client.post("/api/check-tables").json()
            if table != "blocks":
                assert [match["where"] for match in found if match["where"] == f"table {table}"], (table, found)
            flip_on_disk(cluster, store, table)  # and back
            assert client.get("/api/archives").status_code == 200, table


INDEX_PAGE = 1
"""Page 0 of a B-tree tells where its root is, which is page 1 as long as it is small."""


def test_a_damaged_index_is_said_and_built_again(own_cluster):
    """The rows are whole: docs/operation.md names the remedy."""
    cluster, store = own_cluster
    fill(store)
    paths = ("/api/archives", f"/api/archives/{ARCHIVE}", f"/api/archives/{ARCHIVE}/series?measure=cpu.switches")
    indexes = ("blocks_pkey", "blocks_last", "archives_pkey", "columns_pkey", "schemas_pkey")
    missed = set()
    with TestClient(create_app(store, Settings(allowed_hosts=["testserver"]))) as client:
        whole = {path: client.get(path).json() for path in paths}
        for index in indexes:
            flip_on_disk(cluster, store, index, page=INDEX_PAGE)
            answers = {path: client.get(path) for path in paths}
            assert {answer.status_code for answer in answers.values()} <= {200, 503}, index
            assert all("damaged" in answer.text for answer in answers.values() if answer.status_code == 503), index
            missed |= {index for path, answer in answers.items() if answer.json() != whole[path]}
            with store.engine.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
                connection.execute(text("reindex database postgres"))
            assert {path: client.get(path).json() for path in paths} == whole, index
        assert "blocks_pkey" in missed  # small tables are read without their indexes
        assert client.post("/api/check-tables").json() == []
        assert store.archives.verify(ARCHIVE, CheckPosition(), 1_000).damage == []
