"""Measures on values computed by hand, and laws that hold for all of them."""

import numpy as np
import pytest

from builders import RUNNABLE, a_frame, a_piece
from reditus.core.errors import UnknownCounter, UnknownMeasure
from reditus.core.facts import DiskFacts, DiskRole, HostFacts, LinkFacts
from reditus.core.frame import Frame
from reditus.core.frame_builder import assemble
from reditus.core.kernel_columns import (
    CPU_MODES,
    backlog,
    cpu_time,
    disk_columns,
    interface_columns,
    memory_size,
    protocol_event,
    run_delay,
    stall_total,
    swap_pages,
)
from reditus.core.measures import MEASURES, Per, measure_named
from reditus.core.measures.measure import natural_key
from reditus.core.measures.raw import expanded


def last(frame, name, device=None):
    value = measure_named(name).derive(frame, device).values[-1]
    return None if np.isnan(value) else round(float(value), 6)


def cpu_frame(machine, **cores):
    """One second of jiffies by mode: the machine's, and each core's."""
    columns = {cpu_time(mode): [0, machine.get(mode, 0)] for mode in CPU_MODES}
    for core, spent in cores.items():
        columns |= {cpu_time(mode, core[1:]): [0, spent.get(mode, 0)] for mode in CPU_MODES}
    return a_frame(columns)


def test_busy_is_our_own_work_in_cores():
    frame = cpu_frame(
        {"user": 100, "system": 40, "softirq": 10, "idle": 30, "iowait": 10, "steal": 10},
        c0={"user": 100}, c1={"system": 40, "softirq": 10, "idle": 30, "iowait": 10, "steal": 10},
    )  # fmt: skip
    assert last(frame, "cpu.busy") == 1.5
    assert last(frame, "cpu.steal") == 0.1
    assert (last(frame, "cpu.busy", "0"), last(frame, "cpu.busy", "1")) == (1.0, 0.5)
    assert last(frame, "cpu.hottest") == 1.0


def test_guest_time_is_not_counted_twice():
    frame = cpu_frame({"user": 100, "guest": 100, "idle": 100}, c0={"user": 100, "guest": 100}, c1={"idle": 100})
    assert (last(frame, "cpu.busy"), last(frame, "cpu.idle")) == (1.0, 1.0)


def test_the_denominator_is_the_sum_of_modes():
    """Virtual machines were seen to book steal on top of idle: 270 jiffies in a second on two cores."""
    frame = cpu_frame(
        {"user": 135, "idle": 65, "steal": 70}, c0={"user": 100}, c1={"user": 35, "idle": 65, "steal": 70}
    )
    assert last(frame, "cpu.busy") == 1.0


def test_parts_of_the_processor_add_up_to_its_cores():
    frame = cpu_frame({"user": 57, "nice": 3, "system": 21, "idle": 100, "iowait": 12, "interrupt": 2, "softirq": 5})
    parts = [last(frame, f"cpu.{mode}") for mode in CPU_MODES[:8]]
    assert sum(parts) == pytest.approx(1.0)


def test_waiting_comes_from_the_run_delay():
    frame = Frame(
        assemble(
            [a_piece({run_delay("0"): [0, 1_500_000_000], run_delay("1"): [0, 500_000_000]}, group="run"),
             a_piece({RUNNABLE: [9, 9]})]
        )
    )  # fmt: skip
    assert last(frame, "cpu.waiting") == 2.0


def test_without_run_delay_runnable_beyond_the_cores_waits():
    cores = {cpu_time("idle", str(core)): [0, 0] for core in range(2)}
    assert last(a_frame({RUNNABLE: [1, 6], **cores}), "cpu.waiting") == 3  # six, less the recorder, less two cores
    assert last(a_frame({RUNNABLE: [1, 2], **cores}), "cpu.waiting") == 0


def test_stall_shares_never_pass_one():
    assert last(a_frame({stall_total("io", "some"): [0, 1_000_400]}), "stall.io.some") == 1.0


KIB = {
    "MemTotal": 1000, "MemFree": 100, "MemAvailable": 420, "Buffers": 20, "Cached": 330, "SwapCached": 5, "Shmem": 50,
    "AnonPages": 400, "Slab": 60, "KernelStack": 4, "PageTables": 6, "SwapTotal": 200, "SwapFree": 150,
}  # fmt: skip


def memory_frame(**changed):
    return a_frame({memory_size(name): [value] * 2 for name, value in (KIB | changed).items()}, group="memory")


def test_memory_parts_add_up_to_the_total():
    frame = memory_frame()
    parts = {name: last(frame, f"memory.{name}") / 1024 for name in
             ("programs", "shared", "huge", "kernel", "cache", "other", "free")}  # fmt: skip
    assert parts == {"programs": 400, "shared": 50, "huge": 0, "kernel": 70, "cache": 305, "other": 75, "free": 100}
    assert sum(parts.values()) == 1000


def test_where_parts_exceed_the_total_the_cache_gives_way():
    frame = memory_frame(Cached=420)
    names = ("programs", "shared", "huge", "kernel", "cache", "other", "free")
    assert sum(last(frame, f"memory.{name}") for name in names) == 1000 * 1024
    assert last(frame, "memory.other") == 0


def test_used_is_what_programs_cannot_get():
    assert last(memory_frame(), "memory.used") == 580 * 1024
    assert last(memory_frame(), "swap.held") == 50 * 1024


