"""Weeks of a host: hours are made as rollups grow, stay when ticks go, and tell what changed and what is usual."""

from dataclasses import replace
from uuid import uuid5

import numpy as np
import pytest
from sqlalchemy import text

from databases import keep
from reditus.analysis import normal
from reditus.analysis.diagnosis import SpanCache, diagnose_timeline
from reditus.analysis.hours import grow_hours, kept_series, known_hours
from reditus.analysis.maintenance import Journal, maintain
from reditus.analysis.normal import incidents_of, unusual_map, usual_series, with_unusual
from reditus.analysis.rollups import grow_rollups
from reditus.analysis.series import series_named
from reditus.analysis.weeks import weeks_of
from reditus.analysis.windows import requested_window
from reditus.core.measures import Resource
from reditus.core.normal.hours import HOUR_NS, LOW, MIDDLE, WEEK_HOURS
from reditus.core.types import NS_PER_S
from reditus.core.window import Window
from reditus.exchange.simulated import SimulatedArchive
from reditus.simulator.fernhold import BENCH_4_S, CREEPS_S, EARLIER, HOUR_S, VAULT, WEEKS_BEFORE
from reditus.simulator.scenario import Fault, FaultKind

BEFORE = EARLIER[0].scenario
DAY_NS = 24 * HOUR_NS
SLOW_FROM_S = 5 * HOUR_S
NEXT_DAY = replace(
    BEFORE, archive=uuid5(VAULT.id, "the day after"), name="the day after",
    begin_ns=BEFORE.begin_ns + WEEKS_BEFORE * 7 * DAY_NS,
    length_s=86_400, interval_s=60.0, seed=7,
    works=tuple(replace(work, start_s=0.0 if work.name == "file server" else work.start_s, end_s=86_400.0 if
                        work.name == "file server" else work.end_s) for work in BEFORE.works[1:]),
    # The queue of every disk alike: no rule blames one, and each keeps far below its limit.
    faults=tuple(Fault(FaultKind.SLOW_DISK, SLOW_FROM_S, SLOW_FROM_S + 4 * HOUR_S, name, 9.0) for name in
                 [disk.name for disk in VAULT.disks if disk.name not in ("md0", "sda")]),
)  # fmt: skip


def roll_up(store, archive):
    """All but who used what, which takes longer than all else."""
    more = True
    while more:
        with store.extending_rollups(archive) as reader:
            more = grow_rollups(reader, archive) | grow_hours(reader, archive)


@pytest.fixture
def weeks(store):
    """Three weeks of a host at 300 s, rolled up."""
    archive = keep(store, SimulatedArchive(BEFORE))
    roll_up(store, archive)
    return store, archive


def kept(store, archive):
    with store.reading(archive) as reader:
        return known_hours(reader, Window(0, 1 << 62))


def test_hours_say_what_the_ticks_say(weeks):
    store, archive = weeks
    keys, values, first_ns = kept(store, archive)
    with store.reading(archive) as reader:
        assert {key.name for key in keys} == {key.name for key in kept_series(reader.known, reader.scope.facts)}
        assert {"disk.wait@sdb", "cpu.busy", "filesystem.use@/srv/pictures"} <= {key.name for key in keys}
        at = [key.name for key in keys].index("disk.wait@sdb")
        hour_ns = BEFORE.begin_ns + 100 * HOUR_NS
        frame = reader.frame(list(reader.known), Window(hour_ns + 1, hour_ns + HOUR_NS))
        series = keys[at].measure.derive(frame, "sdb")
    inside = (series.timebase.wall_ns > hour_ns) & (series.timebase.wall_ns <= hour_ns + HOUR_NS)
    place = (hour_ns - first_ns) // HOUR_NS
    # Bins of ten minutes, of two ticks each, lie between the ticks.
    low, high = np.nanmin(series.values[inside]), np.nanmax(series.values[inside])
    assert low * 0.98 <= values[at, place, LOW] <= values[at, place, MIDDLE] <= high * 1.02
    known = ~np.isnan(values[at, :, MIDDLE])
    assert known.sum() == pytest.approx(WEEKS_BEFORE * WEEK_HOURS, abs=2)


def test_hours_are_few_bytes_and_made_once(weeks):
    store, archive = weeks
    with store.engine.connect() as connection:
        sizes = connection.execute(text("select week_ns, octet_length(data) from hours order by 1")).all()
    assert len(sizes) == 4
    assert sum(size for _, size in sizes) / WEEKS_BEFORE < 25_000
    with store.extending_rollups(archive) as reader:
        assert not grow_hours(reader, archive)


