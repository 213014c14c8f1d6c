"""What people decide about archives: nothing else is touched, and what was deleted can be taken back for a while."""

import time
from uuid import UUID

import pytest
from sqlalchemy import text

from builders import ARCHIVE, BEGIN_NS, HOST, a_block
from reditus.core.bins import Window
from reditus.core.facts import HostFacts
from reditus.core.markers import Marker
from reditus.core.plan import Plan
from reditus.core.types import NS_PER_S
from reditus.store import ArchiveProtected, HostInfo, NothingThere, UnknownArchive, life
from reditus.store.life import (
    copy_stretch,
    delete_archive,
    describe,
    due_for_removal,
    remove_archive,
    restore_archive,
    trim,
)
from reditus.store.markers import add_markers, read_markers
from reditus.store.plans import Announced, announce, expire_recorder, put_plan
from reditus.store.reader import gaps_in

LATER = UUID(int=78)
AFTER_UNDO_NS = int(life.UNDO_S + 1) * NS_PER_S


def remove_deleted(session, now_ns):
    return sum(remove_archive(session, archive, now_ns) for archive in due_for_removal(session, now_ns))


def stretch(start_s, end_s):
    return Window(BEGIN_NS + int(start_s * NS_PER_S), BEGIN_NS + int(end_s * NS_PER_S))


