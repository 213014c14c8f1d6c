"""Strain: quiet where no task loses time, dark where one does, and the same on a small and on a large host."""

from functools import lru_cache

import numpy as np
import pytest

from builders import BEGIN_NS, a_frame, a_piece, a_processor_frame
from reditus.core.facts import HostFacts, LinkFacts
from reditus.core.frame import Frame
from reditus.core.frame_builder import assemble
from reditus.core.kernel_columns import disk_columns, interface_columns, memory_size, stall_total, swap_pages
from reditus.core.measures import MEASURES, measure_named
from reditus.core.measures.strain import BEHIND, STRAIN, on_timebase, strain
from reditus.core.types import NS_PER_S
from reditus.simulator import simulate
from reditus.simulator.fernhold import ARCHIVES, HOUR_S, MIDNIGHT_NS

FERNHOLD = {answer.scenario.machine.name: answer.scenario for answer in ARCHIVES[1:]}


def last(frame, name, device=None):
    return float(measure_named(name).derive(frame, device).values[-1])


@lru_cache(maxsize=4)
def fernhold(name):
    return simulate(FERNHOLD[name]).frame()


def over(name, measure, start_h, end_h):
    plain, _, device = measure.partition("@")
    sampled = measure_named(plain).derive(fernhold(name), device or None)
    at_h = (sampled.timebase.wall_ns - MIDNIGHT_NS) / NS_PER_S / HOUR_S
    return float(np.nanmean(sampled.values[(at_h > start_h) & (at_h <= end_h)]))


def test_use_alone_comes_to_a_half_and_loss_to_one():
    use, loss = np.array([0.0, 0.5, 1.0, 0.0, 1.0, np.nan, np.nan, 0.4]), np.array([0, 0, 0, 1, 1, 0.3, np.nan, np.nan])
    expected = [0, 0.125, 0.5, 1, 1, 0.3, np.nan, 0.08]
    assert strain(use, loss) == pytest.approx(expected, nan_ok=True)


def test_strain_stays_between_nothing_and_all_whatever_comes():
    wild = np.array([-3.0, 7.0, np.nan, 0.5])
    for use in wild:
        answer = strain(np.full(4, use), wild)
        assert np.all(np.isnan(answer) | ((answer >= 0) & (answer <= 1)))


def test_busy_cores_are_half_as_dark_as_cores_that_are_waited_for():
    used = a_processor_frame(busy=[2.0] * 5, cores=2, stall=[0.0] * 5, runnable=[0] * 5)
    short = a_processor_frame(busy=[2.0] * 5, cores=2, stall=[1.0] * 5, runnable=[12] * 5)
    assert last(used, "cpu.strain") == pytest.approx(0.5)
    assert last(short, "cpu.strain") > 0.85


def memory_at(available_kib):
    sizes = {"MemTotal": 1_000, "MemFree": 10, "MemAvailable": available_kib, "Cached": 900}
    return a_frame({memory_size(name): [value] * 3 for name, value in sizes.items()}, group="memory")


def test_memory_shows_from_the_last_fifth_on_and_a_full_cache_never():
    assert last(memory_at(900), "memory.strain") == 0
    assert last(memory_at(210), "memory.strain") == 0
    assert last(memory_at(100), "memory.strain") == pytest.approx(0.125)
    assert last(memory_at(0), "memory.strain") == pytest.approx(0.5)


def swapping(pages_in, pages_out, held_kib=500):
    sizes = {"SwapTotal": 1_000, "SwapFree": 1_000 - held_kib}
    pieces = [
        a_piece({swap_pages("in"): [0, pages_in], swap_pages("out"): [0, pages_out]}, group="paging"),
        a_piece({memory_size(name): [value] * 2 for name, value in sizes.items()}, group="memory"),
    ]
    return Frame(assemble(pieces))


def test_swap_shows_traffic_and_not_what_is_parked():
    assert last(swapping(0, 0), "swap.strain") == 0
    assert last(swapping(0, 0, held_kib=1_000), "swap.strain") == pytest.approx(0.5)
    assert last(swapping(256, 0), "swap.strain") == pytest.approx(0.5)
    assert last(swapping(0, 256), "swap.strain") == pytest.approx(0.2)