def test_late_ticks_are_made_hours_of_again_and_other_weeks_stay(weeks):
    store, archive = weeks
    keys, before, first_ns = kept(store, archive)
    cut_ns = BEFORE.begin_ns + 12 * DAY_NS + 5 * HOUR_NS + 1
    store.drop_rollups(archive, cut_ns)
    _, cut, _ = kept(store, archive)
    place = (cut_ns - first_ns) // HOUR_NS
    at = [key.name for key in keys].index("cpu.busy")
    assert np.isnan(cut[at, place:]).all()
    assert np.allclose(cut[at, :place], before[at, :place], rtol=0.02, equal_nan=True)
    roll_up(store, archive)
    assert np.allclose(kept(store, archive)[1][at], before[at], rtol=0.05, equal_nan=True)


def test_hours_outlive_their_ticks(weeks):
    store, archive = weeks
    before = kept(store, archive)[1]
    store.archives.trim(archive, Window(BEFORE.begin_ns + 14 * DAY_NS, BEFORE.begin_ns + 21 * DAY_NS))
    roll_up(store, archive)
    after = kept(store, archive)[1]
    assert np.array_equal(np.isnan(after[:, :, MIDDLE]).all(axis=0), np.isnan(before[:, :, MIDDLE]).all(axis=0))
    store.drop_rollups(archive)  # as where they are damaged: the old weeks cannot be made again, and stay
    assert (~np.isnan(kept(store, archive)[1][0, :, MIDDLE])).sum() == pytest.approx(14 * 24, abs=4 * 24)


def test_the_story_of_three_weeks_is_read_from_them(weeks):
    store, archive = weeks
    with store.reading(archive) as reader:
        found = weeks_of(reader, requested_window(reader, None, None))
    assert found.knows_weeks
    assert [part.archive for part in found.parts] == [archive]
    assert found.strained[Resource.DISK].how == "daily"
    assert set(found.strained[Resource.DISK].hours) == {1, 2, 3, 4}
    assert found.strained[Resource.MEMORY].how == "never"
    names = [item.lead.key.measure.name for item in found.changes]
    waits = found.changes[names.index("disk.wait")]
    creeping = [stretch for stretch in waits.lead.change.stretches if stretch.creeps]
    assert len(waits.devices) >= 6
    assert creeping
    assert creeping[-1].last > 1.3 * waits.lead.change.stretches[0].first
    assert creeping[0].start * HOUR_S == pytest.approx(CREEPS_S, abs=4 * 24 * HOUR_S)
    # Bench 4 began within 2 % of the length of when it is said to have.
    demand = found.changes[names.index("disk.read.rate")].lead.change.stretches
    assert len(demand) == 2
    assert demand[1].start * HOUR_S == pytest.approx(BENCH_4_S, abs=0.02 * BEFORE.length_s)
    # Waits stand above work.
    assert names.index("disk.wait") < names.index("disk.read.rate")
    (pictures,) = [left for left in found.left if left.key.device == "/srv/pictures"]
    free = 1 - pictures.now
    grown = 0.2 / (WEEKS_BEFORE * 7)
    assert pictures.left.low < free / grown < pictures.left.high


def test_what_is_usual_is_learnt_from_the_weeks_before_and_a_slow_morning_is_unlike_it(weeks):
    store, _ = weeks
    day = keep(store, SimulatedArchive(NEXT_DAY))
    roll_up(store, day)
    memory = SpanCache()
    with store.reading(day) as reader:
        window = requested_window(reader, None, None)
        found = diagnose_timeline(reader, window, memory)
        own = incidents_of(reader, memory)
        wait, busy, unknown = usual_series(
            reader, series_named(reader, ["disk.wait@sdb", "cpu.busy", "cpu.idle"]), window, own
        )
        unusual = unusual_map(reader, window, 96, own)
        judged = with_unusual(reader, found, [], memory)
        assert with_unusual(reader, found, [], memory) is judged
    assert (wait.normal.weeks[:20] == WEEKS_BEFORE).all()
    # The middle week was the slowest of those three but one.
    assert 0.003 < wait.normal.middle[12] < 0.02
    assert wait.outside > 0.1
    assert busy.outside < 0.2
    assert unknown.normal is None
    hours = (unusual.edges_ns[:-1] - NEXT_DAY.begin_ns) / HOUR_NS
    slow = (hours >= 5.5) & (hours < 8.5)
    assert (unusual.strain[slow] > 0.3).mean() > 0.9
    assert np.nanmean(unusual.strain[hours < 4.5] > 0) < 0.1
    blamed = [key for key, is_slow in zip(unusual.most, slow, strict=True) if is_slow and key is not None]
    assert {key.measure.resource for key in blamed} <= {
        Resource.DISK,
        Resource.PROCESSOR,
    }
    unlike = [item for item in judged.diagnosis.findings if item.kind == "unlike.usual"]
    slow_from_ns = NEXT_DAY.begin_ns + round(SLOW_FROM_S * NS_PER_S)
    others = [item for item in found.diagnosis.findings if item.resource is Resource.DISK]
    assert unlike or others
    for item in unlike:
        assert item.start_ns == pytest.approx(slow_from_ns, abs=HOUR_NS)
        assert item.confidence <= 0.6


