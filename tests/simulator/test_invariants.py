"""Whatever the scenario: the counters obey the arithmetic of a machine."""

from uuid import UUID

import numpy as np
import pytest
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st

from reditus.core.kernel_columns import (
    CPU_MODES,
    cpu_time,
    disk_columns,
    interface_columns,
    memory_size,
    page_faults,
    paging_event,
    run_delay,
    swap_pages,
)
from reditus.core.processes import AMOUNTS, SLOTS, WAITED, slot_columns, whole_columns
from reditus.simulator.demand import Demand
from reditus.simulator.host import parts, simulate
from reditus.simulator.scenario import (
    GIB,
    Curve,
    Disk,
    Fault,
    FaultKind,
    Link,
    Machine,
    Priority,
    Scenario,
    Work,
    over_network,
    rotating,
)
from reditus.simulator.thinning import thinned

PAGE, SECTOR = 4096, 512
LENGTH_S = 900


def seconds(least=0, most=LENGTH_S):
    return st.floats(least, most).map(lambda value: round(value, 1))


works = st.builds(
    Work,
    name=st.sampled_from(["grind", "press", "sort", "ship"]),
    start_s=seconds(-100),
    end_s=seconds(LENGTH_S, 2 * LENGTH_S),
    every_s=st.none(),
    workers=st.integers(1, 20),
    intensity=st.floats(0, 1),
    kernel_share=st.floats(0, 1),
    priority=st.sampled_from(Priority),
    core=st.none() | st.integers(0, 1),
    curve=st.none() | st.builds(Curve, hours=st.tuples(*[st.floats(0, 1)] * 24)),
    memory_bytes=st.integers(0, 3 * GIB),
    leak_bytes_per_s=st.sampled_from([0.0, 2e6]),
    files_bytes=st.integers(0, 4 * GIB),
    reread_bytes_per_s=st.floats(0, 1e8),
    read_bytes_per_s=st.sampled_from([0.0, 1e6, 1e9]),
    write_bytes_per_s=st.sampled_from([0.0, 1e6, 1e9]),
    read_size=st.sampled_from([4096, 1 << 18]),
    depth=st.integers(1, 32),
    waits=st.floats(0, 1),
    disk=st.sampled_from([None, "a", "b", "pool"]),
    receive_bytes_per_s=st.sampled_from([0.0, 1e5, 1e9]),
    send_bytes_per_s=st.sampled_from([0.0, 1e5, 1e9]),
    packet_bytes=st.integers(64, 1500),
)
faults = st.builds(
    Fault,
    kind=st.sampled_from([FaultKind.SLOW_DISK, FaultKind.LOSSY_LINE]),
    start_s=seconds(),
    end_s=seconds(),
    device=st.sampled_from(["a", "b", "eth0"]),
    factor=st.floats(0.0, 0.3) | st.floats(1, 20),
).filter(lambda item: (item.factor >= 1) == (item.kind is FaultKind.SLOW_DISK))
disk_builds = st.sampled_from([rotating, over_network, Disk])


@st.composite
def scenarios(draw):
    cores = draw(st.sampled_from([2, 4, 16]))
    machine = Machine(
        id=UUID(int=5),
        name="any",
        cores=cores,
        memory_bytes=8 * GIB,
        disks=(draw(disk_builds)("a"), draw(disk_builds)("b"), Disk("pool", on=("a", "b"))),
        links=(Link("eth0"),),
        swap_bytes=GIB,
        swap_disk="b",
        programs_bytes=GIB,
        cache_bytes=draw(st.integers(GIB, 6 * GIB)),
        packets_core=draw(st.none() | st.just(0)),
        touch_bytes_per_s=draw(st.sampled_from([1e8, 6e9])),
    )
    return Scenario(
        machine=machine,
        archive=UUID(int=7),
        name="any",
        begin_ns=1_794_474_000 * 10**9,
        length_s=LENGTH_S,
        interval_s=draw(st.sampled_from([1.0, 5.0])),
        seed=draw(st.integers(0, 1 << 30)),
        works=tuple(draw(st.lists(works, max_size=4))),
        faults=tuple(draw(st.lists(faults, max_size=2))),
    )


def all_of(host):
    return {column: values for columns in host.groups.values() for column, values in columns.items()}


def grown(counters, column):
    return np.diff(counters[column])


@settings(
    max_examples=60,
    deadline=None,
    suppress_health_check=[HealthCheck.too_slow],
    phases=[Phase.explicit, Phase.reuse, Phase.generate],  # a scenario takes a while, and a smaller one says no more
)
@given(scenarios())
def test_the_arithmetic_of_a_machine(scenario):
    host = simulate(scenario)
    answer = all_of(host)
    machine, interval_s = scenario.machine, scenario.interval_s
    for column, values in answer.items():
        assert values.min() >= 0, column
        if column.kind.value == "cumulative":
            assert (np.diff(values) >= 0).all(), column
    check_processor(answer, machine, interval_s, bound=any(work.core is not None for work in scenario.works))
    check_memory(answer)
    check_disks(answer, machine, interval_s)
    check_network(answer, machine, interval_s)
    check_stalls(host, interval_s)
    check_processes(answer, machine)


