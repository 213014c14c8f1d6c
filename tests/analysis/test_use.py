"""Who used what over a window: the same from stored use and from ticks, and as much as the machine."""

import numpy as np
import pytest
from sqlalchemy import text

from reditus.analysis import use_rollups
from reditus.analysis.maintenance import Journal, maintain
from reditus.analysis.use import By, read_use, service_of
from reditus.analysis.use_series import NOT_ATTRIBUTED, OTHERS, use_drawn
from reditus.core.errors import CoreError, UnknownMeasure
from reditus.core.types import NS_PER_S
from reditus.core.use import QUANTITIES, Quantity
from reditus.core.use_codec import LEVELS_S
from reditus.core.window import Window
from reditus.exchange.simulated import SimulatedArchive
from reditus.simulator.large import large_host
from reditus.store.rollups.use import UseBins

HOUR_NS = 3_600 * NS_PER_S
CPU, MEMORY = QUANTITIES.index(Quantity.PROCESSOR), QUANTITIES.index(Quantity.MEMORY)


SHIFT = large_host("hall", cores=2, disks=2, links=1, length_s=8 * 3_600, interval_s=5.0)


def whole(store, archive):
    answer = store.archives.get(archive)
    return Window(answer.first_ns, answer.last_ns)


def table(store, archive, window, by=By.PROGRAM, bins=60):
    with store.reading(archive) as reader:
        return read_use(reader, window, bins, by)


def the_same(found, expected):
    assert [row.key for row in found.rows] == [row.key for row in expected.rows]
    assert found.seconds == pytest.approx(expected.seconds)
    assert found.total == pytest.approx(expected.total, nan_ok=True)
    for row, other in zip(found.rows, expected.rows, strict=True):
        assert row.totals == pytest.approx(other.totals), row.name
        assert row.stay == other.stay, row.name


def reach(store, archive):
    with store.engine.connect() as connection:
        requested = text("select level_s, since_ns, until_ns from use_reach where archive_id = :archive order by 1")
        return [tuple(row) for row in connection.execute(requested, {"archive": archive})]


def store_use(store, archive):
    """As background work does, without the rollups of measures."""
    more = True
    while more:
        with store.extending_rollups(archive) as reader:
            more = use_rollups.grow_use(reader, archive)


