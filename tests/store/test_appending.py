"""Batches of many senders go into few transactions; each is taken whole or not at all, and none suffers from another."""

from concurrent.futures import ThreadPoolExecutor
from uuid import UUID

import pytest
from sqlalchemy import event, text

from builders import a_block, a_layout
from reditus.core.batches import Batch
from reditus.core.facts import HostFacts
from reditus.core.identities import Identities, Identity
from reditus.store import BlockClash, HostInfo, Stored, UnknownArchive

HOSTS = [(UUID(int=1_000 + at), UUID(int=2_000 + at)) for at in range(20)]


@pytest.fixture
def crowd(store):
    """A store that knows many hosts with an archive each."""
    for at, (host, archive) in enumerate(HOSTS):
        store.register(
            host=HostInfo(host, f"host {at}"), archive=archive, name="x", source="recorded", facts=HostFacts()
        )
        store.add_layout(archive, a_layout())
    return store


def counts(store):
    with store._engine.connect() as connection:
        rows = connection.execute(text("select archive_id, sum(ticks) from blocks group by 1"))
        return {UUID(str(archive)): int(ticks) for archive, ticks in rows}


def batch(archive, ticks=3, start=0):
    return Batch([a_block(ticks, start=start, archive=archive)], [], [])


def commits(store):
    """Counts the transactions that are committed from now on."""
    seen = []
    event.listen(store._engine, "commit", seen.append)
    return seen


def test_many_senders_share_transactions(crowd):
    committed = commits(crowd)
    asked = [crowd.submit(archive, batch(archive, start=3 * at)) for at in range(10) for _, archive in HOSTS]
    assert {one.result() for one in asked} == {Stored(3, 0, one.result().last_ns) for one in asked}
    assert len(committed) < len(asked) / 4
    assert counts(crowd) == {archive: 30 for _, archive in HOSTS}


def test_the_same_batch_from_many_threads_is_stored_once(crowd):
    _, archive = HOSTS[0]
    with ThreadPoolExecutor(8) as pool:
        stored = list(pool.map(lambda _: crowd.append(archive, [a_block(5, archive=archive)]), range(40)))
    assert sum(one.stored_ticks for one in stored) == 5
    assert counts(crowd) == {archive: 5}


def test_one_that_is_refused_leaves_the_others_alone(crowd):
    good, other, stranger = HOSTS[0][1], HOSTS[1][1], UUID(int=5)
    asked = [
        crowd.submit(good, batch(good)),
        crowd.submit(stranger, batch(stranger)),
        crowd.submit(other, batch(good)),
        crowd.submit(other, batch(other)),
    ]
    assert asked[0].result().stored_ticks == asked[3].result().stored_ticks == 3
    with pytest.raises(UnknownArchive):
        asked[1].result()
    with pytest.raises(BlockClash):
        asked[2].result()


def test_what_the_database_will_not_have_harms_nobody_else(crowd):
    good, bad = HOSTS[0][1], HOSTS[1][1]
    # A name with a null character cannot be stored as text; nothing of that batch is.
    poison = Identities(bad, UUID(int=9), (Identity(1, 1, "a\0b", "root", "/", 0, None),))
    asked = [
        crowd.submit(good, batch(good)),
        crowd.submit(bad, Batch([a_block(3, archive=bad)], [poison], [])),
        crowd.submit(good, batch(good, start=3)),
    ]
    assert [asked[at].result().stored_ticks for at in (0, 2)] == [3, 3]
    assert asked[1].exception() is not None
    assert counts(crowd) == {good: 6}


def test_blocks_come_back_as_they_were_sent(crowd):
    host, archive = HOSTS[0]
    sent = a_block(700, archive=archive)
    crowd.append(archive, [sent])
    with crowd._engine.connect() as connection:
        row = connection.execute(text("select * from blocks")).one()
    assert (row.host_id, row.archive_id, row.boot) == (host, archive, sent.boot)
    assert (row.first_ns, row.last_ns, row.interval_ns, row.ticks) == (
        sent.first_ns, sent.last_ns, sent.interval_ns, sent.ticks,
    )  # fmt: skip
    assert (tuple(row.offsets), bytes(row.data)) == (sent.offsets, sent.data)
