"""Rollups say exactly what the ticks say, whatever came in between."""

from itertools import pairwise

import numpy as np
import pytest
from alembic import command
from sqlalchemy import text

from builders import ARCHIVE, BEGIN_NS, SWITCHES, a_block, a_schema
from reditus.analysis import rollups
from reditus.analysis.maintenance import Journal, maintain
from reditus.analysis.series import drawn, read
from reditus.core import rollup
from reditus.core.binning import BinStats, bin_series, rolled_edges
from reditus.core.measures import measure_named
from reditus.core.measures.selection import SeriesKey
from reditus.core.rollup import LEVELS_S, chosen_level, dividing_level, from_chunks, levels_of, to_chunks
from reditus.core.types import NS_PER_S
from reditus.core.window import Window
from reditus.exchange.simulated import SimulatedArchive
from reditus.simulator.large import large_host
from reditus.store.database.migrations import configuration
from reditus.store.rollups import table

HOUR_NS = 3_600 * NS_PER_S
WANTED = [
    SeriesKey(measure_named(name), device)
    for name, device in [
        ("cpu.busy", None),
        ("cpu.busy", "1"),
        ("disk.read.wait", "sd1"),
        ("disk.queue", None),
        ("memory.available", None),
    ]
]


def exactly(store, timeline, window, level_s=60, width=400):
    """That drawing from rollups gives what the ticks give, over bins and in figures."""
    edges_ns = rolled_edges(window, width, level_s)
    whole = int(edges_ns[0]), int(edges_ns[-1])
    with store.reading(timeline) as reader:
        found = rollups.rolled(reader, WANTED, whole, level_s)
        truth = read(reader, WANTED, Window(*whole))[1]
    factor = int(edges_ns[1] - edges_ns[0]) // (level_s * NS_PER_S)
    for match, two in zip(found, truth, strict=True):
        mine, ticks = match.coarser(factor), bin_series(two.series, edges_ns)
        assert np.array_equal(mine.low, ticks.low, equal_nan=True), two.key
        assert np.array_equal(mine.high, ticks.high, equal_nan=True), two.key
        assert mine.mean == pytest.approx(ticks.mean, rel=1e-9, nan_ok=True), two.key
        assert mine.observed_s == pytest.approx(ticks.observed_s, abs=1e-6), two.key
    assert any((~np.isnan(match.mean)).any() for match in found)


def reach(store, archive):
    with store.engine.connect() as connection:
        requested = text(
            "select level_s, since_ns, until_ns from rollup_reach "
            "where archive_id = :archive and level_s < 604800 order by 1"
        )
        return [tuple(row) for row in connection.execute(requested, {"archive": archive})]


def whole(store, archive):
    answer = store.archives.get(archive)
    return Window(answer.first_ns, answer.last_ns)