def counting(monkeypatch):
    """For how long it is added up from ticks, in seconds, and how many stored bins are read."""
    ticks_s, stored = [], []
    add, read = use_rollups.add_ticks, UseBins.read

    def added(reader, use, columns, after_ns, until_ns):
        ticks_s.append(max(until_ns - after_ns, 0) / NS_PER_S)
        add(reader, use, columns, after_ns, until_ns)

    def counted(self, archive, level_s, begin_ns, end_ns):
        stored.append((level_s, (end_ns - begin_ns) // (level_s * NS_PER_S)))
        return read(self, archive, level_s, begin_ns, end_ns)

    monkeypatch.setattr(use_rollups, "add_ticks", added)
    monkeypatch.setattr(UseBins, "read", counted)
    return ticks_s, stored


def test_stored_use_says_what_the_ticks_say(shift, monkeypatch):
    store, archive = shift
    everything = whole(store, archive)
    window = Window(everything.start_ns + 17 * NS_PER_S, everything.end_ns - 333 * NS_PER_S)
    before = [table(store, archive, window, by) for by in By]
    maintain(store, Journal())
    assert [level for level, _, _ in reach(store, archive)] == list(LEVELS_S)
    ticks_s, stored = counting(monkeypatch)
    for by, expected in zip(By, before, strict=True):
        ticks_s.clear()
        stored.clear()
        the_same(table(store, archive, window, by), expected)
        assert sum(ticks_s) < 2 * LEVELS_S[0]
        assert sum(bins for _, bins in stored) > 80


def test_late_ticks_are_added_up_again(shift):
    store, archive = shift
    window = whole(store, archive)
    with store.engine.begin() as session:
        session.execute(
            text("delete from blocks where archive_id = :archive and first_ns between :a and :b"),
            {"archive": archive, "a": window.start_ns + HOUR_NS, "b": window.start_ns + 7 * HOUR_NS},
        )
    store_use(store, archive)
    less = table(store, archive, window)
    for blocks, _ in SimulatedArchive(SHIFT).batches():
        store.append(archive, blocks)
    found = table(store, archive, window)
    assert found.seconds.sum() > less.seconds.sum() + 3_600
    store_use(store, archive)
    the_same(table(store, archive, window), found)


def test_trimmed_archives_are_added_up_again(shift):
    store, archive = shift
    store_use(store, archive)
    window = whole(store, archive)
    kept = Window(window.start_ns + 2 * HOUR_NS + 17 * NS_PER_S, window.end_ns - HOUR_NS)
    store.archives.trim(archive, kept)
    assert reach(store, archive) == []
    found = table(store, archive, window)
    assert found.seconds.sum() == pytest.approx(kept.length_s, abs=20)
    store_use(store, archive)
    the_same(table(store, archive, window), found)


def test_damaged_stored_use_comes_from_the_ticks(shift):
    store, archive = shift
    window = whole(store, archive)
    before = table(store, archive, window)
    store_use(store, archive)
    with store.engine.begin() as session:
        session.execute(
            text("update use_bins set data = set_byte(data, 12, 255 - get_byte(data, 12)) where archive_id = :archive"),
            {"archive": archive},
        )
    the_same(table(store, archive, window), before)
    assert reach(store, archive) == []  # and it is made again
    store_use(store, archive)
    assert reach(store, archive) != []


def test_everything_together_is_the_machine(shift):
    store, archive = shift
    for by in By:
        found = table(store, archive, whole(store, archive), by)
        attributed = sum(row.totals for row in found.rows) + found.rest
        assert (attributed >= found.total.sum(axis=0) * (1 - 1e-9)).all()
        busy = attributed[CPU] / found.seconds.sum()
        assert busy == pytest.approx(found.total[:, CPU].sum() / found.seconds.sum(), rel=1e-9)
        curves = sum(np.nan_to_num(found.curve(row, Quantity.PROCESSOR)) for row in found.rows)
        curves = curves + np.nan_to_num(found.rest_curve(Quantity.PROCESSOR))
        known = found.seconds > 0
        assert curves[known] == pytest.approx(found.total[known, CPU] / found.seconds[known], rel=1e-9)


def test_a_strip_has_the_heaviest_the_others_and_the_rest(shift):
    store, archive = shift
    window = whole(store, archive)
    with store.reading(archive) as reader:
        series = use_drawn(reader, ["use.processor{by=program,most=2}@*"], window, 200)
        (alone,) = use_drawn(reader, ["use.processor{by=program}"], window, 200)
    machine, *parts = series
    assert machine.key.device is None
    assert [part.key.device for part in parts][-1] == NOT_ATTRIBUTED
    assert len(parts) in (3, 4)
    assert all(part.key.device == OTHERS for part in parts[2:-1])
    known = ~np.isnan(machine.mean)
    assert sum(part.mean[known] for part in parts) == pytest.approx(machine.mean[known], rel=1e-6)
    assert machine.mean[known] == pytest.approx(alone.mean[known])


@pytest.mark.parametrize("name", ["use.processor", "use.heat{by=user}", "use.read{by=colour}", "use.read{by=user}@sda"])
def test_a_name_of_use_that_is_none_is_refused(shift, name):
    store, archive = shift
    with store.reading(archive) as reader, pytest.raises(UnknownMeasure):
        use_drawn(reader, [name], whole(store, archive), 100)


@pytest.mark.parametrize(
    ("group", "service"),
    [
        ("/system.slice/cron.service", "cron.service"),
        ("/user.slice/user-1000.slice/session-3.scope", "session-3.scope"),
        ("/system.slice/big.service/part.scope/x", "big.service"),
        ("/lab/stitch", "/lab/stitch"),
        ("", "/"),
    ],
)
def test_a_service_is_named_by_its_control_group(group, service):
    assert service_of(group) == service


class Small:
    """An allowance for few processes."""

    request_bytes = 16 << 20

    def check(self, size_bytes):
        if size_bytes > 5 * use_rollups.PROCESS_BYTES:
            raise CoreError("too many processes for this window; ask for less of the time")


@pytest.mark.parametrize("is_stored", [False, True])
def test_more_processes_than_may_be_in_memory_are_refused(shift, is_stored):
    store, archive = shift
    if is_stored:
        store_use(store, archive)
    with store.reading(archive, allowance=Small()) as reader, pytest.raises(CoreError, match="less of the time"):
        read_use(reader, whole(store, archive), 60, By.PROCESS)