def test_swap_traffic_is_in_bytes():
    frame = a_frame({swap_pages("in"): [0, 256], swap_pages("out"): [0, 0]}, group="paging")
    assert (last(frame, "swap.in"), last(frame, "swap.out")) == (2**20, 0)


def disk_columns_of(name, reads, read_ms, sectors, weighted_ms, busy_ms):
    columns = {column: [0, 0] for column in disk_columns(name)}
    order = disk_columns(name)
    for place, value in ((0, reads), (2, sectors), (3, read_ms), (9, busy_ms), (10, weighted_ms)):
        columns[order[place]] = [0, value]
    return columns


def test_disk_measures_obey_littles_law():
    frame = a_frame(disk_columns_of("sda", reads=200, read_ms=800, sectors=4096, weighted_ms=800, busy_ms=400))
    assert last(frame, "disk.read.rate", "sda") == 2 * 2**20
    assert last(frame, "disk.read.wait", "sda") == 0.004
    assert last(frame, "disk.queue", "sda") == 0.8 == 200 * 0.004
    assert last(frame, "disk.busy", "sda") == 0.4
    assert last(frame, "disk.read.size", "sda") == 4096 * 512 / 200


def test_a_wait_without_requests_is_unknown():
    frame = a_frame(disk_columns_of("sda", reads=0, read_ms=0, sectors=0, weighted_ms=0, busy_ms=0))
    assert last(frame, "disk.wait", "sda") is None


def test_totals_leave_out_what_repeats_the_bytes_of_others():
    columns = {}
    for name in ("sda", "sda1", "dm-0", "zram0", "sdb"):
        columns |= disk_columns_of(name, reads=1, read_ms=1, sectors=2048, weighted_ms=1, busy_ms=1)
    assert last(a_frame(columns), "disk.read.rate") == 2 * 2**20
    answer = HostFacts(disks={"sdb": DiskFacts(DiskRole.VOLUME, ("sda",))})
    assert last(a_frame(columns, facts=answer), "disk.read.rate") == 2**20


def test_network_rates_per_direction_and_link_use():
    columns = {column: [0, 0] for name in ("lo", "ens4") for column in interface_columns(name)}
    for name, received in (("lo", 999), ("ens4", 62_500_000)):
        columns[interface_columns(name)[0]] = [0, received]
    frame = a_frame(columns, facts=HostFacts(links={"ens4": LinkFacts(1_000_000_000, physical=True)}))
    assert last(frame, "net.receive.rate") == 62_500_000
    assert last(frame, "net.send.rate") == 0
    assert last(frame, "net.receive.use") == 0.5
    assert last(frame, "net.receive.use", "lo") is None


def test_segments_sent_again_are_a_share_of_all_sent():
    events = {protocol_event("tcp", "OutSegs"): [0, 500], protocol_event("tcp", "RetransSegs"): [0, 10]}
    assert last(a_frame(events, group="protocols"), "net.tcp.resent") == 0.02
    idle = {protocol_event("tcp", name): [5, 5] for name in ("OutSegs", "RetransSegs")}
    assert last(a_frame(idle, group="protocols"), "net.tcp.resent") is None


def test_backlog_drops_per_core_and_in_all():
    frame = a_frame({backlog("dropped", "0"): [0, 3], backlog("dropped", "1"): [0, 4]}, group="backlog")
    assert (last(frame, "net.backlog.dropped"), last(frame, "net.backlog.dropped", "1")) == (7, 4)


def test_every_measure_explains_itself():
    for measure in MEASURES.values():
        assert measure.title
        assert len(measure.help) >= 12, measure.name
        assert measure.formula
        assert measure.needs


def test_a_host_without_counters_gives_no_measure_and_no_zero():
    for measure in MEASURES.values():
        with pytest.raises(UnknownCounter):
            measure.derive(Frame([]), None)


def test_devices_come_in_natural_order():
    columns = [cpu_time(mode, str(core)) for core in (10, 9, 0) for mode in CPU_MODES]
    busy = measure_named("cpu.busy")
    assert busy.per is Per.CORE
    assert busy.devices(columns) == ["0", "9", "10"]
    assert sorted(["sdb", "sda10", "sda9"], key=natural_key) == ["sda9", "sda10", "sdb"]


def test_an_unknown_measure_is_answered_with_the_nearest():
    with pytest.raises(UnknownMeasure, match=r"did you mean.*cpu\.busy"):
        measure_named("cpu.bussy")


def test_any_counter_may_stand_for_a_measure():
    frame = a_frame({cpu_time("user", "0"): [0, 150], cpu_time("user"): [0, 300], RUNNABLE: [2, 3]})
    assert last(frame, "system.cpu.time{cpu.mode=user}") == 3.0
    assert last(frame, "system.cpu.time{cpu.mode=user,cpu.logical_number=0}") == 1.5
    assert last(frame, "system.process.runnable") == 3.0
    columns = [column for group in frame.groups for column in group.series]
    assert expanded("system.cpu.time", columns) == [
        "system.cpu.time{cpu.logical_number=0,cpu.mode=user}", "system.cpu.time{cpu.mode=user}",
    ]  # fmt: skip
    assert expanded("cpu.busy", columns) == ["cpu.busy"]
    with pytest.raises(UnknownCounter):
        measure_named("system.cpu.time{cpu.mode=nice}").derive(frame, None)
    with pytest.raises(UnknownMeasure):
        measure_named("system.cpu.tmie")