def from_ticks(monkeypatch):
    """How many bins are worked out from ticks while reading."""
    requested, real = [], rollups.from_ticks

    def counted(reader, keys, window, level_s):
        requested.append((window.end_ns - window.start_ns) // (level_s * NS_PER_S))
        return real(reader, keys, window, level_s)

    monkeypatch.setattr(rollups, "from_ticks", counted)
    return requested


def test_rollups_are_exact_and_nearly_all_is_read_from_them(half_archive, monkeypatch):
    store, archive = half_archive
    maintain(store, Journal())
    assert [level for level, _, _ in reach(store, archive)] == list(LEVELS_S)
    requested = from_ticks(monkeypatch)
    exactly(store, archive, whole(store, archive))
    assert sum(requested) <= 5
    exactly(store, archive, whole(store, archive), level_s=240, width=200)
    exactly(store, archive, whole(store, archive), level_s=1_200, width=60)
    exactly(store, archive, whole(store, archive), level_s=3_600, width=20)


def test_without_rollups_the_same_is_worked_out_from_ticks(half_archive):
    store, archive = half_archive
    assert not reach(store, archive)
    exactly(store, archive, whole(store, archive))


def test_rollups_grow_as_ticks_come(half_archive, monkeypatch):
    store, archive = half_archive
    monkeypatch.setattr(rollups, "STEPS_A_PASS", 1)
    monkeypatch.setattr(rollups, "STEP_TICKS", 3_000)
    with store.extending_rollups(archive) as reader:
        assert rollups.grow_rollups(reader, archive)
    first = reach(store, archive)
    exactly(store, archive, whole(store, archive))
    maintain(store, Journal())
    assert [until for _, _, until in reach(store, archive)] > [until for _, _, until in first]
    exactly(store, archive, whole(store, archive))


def test_late_ticks_are_rolled_up_again(simulated_archive):
    store, archive = simulated_archive
    window = whole(store, archive)
    with store.engine.begin() as session:
        # As if a stretch came from a spool, hours later: taken out before rolling up, and sent again.
        rows = session.execute(
            text("delete from blocks where archive_id = :archive and first_ns between :a and :b returning schema_id"),
            {"archive": archive, "a": window.start_ns + HOUR_NS, "b": window.start_ns + 9 * HOUR_NS},
        ).all()
    assert rows
    maintain(store, Journal())
    exactly(store, archive, window)
    before = reach(store, archive)
    again = SimulatedArchive(large_host("hall", cores=2, disks=2, links=1, length_s=30 * 3_600, interval_s=5.0))
    for blocks, _ in again.batches():
        store.append(archive, blocks)
    assert reach(store, archive) != before
    exactly(store, archive, window)
    maintain(store, Journal())
    exactly(store, archive, window)


def test_trimmed_archives_are_rolled_up_again(half_archive):
    store, archive = half_archive
    maintain(store, Journal())
    window = whole(store, archive)
    kept = Window(window.start_ns + 5 * HOUR_NS + 17 * NS_PER_S, window.end_ns - HOUR_NS)
    store.archives.trim(archive, kept)
    exactly(store, archive, window)
    maintain(store, Journal())
    exactly(store, archive, window)


def test_other_formulas_make_rollups_again(simulated_archive, monkeypatch):
    store, archive = simulated_archive
    maintain(store, Journal())
    monkeypatch.setattr(table, "DERIVATION_VERSION", 999)
    requested = from_ticks(monkeypatch)
    exactly(store, archive, whole(store, archive))
    assert sum(requested) > 1_000
    maintain(store, Journal())
    requested.clear()
    exactly(store, archive, whole(store, archive))
    assert sum(requested) <= 5


def test_where_two_archives_report_of_the_same_time_the_ticks_decide(half_archive):
    store, archive = half_archive
    window = whole(store, archive)
    middle = Window(window.start_ns + 8 * HOUR_NS, window.start_ns + 12 * HOUR_NS)
    store.archives.copy(archive, middle, "twice")
    maintain(store, Journal())
    exactly(store, store.archives.get(archive).host.id, window)


def test_a_long_window_is_drawn_from_rollups_and_says_so(simulated_archive, monkeypatch):
    store, archive = simulated_archive
    maintain(store, Journal())
    with store.reading(archive) as reader:
        assert drawn(reader, WANTED, whole(store, archive), 200)[0].summary_of_s is None
    monkeypatch.setattr(rollup, "FEW_TICKS", 10_000)
    with store.reading(archive) as reader:
        coarse = drawn(reader, WANTED, whole(store, archive), 200)
        fine = drawn(reader, WANTED, whole(store, archive), 1_300)
    assert (coarse[0].summary_of_s, fine[0].summary_of_s) == (240, None)
    assert coarse[0].bin_s % 240 == 0
    for item, other in zip(coarse, fine, strict=True):
        assert item.summary.high == other.summary.high
        assert item.summary.mean == pytest.approx(other.summary.mean, rel=1e-3)


def test_bins_of_a_requested_length_come_from_the_coarsest_level_that_divides_it():
    def dividing(length_s, days):
        return dividing_level(length_s * NS_PER_S, NS_PER_S, Window(0, round(days * 24 * HOUR_NS)))

    assert [dividing(length_s, 31) for length_s in (30, 60, 90, 600, 1_800, 3_600, 86_400)] == [
        None, 60, None, 60, 60, 3_600, 3_600,
    ]  # fmt: skip
    assert dividing(3_600, 1 / 24) is None


def test_the_level_suits_the_window_and_the_ticks():
    def chosen(days, interval_s):
        return chosen_level(Window(0, days * 24 * HOUR_NS), 1_300, int(interval_s * NS_PER_S))

    assert [chosen(days, 1) for days in (1, 3, 7, 31, 60, 365)] == [None, 60, 240, 240, 1_200, 3_600]
    assert chosen(31, 60) is None
    assert chosen(2, 5) is None
    assert levels_of(60 * NS_PER_S) == [1_200, 3_600]
    assert all(coarse % fine == 0 for fine, coarse in pairwise(LEVELS_S))


def test_bins_put_together_weigh_by_what_was_seen():
    unknown = float("nan")
    rolled = BinStats(
        *map(
            np.array,
            (
                [30.0, 10.0, 0.0, 0.0],
                [1.0, 5.0, unknown, unknown],
                [0.0, 4.0, unknown, unknown],
                [2.0, 6.0, unknown, unknown],
            ),
        )
    )
    whole = rolled.coarser(2)
    assert (whole.mean[0], whole.low[0], whole.high[0], whole.observed_s[0]) == (2.0, 0.0, 6.0, 40.0)
    assert np.isnan(whole.mean[1])
    again = from_chunks(to_chunks(rolled), 4)
    assert np.array_equal(again.mean, rolled.mean, equal_nan=True)


def test_a_group_that_is_read_rarely_does_not_count_as_late(half_archive):
    store, archive = half_archive
    slow = a_schema(group="slow")
    store.add_schema(archive, slow)
    after_ns = whole(store, archive).end_ns + 5 * NS_PER_S

    def tick(number):
        at_ns = after_ns + number * 300 * NS_PER_S
        store.append(archive, [a_block(1, schema=slow, archive=archive, begin_ns=at_ns, interval_s=300.0, start=0)])

    tick(0)
    maintain(store, Journal())
    before = reach(store, archive)
    assert before
    tick(1)
    assert reach(store, archive) == before


def test_only_what_lies_behind_a_late_tick_is_rolled_up_again(simulated_archive):
    store, archive = simulated_archive
    maintain(store, Journal())
    window = whole(store, archive)
    late_ns = window.start_ns + 20 * HOUR_NS
    store.drop_rollups(archive, late_ns)
    assert [until for _, _, until in reach(store, archive)] == [
        late_ns // (level * NS_PER_S) * level * NS_PER_S for level in LEVELS_S
    ]
    exactly(store, archive, window)
    maintain(store, Journal())
    exactly(store, archive, window)


def test_a_new_group_from_before_the_rollups_end_is_rolled_up_too(known):
    """Its blocks are newer than all of their own schema, so that only the rollups tell that they are late."""
    other = a_schema((SWITCHES,), group="other")
    known.add_schema(ARCHIVE, other)
    known.append(ARCHIVE, [a_block(7_200)])
    maintain(known, Journal())
    before = reach(known, ARCHIVE)
    late = 3_600
    known.append(ARCHIVE, [a_block(60, start=late, schema=other)])
    after = reach(known, ARCHIVE)
    until_ns = (BEGIN_NS + (late - 1) * NS_PER_S) // (60 * NS_PER_S) * 60 * NS_PER_S
    assert before[0][2] > until_ns
    assert after[0] == (60, before[0][1], until_ns)
    known.append(ARCHIVE, [a_block(60, start=7_200)])
    assert reach(known, ARCHIVE) == after


def test_series_that_are_the_same_are_kept_once(half_archive):
    store, archive = half_archive
    maintain(store, Journal())
    answer = (
        "select r.places, octet_length(r.data) as size, k.names from rollups r join rollup_keys k on k.id = r.keys_id"
    )
    shared = 0
    with store.engine.connect() as connection:
        for row in connection.execute(text(answer)):
            own = {name: row.places[4 * at : 4 * at + 4] for at, name in enumerate(row.names)}
            for total in ("net.receive.rate", "net.send.rate", "net.send.packets"):
                if total in own and f"{total}@eth0" in own:  # there is one link
                    assert own[total] == own[f"{total}@eth0"], total
                    shared += 1
            parts = {tuple(edges[at : at + 2]) for edges in own.values() for at in (0, 2)}
            assert sum(end - begin for begin, end in parts) == row.size
    assert shared >= len(LEVELS_S)
    exactly(store, archive, whole(store, archive))


def test_rollups_of_an_older_version_are_read_on(half_archive, monkeypatch):
    """Until 0010 each part ended where the next one began, and series shared none."""
    store, archive = half_archive
    maintain(store, Journal())
    columns = "host_id, archive_id, level_s, keys_id, first_ns, bins"
    with store.engine.begin() as connection:
        rows = connection.execute(text(f"select {columns}, places, data from rollups")).mappings().all()
        reached = connection.execute(text("select * from rollup_reach")).mappings().all()
        config = configuration()
        config.attributes["connection"] = connection
        command.downgrade(config, "0009")
        for row in rows:
            parts = [row["data"][begin:end] for begin, end in zip(row["places"][::2], row["places"][1::2], strict=True)]
            old = {**row, "offsets": [0, *np.cumsum(list(map(len, parts))).tolist()], "data": b"".join(parts)}
            names = f"{columns}, offsets, data"
            values = ", ".join(f":{name}" for name in names.split(", "))
            connection.execute(text(f"insert into rollups ({names}) values ({values})"), old)
        for row in reached:
            values = ", ".join(f":{name}" for name in row)
            connection.execute(text(f"insert into rollup_reach ({', '.join(row)}) values ({values})"), dict(row))
    store.migrate()
    requested = from_ticks(monkeypatch)
    exactly(store, archive, whole(store, archive))
    assert sum(requested) <= 5
