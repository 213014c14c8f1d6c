"""Filesystems, sensors, protocols and memory by activity, on values worked out by hand."""

import numpy as np
import pytest

from builders import a_frame
from reditus.core.counters import (
    CPU_NUMBER,
    DISK,
    FILESYSTEM_STATE,
    MOUNT,
    PAGING_STATE,
    PROTOCOL,
    PROTOCOL_FIELD,
    SENSOR,
)
from reditus.core.errors import UnknownCounter
from reditus.core.kernel_columns import kernel_column, load_average, memory_size, protocol_event
from reditus.core.measures import measure_named


def last(frame, name, device=None):
    value = float(measure_named(name).derive(frame, device).values[-1])
    return None if np.isnan(value) else round(value, 6)


def space(mount, used, free, *, read_only=0, inodes=(10, 30)):
    at = {MOUNT: mount}
    return {
        kernel_column("system.filesystem.usage", {**at, FILESYSTEM_STATE: "used"}): [used, used],
        kernel_column("system.filesystem.usage", {**at, FILESYSTEM_STATE: "free"}): [free, free],
        kernel_column("system.filesystem.linux.inodes", {**at, FILESYSTEM_STATE: "used"}): [inodes[0]] * 2,
        kernel_column("system.filesystem.linux.inodes", {**at, FILESYSTEM_STATE: "free"}): [inodes[1]] * 2,
        kernel_column("system.filesystem.linux.read_only", at): [read_only] * 2,
    }


def test_a_filesystem_is_as_full_as_programs_find_it():
    frame = a_frame(space("/", 300, 100) | space("/srv", 10, 90), group="filesystem")
    assert last(frame, "filesystem.use", "/") == 0.75
    assert last(frame, "filesystem.used", "/srv") == 10
    assert last(frame, "filesystem.free", "/srv") == 90
    assert last(frame, "filesystem.inodes", "/") == 0.25
    assert last(frame, "filesystem.use") == 0.75


def test_what_is_full_by_nature_is_not_the_fullest():
    frame = a_frame(space("/", 30, 70) | space("/image", 50, 0, read_only=1), group="filesystem")
    assert last(frame, "filesystem.use", "/image") == 1.0
    assert last(frame, "filesystem.use") == 0.3


def test_filesystems_without_inodes_have_no_share_of_them():
    assert last(a_frame(space("/boot", 5, 5, inodes=(0, 0)), group="filesystem"), "filesystem.inodes", "/boot") is None


def test_bytes_of_all_filesystems_would_count_some_twice():
    with pytest.raises(UnknownCounter):
        last(a_frame(space("/", 1, 1), group="filesystem"), "filesystem.used")


def test_of_the_machine_the_hottest_sensor_and_the_slowest_fan_count():
    frame = a_frame(
        {
            kernel_column("hw.temperature", {SENSOR: "a"}, scale=(1, 1_000)): [40_500, 41_500],
            kernel_column("hw.temperature", {SENSOR: "b"}, scale=(1, 1_000)): [-5_000, 60_000],
            kernel_column("hw.fan.speed", {SENSOR: "front"}): [900, 800],
            kernel_column("hw.fan.speed", {SENSOR: "back"}): [900, 1_200],
        },
        group="sensor",
    )
    assert (last(frame, "heat.temperature"), last(frame, "heat.temperature", "a")) == (60, 41.5)
    assert (last(frame, "heat.fan"), last(frame, "heat.fan", "back")) == (800, 1_200)


def test_the_speed_of_the_machine_is_that_of_its_cores_on_average():
    columns = {
        kernel_column("system.cpu.frequency", {CPU_NUMBER: core}, scale=(1_000, 1)): [800_000, khz]
        for core, khz in (("0", 800_000), ("1", 3_600_000))
    }
    frame = a_frame(columns, group="cpu.frequency")
    assert (last(frame, "cpu.speed"), last(frame, "cpu.speed", "1")) == (2.2e9, 3.6e9)


def test_protocols_count_each_for_itself():
    frame = a_frame(
        {
            protocol_event("ip6", "InReceives"): [7, 107],
            protocol_event("icmp", "InMsgs"): [0, 3],
            kernel_column("system.network.linux.sockets", {PROTOCOL: "tcp", PROTOCOL_FIELD: "tw"}): [5, 9],
        },
        group="protocols",
    )
    assert (last(frame, "net.ip6.received"), last(frame, "net.icmp.received"), last(frame, "net.tcp.time_wait")) == (
        100, 3, 9,
    )  # fmt: skip
    with pytest.raises(UnknownCounter):
        last(frame, "net.ip.received")


def test_memory_by_activity_and_swap_by_device():
    frame = a_frame(
        {
            memory_size("Inactive(file)"): [4, 8],
            memory_size("SUnreclaim"): [1, 2],
            **{
                kernel_column("system.paging.usage", {DISK: disk, PAGING_STATE: "used"}, scale=(1_024, 1)): [0, used]
                for disk, used in (("sda2", 3), ("zram0", 4))
            },
        },
        group="memory",
    )
    assert last(frame, "memory.inactive.cache") == 8 * 1_024
    assert last(frame, "memory.slab.fixed") == 2 * 1_024
    assert (last(frame, "swap.device.used"), last(frame, "swap.device.used", "zram0")) == (7 * 1_024, 4 * 1_024)


def test_load_per_core_compares_machines_of_different_sizes():
    cores = {
        kernel_column("system.cpu.time", {"cpu.mode": "idle", CPU_NUMBER: str(core)}, scale=(1, 100)): [0, 100]
        for core in range(4)
    }
    frame = a_frame({load_average("1m"): [600, 600]} | cores, group="load")
    assert last(frame, "cpu.load.1m.per_core") == last(frame, "cpu.load.1m") / 4
