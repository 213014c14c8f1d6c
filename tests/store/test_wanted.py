"""Which columns measures need: looked up, and the same ones that asking every column would give."""

import pytest

from reditus.core.measures import measure_named
from reditus.core.measures.raw import expanded
from reditus.exchange.made_up import MadeUp
from reditus.simulator.large import large_host
from reditus.store.known import KnownColumns
from reditus.store.records import KnownColumn
from reditus.store.wanted import Wanted, available, needed_columns


@pytest.fixture(scope="module")
def known():
    layouts = MadeUp(large_host("hall", cores=5, disks=3, links=2, length_s=60)).layouts()
    return KnownColumns(
        [
            KnownColumn(layout_id, layout.group, position, column)
            for layout_id, layout in enumerate(layouts)
            for position, column in enumerate(layout.columns)
        ]
    )


def asked_one_by_one(known, one):
    return {column for need in one.measure.needs for column in known if need.matches(column.column, one.device)}


def test_every_measure_of_every_device_finds_its_columns(known):
    wanted = [Wanted(measure, device) for measure, devices in available(known) for device in [None, *devices]]
    assert len({one.device for one in wanted}) > 5 + 3 + 2
    for one in wanted:
        assert set(needed_columns(known, (one,))) == asked_one_by_one(known, one), one.name
    every = needed_columns(known, tuple(wanted))
    assert len(every) == len(set(every))
    assert set(every) == {column for one in wanted for column in asked_one_by_one(known, one)}


@pytest.mark.parametrize("counter", ["system.cpu.time", "system.disk.io", "system.memory.linux.bytes"])
def test_a_counter_as_it_is_finds_each_of_its_columns(known, counter):
    own = [one.column for one in known.by_counter[counter]]
    wanted = [Wanted(measure_named(name), None) for name in expanded(counter, own)]
    assert {one.column for one in needed_columns(known, tuple(wanted))} == set(own)


def test_devices_are_those_with_all_that_the_measure_needs(known):
    devices = {measure.name: devices for measure, devices in available(known)}
    assert devices["cpu.busy"] == ("0", "1", "2", "3", "4")
    assert len(devices["disk.busy"]) >= 3