def disk(requests, wait_ms, busy_ms, *, stalled_ms, name="sda"):
    """A second of reads; queue by Little's law."""
    columns = {column: [0, 0] for column in disk_columns(name)}
    order = disk_columns(name)
    spent_ms = requests * wait_ms
    for place, value in ((0, requests), (2, 8 * requests), (3, spent_ms), (9, busy_ms), (10, spent_ms)):
        columns[order[place]] = [0, value]
    stall = a_piece({stall_total("io", "some"): [0, stalled_ms * 1_000]}, group="pressure")
    return Frame(assemble([a_piece(columns, group="disks"), stall]))


def test_a_disk_that_streams_quickly_is_not_one_that_holds_tasks_up():
    streaming = last(disk(700, 1, 960, stalled_ms=870), "disk.strain", "sda")
    slow = last(disk(20, 400, 1_000, stalled_ms=950), "disk.strain", "sda")
    assert 0.45 < streaming < 0.6
    assert slow > 0.95


def test_tasks_stalled_on_io_that_no_disk_is_busy_with_show_on_the_machine_only():
    frame = disk(5, 1, 10, stalled_ms=1_000)
    assert last(frame, "disk.strain") > 0.95
    assert last(frame, "disk.strain", "sda") < 0.2


def link(received_bytes, errors=0):
    columns = {column: [0, 0] for column in interface_columns("ens4")}
    for column in columns:
        answer = dict(column.attributes)
        if answer.get("network.io.direction") == "receive":
            amount = {"system.network.io": received_bytes, "system.network.packet.count": 10_000}.get(column.counter, 0)
            columns[column] = [0, errors if column.counter == "system.network.errors" else amount]
    return a_frame(columns, facts=HostFacts(links={"ens4": LinkFacts(1_000_000_000, physical=True)}))


def test_a_link_darkens_when_it_is_nearly_full_or_damages_packets():
    assert last(link(12_500_000), "net.strain") == pytest.approx(0.005)
    assert last(link(125_000_000), "net.strain") == pytest.approx(0.8)
    assert last(link(12_500_000, errors=200), "net.strain", "ens4") == pytest.approx(0.5, abs=0.02)


def test_what_is_not_reported_darkens_nothing():
    answer = HostFacts(links={"ens4": LinkFacts(None)})
    columns = {column: [0, 10**8] for column in interface_columns("ens4")[:2]}
    assert last(a_frame(columns, facts=answer), "net.strain") == 0


def test_groups_with_other_ticks_are_laid_beside_each_other():
    slow = a_frame({stall_total("io", "some"): [0, 5_000_000, 5_000_000]}, group="slow", interval_s=10)
    quick = a_frame({stall_total("cpu", "some"): [0] * 25}, group="quick")
    timebase = quick.groups[0].timebase
    found = on_timebase(measure_named("stall.io.some").derive(slow, None), timebase)
    at_s = (timebase.wall_ns - BEGIN_NS) // NS_PER_S
    assert found[(at_s > 0) & (at_s <= 10)] == pytest.approx(0.5)
    assert found[(at_s > 10) & (at_s <= 20)] == pytest.approx(0.0)
    assert np.isnan(found[at_s > 20]).all()


@pytest.mark.parametrize(
    ("host", "measure", "start_h", "end_h", "least", "most"),
    [
        ("leafdb", "memory.strain", 2, 17, 0, 0.02),
        ("leafdb", "memory.strain", 29, 31, 0.9, 1),
        ("leafdb", "swap.strain", 29, 31, 0.6, 1),
        ("leafdb", "disk.strain@sdb", 29, 31, 0.9, 1),
        ("leafdb", "cpu.strain", 29, 31, 0, 0.1),
        ("vault", "net.strain", 0, 48, 0, 0.05),
        ("scan-gate", "disk.strain", 0, 48, 0, 0.05),
        ("reading-room", "memory.strain", 0, 48, 0, 0.02),
        ("reading-room", "swap.strain", 0, 48, 0, 0.02),
    ],
)
def test_the_story_of_fernhold_can_be_seen(host, measure, start_h, end_h, least, most):
    assert least <= over(host, measure, start_h, end_h) <= most


def test_every_strain_says_what_it_is_made_of():
    assert [measure.name for measure in STRAIN] == list(BEHIND)
    for measure in STRAIN:
        assert set(BEHIND[measure.name]) <= MEASURES.keys()
        behind = {need.counter for name in BEHIND[measure.name] for need in MEASURES[name].needs}
        assert {need.counter for need in measure.needs} == behind
