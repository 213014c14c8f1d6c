"""Which columns measures need: looked up, and the same ones that asking every column would give."""

import pytest

from reditus.core.errors import UnknownCounter
from reditus.core.measures import measure_named
from reditus.core.measures.raw import expanded
from reditus.core.measures.selection import (
    ColumnSet,
    SeriesKey,
    StoredColumn,
    available,
    devices_of,
    everything,
    needed_columns,
)
from reditus.core.types import NS_PER_S
from reditus.core.window import Window
from reditus.exchange.simulated import SimulatedArchive
from reditus.simulator.large import large_host


@pytest.fixture(scope="module")
def known():
    schemas = SimulatedArchive(large_host("hall", cores=5, disks=3, links=2, length_s=60)).schemas()
    return ColumnSet(
        [
            StoredColumn(schema_id, schema.group, position, column)
            for schema_id, schema in enumerate(schemas)
            for position, column in enumerate(schema.columns)
        ]
    )


def needed_one_by_one(known, item):
    return {column for need in item.measure.needs for column in known if need.matches(column.column, item.device)}


def test_every_measure_of_every_device_finds_its_columns(known):
    keys = [SeriesKey(measure, device) for measure, devices in available(known) for device in [None, *devices]]
    assert len({key.device for key in keys}) > 5 + 3 + 2
    for item in keys:
        assert set(needed_columns(known, (item,))) == needed_one_by_one(known, item), item.name
    entries = needed_columns(known, tuple(keys))
    assert len(entries) == len(set(entries))
    assert set(entries) == {column for key in keys for column in needed_one_by_one(known, key)}


@pytest.mark.parametrize("counter", ["system.cpu.time", "system.disk.io", "system.memory.linux.bytes"])
def test_a_counter_as_it_is_finds_each_of_its_columns(known, counter):
    own = [item.column for item in known.by_counter[counter]]
    keys = [SeriesKey(measure_named(name), None) for name in expanded(counter, own)]
    assert {needed_column.column for needed_column in needed_columns(known, tuple(keys))} == set(own)


def test_devices_are_those_with_all_that_the_measure_needs(known):
    devices = {measure.name: devices for measure, devices in available(known)}
    assert devices["cpu.busy"] == ("0", "1", "2", "3", "4")
    assert len(devices["disk.busy"]) >= 3


def test_each_measure_is_the_same_with_only_what_it_needs(simulated_archive):
    """Of the machine and of each device: what is fetched for it alone is enough, and changes nothing."""
    store, archive = simulated_archive
    with store.reading(archive) as reader:
        window = Window(reader.extent.last_ns - 600 * NS_PER_S, reader.extent.last_ns)
        keys = everything(reader.known)
        whole = reader.frame(needed_columns(reader.known, keys), window)
        for key in keys:
            own = reader.frame(needed_columns(reader.known, (key,)), window)
            assert derived(own, key) == pytest.approx(derived(whole, key), nan_ok=True), key


def derived(frame, item):
    try:
        return item.measure.derive(frame, item.device).values
    except UnknownCounter as why:
        return str(why)


def test_a_device_s_rate_reads_its_own_column_only(simulated_archive):
    store, archive = simulated_archive
    with store.reading(archive) as reader:
        rate = measure_named("disk.read.rate")
        (own,) = needed_columns(reader.known, (SeriesKey(rate, "sd1"),))
        assert own.column.attribute("system.device") == "sd1"
        assert len(needed_columns(reader.known, (SeriesKey(rate, None),))) == len(devices_of(reader.known, rate))