def check_processor(answer, machine, interval_s, bound):
    modes = {mode: np.array([answer[cpu_time(mode, str(core))] for core in range(machine.cores)]) for mode in CPU_MODES}
    ticks = np.diff(np.add.reduce([modes[mode] for mode in CPU_MODES]), axis=1)
    # Each core's modes are its time; idle makes up for the rounding of the others, a tick at most.
    assert np.abs(ticks - interval_s * 100).max() <= len(CPU_MODES)
    assert np.abs(np.cumsum(ticks, axis=1)[:, -1] - interval_s * 100 * ticks.shape[1]).max() <= len(CPU_MODES)
    for mode in CPU_MODES:
        assert (answer[cpu_time(mode)] == modes[mode].sum(axis=0)).all()
    # No task waits while cores are free, unless bound to one that is not.
    delay = sum(np.diff(answer[run_delay(str(core))]) for core in range(machine.cores)) / (interval_s * 1e9)
    free = np.diff(modes["idle"] + modes["iowait"], axis=1).sum(axis=0) / (interval_s * 100)
    if not bound:
        assert delay[free > machine.cores * 0.2].max(initial=0) <= 1


def check_memory(answer):
    size = {
        name: answer[memory_size(name)] * 1024
        for name in (
            "MemTotal",
            "MemFree",
            "MemAvailable",
            "Buffers",
            "Cached",
            "AnonPages",
            "Shmem",
            "Slab",
            "KernelStack",
            "PageTables",
            "SwapTotal",
            "SwapFree",
        )
    }
    parts = sum(
        size[name] for name in ("MemFree", "Buffers", "Cached", "AnonPages", "Slab", "KernelStack", "PageTables")
    )
    assert np.abs(parts - size["MemTotal"]).max() <= 8 * 1024
    assert (size["MemAvailable"] <= size["MemTotal"]).all()
    assert (size["MemAvailable"] >= 0.5 * size["MemFree"]).all()
    # Reclaim follows demand: what was stolen left the files, or went to swap.
    stolen = grown(answer, paging_event("pgsteal_kswapd")) + grown(answer, paging_event("pgsteal_direct"))
    scanned = grown(answer, paging_event("pgscan_kswapd")) + grown(answer, paging_event("pgscan_direct"))
    assert (scanned + 2 >= stolen).all()
    assert (stolen + 2 >= grown(answer, swap_pages("out"))).all()
    assert (grown(answer, page_faults("all")) + 1 >= grown(answer, page_faults("major"))).all()


def check_disks(answer, machine, interval_s):
    below = {"reads": 0, "writes": 0}
    for disk in machine.disks:
        _, _, read_sectors, read_ms, _, _, write_sectors, write_ms, _, busy_ms, queue_ms, *_ = (
            np.diff(answer[column]) for column in disk_columns(disk.name)
        )
        # Little's law: the time that requests took together is the time that they stood in the queue.
        assert np.abs(read_ms + write_ms - queue_ms).max() <= 3
        assert (busy_ms <= interval_s * 1000 + 1).all()
        assert (busy_ms <= queue_ms + 2).all() or disk.on
        if not disk.on:
            below["reads"] += read_sectors
            below["writes"] += write_sectors
        else:
            assert np.abs(read_sectors - below["reads"]).max() <= 3
            assert np.abs(write_sectors - below["writes"]).max() <= 3
    # What is swapped in is read from the swap's disk, and nowhere else.
    swapped = grown(answer, swap_pages("in")) * PAGE / SECTOR
    swap_disk = next(disk for disk in machine.disks if disk.name == machine.swap_disk)
    assert (np.diff(answer[disk_columns(swap_disk.name)[2]]) + 16 >= swapped).all()
    written = np.diff(answer[disk_columns(swap_disk.name)[6]])
    assert (written + 16 >= grown(answer, swap_pages("out")) * PAGE / SECTOR).all()


def check_network(answer, machine, interval_s):
    for link in machine.links:
        columns = interface_columns(link.name)
        for way in (0, 8):
            assert (np.diff(answer[columns[way]]) <= link.bits_per_s / 8 * interval_s + 2).all()


def check_stalls(host, interval_s):
    for resource in ("cpu", "memory", "io"):
        some, full = (np.diff(values) for values in host.groups[f"stall.{resource}"].values())
        assert (some <= interval_s * 1e6 + 1).all()
        assert (full <= some + 1).all()


