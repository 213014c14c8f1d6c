"""Batches of many senders go into few transactions; each is taken whole or not at all, and none suffers
from another.
"""

from concurrent.futures import ThreadPoolExecutor
from uuid import UUID

import pytest
from sqlalchemy import event, text

from builders import BEGIN_NS, a_block, a_schema
from reditus.analysis.maintenance import Journal, maintain
from reditus.core.batches import Batch
from reditus.core.facts import HostFacts
from reditus.core.identities import Identities, Identity
from reditus.core.markers import Marker, Markers
from reditus.store import BlockConflict, HostInfo, Stored, UnknownArchive
from reditus.store.database.offset_table import directory_in
from reditus.store.ingest.commit_groups import Append

HOSTS = [(UUID(int=1_000 + at), UUID(int=2_000 + at)) for at in range(20)]


@pytest.fixture
def crowd(store):
    """A store that knows many hosts with an archive each."""
    for at, (host, archive) in enumerate(HOSTS):
        store.archives.register(
            host=HostInfo(host, f"host {at}"), archive=archive, name="x", source="recorded", facts=HostFacts()
        )
        store.add_schema(archive, a_schema())
    return store


def counts(store):
    with store.engine.connect() as connection:
        rows = connection.execute(text("select archive_id, sum(ticks) from blocks group by 1"))
        return {UUID(str(archive)): int(ticks) for archive, ticks in rows}


def batch(archive, ticks=3, start=0):
    return Batch([a_block(ticks, start=start, archive=archive)], [], [])


def commits(store):
    """Counts the transactions that are committed from now on."""
    seen = []
    event.listen(store.engine, "commit", seen.append)
    return seen


def test_many_senders_share_transactions(crowd):
    committed = commits(crowd)
    requested = [crowd.submit(archive, batch(archive, start=3 * at)) for at in range(10) for _, archive in HOSTS]
    assert {request.result() for request in requested} == {
        Stored(3, 0, request.result().last_ns) for request in requested
    }
    assert len(committed) < len(requested) / 4
    assert counts(crowd) == {archive: 30 for _, archive in HOSTS}


def test_the_same_batch_from_many_threads_is_stored_once(crowd):
    _, archive = HOSTS[0]
    with ThreadPoolExecutor(8) as pool:
        stored = list(pool.map(lambda _: crowd.append(archive, [a_block(5, archive=archive)]), range(40)))
    assert sum(item.stored_ticks for item in stored) == 5
    assert counts(crowd) == {archive: 5}


def test_one_that_is_refused_leaves_the_others_alone(crowd):
    good, other, stranger = HOSTS[0][1], HOSTS[1][1], UUID(int=5)
    requested = [
        crowd.submit(good, batch(good)),
        crowd.submit(stranger, batch(stranger)),
        crowd.submit(other, batch(good)),
        crowd.submit(other, batch(other)),
    ]
    assert requested[0].result().stored_ticks == requested[3].result().stored_ticks == 3
    with pytest.raises(UnknownArchive):
        requested[1].result()
    with pytest.raises(BlockConflict):
        requested[2].result()


def test_what_the_database_will_not_have_harms_none_else(crowd):
    good, bad = HOSTS[0][1], HOSTS[1][1]
    # A name with a null character cannot be stored as text; nothing of that batch is.
    poison = Identities(bad, UUID(int=9), (Identity(1, 1, "a\0b", "root", "/", 0, None),))
    requested = [
        crowd.submit(good, batch(good)),
        crowd.submit(bad, Batch([a_block(3, archive=bad)], [poison], [])),
        crowd.submit(good, batch(good, start=3)),
    ]
    assert [requested[at].result().stored_ticks for at in (0, 2)] == [3, 3]
    assert requested[1].exception() is not None
    assert counts(crowd) == {good: 6}


def test_where_batches_cannot_be_reported_apart_none_waits_for_ever(crowd, monkeypatch):
    def broken(_):
        raise RuntimeError("of no use")

    monkeypatch.setattr(crowd.appender.known, "parts", broken)
    requested = [crowd.submit(archive, batch(archive)) for _, archive in HOSTS[:3]]
    unknown = crowd.submit(UUID(int=404), batch(UUID(int=404)))
    assert [request.result(timeout=30).stored_ticks for request in requested] == [3] * 3
    with pytest.raises(UnknownArchive):
        unknown.result(timeout=30)


def test_blocks_come_back_as_they_were_sent(crowd):
    host, archive = HOSTS[0]
    sent = a_block(700, archive=archive)
    crowd.append(archive, [sent])
    with crowd.engine.connect() as connection:
        row = connection.execute(text("select * from blocks")).one()
    assert (row.host_id, row.archive_id, row.boot) == (host, archive, sent.boot)
    assert (row.first_ns, row.last_ns, row.interval_ns, row.ticks) == (
        sent.first_ns, sent.last_ns, sent.interval_ns, sent.ticks,
    )  # fmt: skip
    assert (directory_in(bytes(row.directory)), bytes(row.data)) == (sent.directory, sent.data)