def seconds(store, timeline):
    """The seconds after the beginning of which there are ticks."""
    with store.reading(timeline) as reader:
        groups = reader.frame(list(reader.known), None).groups
    return ((groups[0].timebase.wall_ns - BEGIN_NS) // NS_PER_S).tolist() if groups else []


def marked(store, archive):
    told = store.during(
        lambda session: read_markers(session, archive, stretch(-100, 1_000), worse_than="debug", limit=9)
    )
    return [one.ident for one in told.markers]


@pytest.fixture
def filled(known):
    """Ten blocks of ten seconds, a gap of ten, and ten seconds more; a marker in each half."""
    known.append(ARCHIVE, [a_block(10, start=at) for at in range(0, 100, 10)])
    known.append(ARCHIVE, [a_block(10, start=110)])
    remarks = [Marker(name, BEGIN_NS + at * NS_PER_S, "note", name) for name, at in (("early", 5), ("late", 95))]
    known.during(lambda session: add_markers(session, ARCHIVE, remarks))
    return known


def beside(store):
    """Another archive of the host."""
    store.register(host=HostInfo(HOST, "testbed"), archive=LATER, name="later", source="recorded", facts=HostFacts())
    store.append(LATER, [a_block(5, start=200, archive=LATER)])


def test_trimming_keeps_the_stretch_to_the_tick(filled):
    beside(filled)
    trimmed = filled.during(lambda session: trim(session, ARCHIVE, stretch(15, 42)))
    assert seconds(filled, ARCHIVE) == list(range(15, 42))
    assert trimmed.removed_ticks == 110 - 27
    assert marked(filled, ARCHIVE) == []
    assert seconds(filled, LATER) == list(range(200, 205))


def test_trimming_to_nothing_is_refused(filled):
    with pytest.raises(NothingThere, match="no ticks in that stretch"):
        filled.during(lambda session: trim(session, ARCHIVE, stretch(500, 600)))
    assert len(seconds(filled, ARCHIVE)) == 110


def test_trimming_to_a_gap_that_lies_within_a_block_is_refused(filled):
    filled.seal()
    with pytest.raises(NothingThere):
        filled.during(lambda session: trim(session, ARCHIVE, stretch(101, 108)))
    assert len(seconds(filled, ARCHIVE)) == 110


def test_a_protected_archive_loses_nothing(filled):
    filled.during(lambda session: describe(session, ARCHIVE, {"protected": True}))
    for take in (delete_archive, lambda session, archive: trim(session, archive, stretch(0, 10))):
        with pytest.raises(ArchiveProtected, match="'trial' is protected"):
            filled.during(lambda session, take=take: take(session, ARCHIVE))
    follow_plan(filled, keep="1h")
    assert filled.during(lambda session: expire_recorder(session, ARCHIVE, time.time_ns() + 10**18)) == 0
    assert len(seconds(filled, ARCHIVE)) == 110


def follow_plan(store, *, keep):
    plan = Plan.from_json({"name": "short", "keep": keep})
    store.during(lambda session: put_plan(session, plan))
    told = Announced(ARCHIVE, HostInfo(HOST, "testbed"), "trial", "short", {"started_ms": 1})
    store.during(lambda session: announce(session, told))


def test_a_plan_lets_old_blocks_go_and_their_rollups(filled):
    follow_plan(filled, keep="1h")
    now_ns = BEGIN_NS + (3_600 + 50) * NS_PER_S
    assert filled.during(lambda session: expire_recorder(session, ARCHIVE, now_ns)) == 5
    assert seconds(filled, ARCHIVE)[0] == 50


def test_a_copy_is_an_archive_of_its_own(filled):
    fresh = filled.during(lambda session: copy_stretch(session, ARCHIVE, stretch(5, 25), "the evening"))
    assert seconds(filled, fresh) == list(range(5, 25))
    assert marked(filled, fresh) == ["early"]
    told = filled.archive(fresh)
    assert (told.name, told.host.name, told.facts.cores, told.source) == ("the evening", "testbed", 2, "recorded")
    filled.during(lambda session: delete_archive(session, ARCHIVE))
    filled.during(lambda session: remove_deleted(session, time.time_ns() + AFTER_UNDO_NS))
    assert seconds(filled, fresh) == list(range(5, 25))


def test_a_copy_of_a_host_s_time_joins_its_archives(filled):
    beside(filled)
    fresh = filled.during(lambda session: copy_stretch(session, HOST, stretch(115, 203), "across"))
    assert seconds(filled, fresh) == [115, 116, 117, 118, 119, 200, 201, 202]


def test_copying_nothing_makes_nothing(filled):
    with pytest.raises(NothingThere):
        filled.during(lambda session: copy_stretch(session, ARCHIVE, stretch(500, 600), "empty"))
    assert len(filled.archives()) == 1


def test_a_deletion_can_be_taken_back_until_it_is_carried_out(filled):
    beside(filled)
    filled.during(lambda session: delete_archive(session, ARCHIVE))
    filled.seal()
    assert filled.archive(ARCHIVE).deleted_ns is not None
    assert len(seconds(filled, ARCHIVE)) == 110
    # Meanwhile the host's timeline goes without it.
    assert seconds(filled, HOST) == list(range(200, 205))
    filled.during(lambda session: restore_archive(session, ARCHIVE))
    assert filled.during(lambda session: remove_deleted(session, time.time_ns() + AFTER_UNDO_NS)) == 0
    assert filled.archive(ARCHIVE).deleted_ns is None


def test_what_is_removed_is_gone_and_the_rest_is_untouched(filled):
    beside(filled)
    filled.during(lambda session: delete_archive(session, ARCHIVE))
    assert filled.during(lambda session: remove_deleted(session, time.time_ns() + AFTER_UNDO_NS)) == 1
    with pytest.raises(UnknownArchive):
        filled.archive(ARCHIVE)
    with pytest.raises(UnknownArchive):
        filled.during(lambda session: restore_archive(session, ARCHIVE))
    with filled._engine.connect() as connection:
        for table in ("blocks", "markers", "facts", "processes", "rollups", "rollup_reach"):
            asked = text(f"select count(*) from {table} where archive_id = :archive")
            assert connection.execute(asked, {"archive": ARCHIVE}).scalar() == 0, table
    assert seconds(filled, LATER) == list(range(200, 205))


def test_a_recorder_that_goes_on_begins_a_deleted_archive_anew(filled):
    filled.during(lambda session: delete_archive(session, ARCHIVE))
    assert filled.append(ARCHIVE, [a_block(5, start=120)]).stored_ticks == 5
    filled.during(lambda session: remove_deleted(session, time.time_ns() + AFTER_UNDO_NS))
    with pytest.raises(UnknownArchive):
        filled.append(ARCHIVE, [a_block(5, start=130)])
    filled.register(host=HostInfo(HOST, "testbed"), archive=ARCHIVE, name="trial", source="recorded", facts=HostFacts())
    filled.append(ARCHIVE, [a_block(5, start=130)])
    assert seconds(filled, ARCHIVE) == list(range(130, 135))


def test_gaps_are_told_with_their_reasons(filled):
    filled.append(ARCHIVE, [a_block(5, start=140), a_block(5, start=160, boot=LATER)])
    lost = Marker("gap/1", BEGIN_NS + 99 * NS_PER_S, "gap", "the spool was full", end_ns=BEGIN_NS + 110 * NS_PER_S)
    filled.during(lambda session: add_markers(session, ARCHIVE, [lost]))
    with filled.reading(ARCHIVE) as reader:
        gaps = gaps_in(reader, stretch(0, 1_000))
        assert not gaps_in(reader, stretch(0, 50))
    told = [((gap.start_ns - BEGIN_NS) // NS_PER_S, (gap.end_ns - BEGIN_NS) // NS_PER_S, gap.reason) for gap in gaps]
    assert told == [
        (99, 109, "the spool was full"), (119, 139, None), (144, 159, "the machine was started again in between"),
    ]  # fmt: skip


def test_a_name_and_notes_are_kept_when_the_recorder_reports_again(filled):
    filled.during(
        lambda session: describe(session, ARCHIVE, {"name": "the old disks", "notes": "before the new disks"})
    )
    filled.register(host=HostInfo(HOST, "testbed"), archive=ARCHIVE, name="trial", source="recorded", facts=HostFacts())
    told = filled.archive(ARCHIVE)
    assert (told.name, told.notes) == ("the old disks", "before the new disks")
