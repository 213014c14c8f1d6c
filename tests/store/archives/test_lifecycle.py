"""What people decide about archives: nothing else is touched, and what was deleted can be taken back for a while."""

import time
from uuid import UUID

import pytest
from sqlalchemy import text

from builders import ARCHIVE, BEGIN_NS, HOST, a_block
from reditus.analysis.maintenance import Journal, maintain
from reditus.core.facts import HostFacts
from reditus.core.markers import Marker
from reditus.core.plan import Plan
from reditus.core.types import NS_PER_S
from reditus.core.window import Window
from reditus.store import ArchiveProtected, EmptyWindow, HostInfo, UnknownArchive
from reditus.store.archives.log_lines import LineChoice
from reditus.store.archives.plans import Announced

LATER = UUID(int=78)


def remove_deleted(store, undo_s=-1.0):
    """Remove what was deleted, as if the time to undo it were over; unless `undo_s` says that it is not."""
    return sum(store.upkeep.remove(archive, undo_s) for archive in store.upkeep.due_for_removal(undo_s))


def stretch(start_s, end_s):
    return Window(BEGIN_NS + int(start_s * NS_PER_S), BEGIN_NS + int(end_s * NS_PER_S))


def seconds(store, timeline):
    """The seconds after the beginning of which there are ticks."""
    with store.reading(timeline) as reader:
        groups = reader.frame(list(reader.known), None).groups
    return ((groups[0].timebase.wall_ns - BEGIN_NS) // NS_PER_S).tolist() if groups else []


def marked(store, archive):
    answer = store.markers.read(archive, stretch(-100, 1_000), LineChoice(), 9)
    return [marker.ident for marker in answer.markers]


@pytest.fixture
def filled(known):
    """Ten blocks of ten seconds, a gap of ten, and ten seconds more; a marker in each half."""
    known.append(ARCHIVE, [a_block(10, start=at) for at in range(0, 100, 10)])
    known.append(ARCHIVE, [a_block(10, start=110)])
    remarks = [Marker(name, BEGIN_NS + at * NS_PER_S, "note", name) for name, at in (("early", 5), ("late", 95))]
    known.markers.add(ARCHIVE, remarks)
    return known


def beside(store):
    """Another archive of the host."""
    store.archives.register(
        host=HostInfo(HOST, "testbed"), archive=LATER, name="later", source="recorded", facts=HostFacts()
    )
    store.append(LATER, [a_block(5, start=200, archive=LATER)])


def test_trimming_keeps_the_stretch_to_the_tick(filled):
    beside(filled)
    trimmed = filled.archives.trim(ARCHIVE, stretch(15, 42))
    assert seconds(filled, ARCHIVE) == list(range(15, 42))
    assert trimmed.removed_ticks == 110 - 27
    assert marked(filled, ARCHIVE) == []
    assert seconds(filled, LATER) == list(range(200, 205))


def test_trimming_to_nothing_is_refused(filled):
    with pytest.raises(EmptyWindow, match="no ticks in that stretch"):
        filled.archives.trim(ARCHIVE, stretch(500, 600))
    assert len(seconds(filled, ARCHIVE)) == 110


def test_trimming_to_a_gap_that_lies_within_a_block_is_refused(filled):
    maintain(filled, Journal())
    with pytest.raises(EmptyWindow):
        filled.archives.trim(ARCHIVE, stretch(101, 108))
    assert len(seconds(filled, ARCHIVE)) == 110


def test_a_protected_archive_loses_nothing(filled):
    filled.archives.describe(ARCHIVE, {"protected": True})
    with pytest.raises(ArchiveProtected, match="'trial' is protected"):
        filled.archives.delete(ARCHIVE)
    with pytest.raises(ArchiveProtected, match="'trial' is protected"):
        filled.archives.trim(ARCHIVE, stretch(0, 10))
    follow_plan(filled, keep="1h")
    assert filled.recorders.expire(ARCHIVE, time.time_ns() + 10**18) == 0
    assert len(seconds(filled, ARCHIVE)) == 110


def follow_plan(store, *, keep):
    plan = Plan.from_json({"name": "short", "keep": keep})
    store.plans.put(plan)
    answer = Announced(ARCHIVE, HostInfo(HOST, "testbed"), "trial", "short", {"started_ms": 1})
    store.recorders.announce(answer)


def test_a_plan_lets_old_blocks_go_and_their_rollups(filled):
    follow_plan(filled, keep="1h")
    now_ns = BEGIN_NS + (3_600 + 50) * NS_PER_S
    assert filled.recorders.expire(ARCHIVE, now_ns) == 5
    assert seconds(filled, ARCHIVE)[0] == 50


def test_a_copy_is_an_archive_of_its_own(filled):
    fresh = filled.archives.copy(ARCHIVE, stretch(5, 25), "the evening")
    assert seconds(filled, fresh) == list(range(5, 25))
    assert marked(filled, fresh) == ["early"]
    answer = filled.archives.get(fresh)
    assert (answer.name, answer.host.name, answer.facts.cores, answer.source) == (
        "the evening",
        "testbed",
        2,
        "recorded",
    )
    filled.archives.delete(ARCHIVE)
    remove_deleted(filled)
    assert seconds(filled, fresh) == list(range(5, 25))


def test_a_copy_of_a_host_s_time_joins_its_archives(filled):
    beside(filled)
    fresh = filled.archives.copy(HOST, stretch(115, 203), "across")
    assert seconds(filled, fresh) == [115, 116, 117, 118, 119, 200, 201, 202]


def test_copying_nothing_makes_nothing(filled):
    with pytest.raises(EmptyWindow):
        filled.archives.copy(ARCHIVE, stretch(500, 600), "empty")
    assert len(filled.archives.all()) == 1


def test_a_deletion_can_be_taken_back_until_it_is_carried_out(filled):
    beside(filled)
    filled.archives.delete(ARCHIVE)
    maintain(filled, Journal())
    assert filled.archives.get(ARCHIVE).deleted_ns is not None
    assert len(seconds(filled, ARCHIVE)) == 110
    # Meanwhile the host's timeline goes without it.
    assert seconds(filled, HOST) == list(range(200, 205))
    filled.archives.restore(ARCHIVE)
    assert remove_deleted(filled) == 0
    assert filled.archives.get(ARCHIVE).deleted_ns is None


def test_what_is_removed_is_gone_and_the_rest_is_untouched(filled):
    beside(filled)
    filled.archives.delete(ARCHIVE)
    assert remove_deleted(filled) == 1
    with pytest.raises(UnknownArchive):
        filled.archives.get(ARCHIVE)
    with pytest.raises(UnknownArchive):
        filled.archives.restore(ARCHIVE)
    with filled.engine.connect() as connection:
        for table in ("blocks", "markers", "facts", "processes", "rollups", "rollup_reach", "use_bins", "use_reach"):
            requested = text(f"select count(*) from {table} where archive_id = :archive")
            assert connection.execute(requested, {"archive": ARCHIVE}).scalar() == 0, table
    assert seconds(filled, LATER) == list(range(200, 205))


def test_a_recorder_that_goes_on_begins_a_deleted_archive_again(filled):
    filled.archives.delete(ARCHIVE)
    assert filled.append(ARCHIVE, [a_block(5, start=120)]).stored_ticks == 5
    remove_deleted(filled)
    with pytest.raises(UnknownArchive):
        filled.append(ARCHIVE, [a_block(5, start=130)])
    filled.archives.register(
        host=HostInfo(HOST, "testbed"), archive=ARCHIVE, name="trial", source="recorded", facts=HostFacts()
    )
    filled.append(ARCHIVE, [a_block(5, start=130)])
    assert seconds(filled, ARCHIVE) == list(range(130, 135))


def test_gaps_are_reported_with_their_reasons(filled):
    filled.append(ARCHIVE, [a_block(5, start=140), a_block(5, start=160, boot=LATER)])
    lost = Marker("gap/1", BEGIN_NS + 99 * NS_PER_S, "gap", "the spool was full", end_ns=BEGIN_NS + 110 * NS_PER_S)
    filled.markers.add(ARCHIVE, [lost])
    with filled.reading(ARCHIVE) as reader:
        gaps = reader.gaps(stretch(0, 1_000))
        assert not reader.gaps(stretch(0, 50))
    answer = [((gap.start_ns - BEGIN_NS) // NS_PER_S, (gap.end_ns - BEGIN_NS) // NS_PER_S, gap.reason) for gap in gaps]
    assert answer == [
        (99, 109, "the spool was full"), (119, 139, None), (144, 159, "the machine was started again in between"),
    ]  # fmt: skip


def test_a_name_and_notes_are_kept_when_the_recorder_reports_again(filled):
    filled.archives.describe(ARCHIVE, {"name": "the old disks", "notes": "before the new disks"})
    filled.archives.register(
        host=HostInfo(HOST, "testbed"), archive=ARCHIVE, name="trial", source="recorded", facts=HostFacts()
    )
    answer = filled.archives.get(ARCHIVE)
    assert (answer.name, answer.notes) == ("the old disks", "before the new disks")