def boots(store):
    with store.engine.connect() as connection:
        return connection.execute(text("select archive_id, boot, pid, name from processes order by pid")).all()


def without_sessions(store):
    """Let only the quick way append from now on."""

    def refuse():
        pytest.fail("the long way was taken")

    store.appender.sessions = refuse


def test_the_usual_append_is_one_call(crowd):
    """Once archives and schemas are known: newer blocks, alone or together, and who processes are."""
    for _, archive in HOSTS:
        crowd.append(archive, [a_block(3, archive=archive)])
    without_sessions(crowd)
    (_, one), (_, other) = HOSTS[:2]
    answer = Identities(one, UUID(int=9), (Identity(7, 1, "indexer", "root", "/", 1, None),))
    assert crowd.append(one, [a_block(3, start=3, archive=one)], [answer]).stored_ticks == 3
    assert crowd.append(other, [a_block(4, start=3, archive=other)]).stored_ticks == 4
    requested = [crowd.submit(archive, batch(archive, start=10)) for _, archive in HOSTS]
    assert {future.result().stored_ticks for future in requested} == {3}
    assert counts(crowd)[one] == 9
    assert counts(crowd)[other] == 10
    assert [(UUID(str(row.archive_id)), row.pid, row.name) for row in boots(crowd)] == [(one, 7, "indexer")]


def test_what_is_unusual_goes_the_long_way(crowd):
    """Late, repeated and overlapping ticks, two blocks of a kind, and ticks of what is rolled up already."""
    _, archive = HOSTS[0]
    crowd.append(archive, [a_block(3, start=10, archive=archive)])
    late = crowd.append(archive, [a_block(3, archive=archive)])
    assert (late.stored_ticks, late.repeated_ticks) == (3, 0)
    again = crowd.append(archive, [a_block(5, start=10, archive=archive)])
    assert (again.stored_ticks, again.repeated_ticks) == (2, 3)
    twice = crowd.append(archive, [a_block(3, start=20, archive=archive), a_block(4, start=21, archive=archive)])
    assert (twice.stored_ticks, twice.repeated_ticks) == (5, 2)
    assert counts(crowd) == {archive: 13}


def test_an_archive_that_is_gone_is_refused_by_the_quick_way_too(crowd):
    (_, gone), (_, there) = HOSTS[:2]
    for archive in (gone, there):
        crowd.append(archive, [a_block(3, archive=archive)])
    crowd.archives.delete(gone)
    maintain(crowd, Journal(), undo_s=-1)
    requested = [crowd.submit(archive, batch(archive, start=3)) for archive in (gone, there)]
    with pytest.raises(UnknownArchive):
        requested[0].result()
    assert requested[1].result().stored_ticks == 3
    assert counts(crowd) == {there: 6}


def test_one_unusual_batch_holds_up_none_of_the_others(crowd):
    (_, one), (_, other), (_, third) = HOSTS[:3]
    for archive in (one, other, third):
        crowd.append(archive, [a_block(3, archive=archive)])
    marked = Markers(other, UUID(int=9), (Marker("m", BEGIN_NS, "log", "x"),))
    requested = [
        Append(one, batch(one, start=3)),
        Append(other, Batch([a_block(3, start=3, archive=other)], [], [marked])),
        Append(other, batch(other, start=6)),
        Append(one, batch(one, start=6)),
        Append(third, batch(third, start=3)),
        Append(UUID(int=5), batch(UUID(int=5))),
    ]
    usual, others = crowd.appender.known.parts(requested)
    # What comes behind an unusual batch, or another of its own archive, waits for it.
    assert (usual.appends, others.appends) == (
        [requested[0], requested[4]],
        [requested[1], requested[2], requested[3], requested[5]],
    )
    assert [block.archive for _, _, block in usual.usual.rows] == [one, third]
    assert others.usual is None


def test_an_archive_that_began_again_on_another_host_is_that_host_s(crowd):
    """What is remembered of an archive may be of one that is gone."""
    (_, archive), (elsewhere, _) = HOSTS[:2]
    crowd.append(archive, [a_block(3, archive=archive)])
    crowd.archives.delete(archive)
    maintain(crowd, Journal(), undo_s=-1)
    crowd.archives.register(
        host=HostInfo(elsewhere, "other"), archive=archive, name="x", source="recorded", facts=HostFacts()
    )
    assert crowd.append(archive, [a_block(3, start=3, archive=archive)]).stored_ticks == 3
    with crowd.engine.connect() as connection:
        assert connection.execute(text("select host_id, ticks from blocks")).all() == [(elsewhere, 3)]