def check_processes(answer, machine):
    whole = [answer[column] for column in whole_columns()]
    slots = [[answer[column] for column in slot_columns(slot)] for slot in range(SLOTS)]
    for place in range(len(AMOUNTS)):
        owned = sum(slot[4 + place] for slot in slots)
        assert (owned <= whole[place]).all(), AMOUNTS[place]
    # All of them together are the machine's own use, packets and interrupts left out.
    used = sum(answer[cpu_time(mode)] for mode in ("user", "nice", "system"))
    assert (np.diff(used) == (whole[0] + whole[1])[1:]).all()
    delays = sum(answer[run_delay(str(core))] for core in range(machine.cores))
    assert (np.abs(np.diff(delays) - whole[WAITED][1:]) <= machine.cores + 1).all()
    resident = answer[memory_size("AnonPages")] * 1024 / PAGE
    assert (np.abs(whole[2] - resident) <= 0.02 * machine.memory_bytes / PAGE + SLOTS).all()


def scenario_of(*some, length_s=LENGTH_S, **more):
    machine = Machine(UUID(int=1), "one", 4, 8 * GIB, (rotating("a"),), (Link("eth0"),), **more)
    return Scenario(machine, UUID(int=2), "one", 1_794_474_000 * 10**9, length_s, 1.0, 3, some)


def test_parts_do_not_show():
    scenario = scenario_of(Work("press", workers=3, intensity=0.4, read_bytes_per_s=3e6))
    for part, two in zip(parts(scenario, 300), parts(scenario, 300), strict=True):
        assert all((part.groups[group][column] == two.groups[group][column]).all()
                   for group, columns in part.groups.items() for column in columns)  # fmt: skip
    whole = simulate(scenario)
    column = disk_columns("a")[2]
    steps = np.diff(whole.groups["disk"][column])
    assert steps.max() < 4 * np.median(steps)


def test_a_slower_recorder_sees_the_same_counters():
    scenario = scenario_of(Work("press", workers=3, intensity=0.4, write_bytes_per_s=3e6))
    fast, slow = list(parts(scenario, 300)), list(thinned(parts(scenario, 300), 5))
    for group, columns in slow[1].groups.items():
        for column, values in columns.items():
            if group != "process":
                assert (values == fast[1].groups[group][column][::5]).all()
    used = whole_columns()[0]
    entries = np.concatenate([part.groups["process"][used] for part in fast])
    thin = np.concatenate([part.groups["process"][used] for part in slow])
    assert (thin[1:] == [entries[at - 4 : at + 1].sum() for at in range(5, len(entries), 5)]).all()


def test_work_comes_again_and_by_the_clock():
    again = Work("press", 10, 25, every_s=100, workers=2)
    office = Work("desk", workers=2, curve=Curve(hours=(0.0,) * 9 + (1.0,) * 15))
    requested = Demand(scenario_of(again, office))(np.arange(0, 300.0))
    assert [int(request.on.sum()) for request in requested[1:2]] == [45]
    assert requested[1].run[[20, 120, 220]].tolist() == [0, 1, 2]
    assert requested[2].on.min() == 1.0  # it begins at 09:00


def test_a_leak_ends_in_a_kill_and_all_is_well_again():
    leak = Work("forgets nothing", 60, 10_000, leak_bytes_per_s=40e6, memory_bytes=GIB)
    host = simulate(scenario_of(leak, swap_bytes=GIB, touch_bytes_per_s=1e9))
    answer = all_of(host)
    kills = grown(answer, paging_event("oom_kill"))
    assert kills.sum() == 1
    at = int(np.argmax(kills)) + 1
    available = answer[memory_size("MemAvailable")]
    assert available[at - 2] < available[0] / 10
    assert available[at + 20] == pytest.approx(available[0], rel=0.3)
    (line,) = host.markers
    assert line.text.startswith("Out of memory: Killed process")
    assert line.at_ns == pytest.approx(host.wall_ns[at], abs=2e9)


def test_one_reader_keeps_a_disk_busy_at_its_own_pace():
    host = simulate(scenario_of(Work("copy", read_bytes_per_s=1e12, depth=1), length_s=120))
    reads, _, sectors, read_ms, *_, busy_ms, queue_ms = (
        np.diff(values)[5:].mean() for column, values in host.groups["disk"].items() if column in disk_columns("a")[:11]
    )
    assert busy_ms == pytest.approx(1_000, abs=2)
    assert read_ms == pytest.approx(1_000, abs=2)
    assert queue_ms >= read_ms
    assert read_ms / reads == pytest.approx(5.5 + 262_144 / 190e6 * 1e3, rel=0.1)
    assert sectors * SECTOR / reads == pytest.approx(262_144, rel=0.05)