SLOW_ALL_ALONG = replace(
    NEXT_DAY, archive=uuid5(VAULT.id, "slow all along"), length_s=2 * 3_600,
    begin_ns=NEXT_DAY.begin_ns + 21 * HOUR_NS, interval_s=5.0,
    faults=tuple(replace(fault, start_s=0.0, end_s=3 * HOUR_S, factor=6.0) for fault in NEXT_DAY.faults),
)  # fmt: skip


def slow_disks(store, archive):
    with store.reading(archive) as reader:
        found = diagnose_timeline(reader, requested_window(reader, None, None), SpanCache()).diagnosis
    return {item.device for item in found.findings if item.kind in ("disk.slow", "disk.saturated")}


def test_a_disk_that_was_slow_all_along_is_known_by_its_weeks_before(store):
    archive = keep(store, SimulatedArchive(SLOW_ALL_ALONG))
    disks = {fault.device for fault in SLOW_ALL_ALONG.faults}
    # By itself it never was any different, and its sisters are no better.
    assert not slow_disks(store, archive) & disks
    roll_up(store, keep(store, SimulatedArchive(BEFORE)))
    assert slow_disks(store, archive) >= disks


def test_without_a_past_nothing_is_unlike_it(store):
    archive = keep(store, SimulatedArchive(NEXT_DAY))
    roll_up(store, archive)
    memory = SpanCache()
    with store.reading(archive) as reader:
        window = requested_window(reader, None, None)
        found = diagnose_timeline(reader, window, memory)
        assert with_unusual(reader, found, [], memory).diagnosis.findings == found.diagnosis.findings
        assert np.isnan(unusual_map(reader, window, 48, []).strain).all()
        (usual,) = usual_series(reader, series_named(reader, ["cpu.busy"]), window, [])
    assert usual.outside is None


def test_an_archive_of_an_hour_has_no_weeks(store):
    archive = keep(store, SimulatedArchive(replace(NEXT_DAY, length_s=3_000)))
    maintain(store, Journal())
    with store.reading(archive) as reader:
        found = weeks_of(reader, requested_window(reader, None, None))
    assert (found.changes, found.left, found.growth, found.knows_weeks) == ([], [], [], False)


def test_the_trouble_of_an_archive_of_the_past_stays_its_own(weeks, monkeypatch):
    store, archive = weeks
    day = keep(store, SimulatedArchive(NEXT_DAY))
    judged = []

    def broken(reader, memory):
        judged.append(reader.scope.archives)
        raise ZeroDivisionError

    monkeypatch.setattr(normal, "incidents_of", broken)
    assert normal.incidents_elsewhere(store, day, SpanCache(), lambda: None, None) == []
    assert judged == [(archive,)]
    # What began later says nothing of what was usual before.
    assert normal.incidents_elsewhere(store, archive, SpanCache(), lambda: None, None) == []
    assert judged == [(archive,)]


def test_a_damaged_week_is_left_out_and_made_again(weeks):
    store, archive = weeks
    damage = (
        "update hours set data = set_byte(data, 20, get_byte(data, 20) # 64) "
        "where week_ns = (select max(week_ns) from hours)"
    )
    with store.engine.begin() as connection:
        connection.execute(text(damage))
    known = (~np.isnan(kept(store, archive)[1][0, :, MIDDLE])).sum()
    assert 14 * 24 < known < 20 * 24
    # The reading that met it has it made again.
    roll_up(store, archive)
    assert (~np.isnan(kept(store, archive)[1][0, :, MIDDLE])).sum() > 20 * 24
