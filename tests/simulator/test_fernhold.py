"""The lab's two days: what is reported as true shows in the counters, and nothing else does."""

from functools import lru_cache

import numpy as np
import pytest

from reditus.core.diagnosis import diagnose
from reditus.core.diagnosis.disk import RULE as DISKS
from reditus.core.diagnosis.engine import build_diagnosis, judge, measures_of_recording
from reditus.core.diagnosis.growth import judge_growth_of_recording
from reditus.core.diagnosis.inputs import Readings
from reditus.core.diagnosis.parameters import Parameters
from reditus.core.diagnosis.rule import Context
from reditus.core.frame import Frame
from reditus.core.frame_builder import assemble
from reditus.core.identities import Identities
from reditus.core.kernel_columns import paging_event
from reditus.core.measures import Resource, measure_named
from reditus.core.processes import processes_at
from reditus.core.window import Window
from reditus.exchange.simulated import SimulatedArchive
from reditus.simulator import simulate
from reditus.simulator.fernhold import ARCHIVES, DAY_S, HOUR_S, LEAFDB, MIDNIGHT_NS, STORY, TWO_DAYS_S
from reditus.simulator.host import parts, pieces_of
from reditus.simulator.large import large_host, many_hosts
from reditus.simulator.thinning import thinned

S = 10**9
BY_NAME = {answer.scenario.machine.name: answer.scenario for answer in ARCHIVES[1:5]}


@lru_cache(maxsize=1)
def simulated(name):
    return simulate(BY_NAME[name])


def over(name, measure, start_h, end_h):
    """A measure's values between two hours of the story."""
    plain, _, device = measure.partition("@")
    sampled = measure_named(plain).derive(simulated(name).frame(), device or None)
    at_h = (sampled.timebase.wall_ns - MIDNIGHT_NS) / S / HOUR_S
    return sampled.values[(at_h > start_h) & (at_h <= end_h)]


def mean(*what):
    return float(np.nanmean(over(*what)))


def test_the_leak_leads_to_swap_then_to_stalls_and_to_an_end():
    name = "leafdb"
    assert mean(name, "swap.in", 0, 27) == 0
    assert mean(name, "memory.available", 7, 8) > 1.5 * mean(name, "memory.available", 20, 21)
    # The files no longer fit before programs do not: they are read again.
    assert mean(name, "disk.read.rate@sda", 20, 24) > 20 * max(mean(name, "disk.read.rate@sda", 6, 11), 1e5)
    assert mean(name, "memory.refaults", 20, 24) > 1_000
    assert mean(name, "swap.in", 29, 32) > 1e6
    assert mean(name, "stall.memory.some", 29, 32) > 0.9
    assert mean(name, "disk.queue@sdb", 29, 32) > 8
    assert mean(name, "disk.wait@sdb", 29, 32) > 4 * LEAFDB.disks[1].service_s
    assert mean(name, "cpu.load.1m", 29, 32) > 4
    assert mean(name, "cpu.busy", 29, 32) < 1
    read, swapped = over(name, "disk.read.rate@sdb", 28, 32), over(name, "swap.in", 28, 32)
    assert np.nanmean(read) == pytest.approx(np.nanmean(swapped), rel=0.02)
    kills = np.diff(simulated(name).groups["paging"][paging_event("oom_kill")])
    assert kills.sum() == 1
    (cause,) = [item for item in BY_NAME[name].causes if item.kind == "memory.oom_kill"]
    assert cause.start_s <= np.argmax(kills) * 5 <= cause.end_s
    assert mean(name, "stall.memory.some", 34, 47) == 0
    assert mean(name, "memory.available", 34, 47) > 0.4 * LEAFDB.memory_bytes
    (indexer,) = [identity for identity in simulated(name).identities if identity.name == "indexer"]
    assert [line.text for line in simulated(name).markers if line.source == "kernel"] == [
        f"Out of memory: Killed process {indexer.pid} (indexer)"
    ]


def test_one_disk_falls_behind_while_the_scrub_is_harmless():
    name = "vault"
    for disk in ("sdb", "sdd", "sdg"):
        assert mean(name, f"disk.busy@{disk}", 2, 5) > 0.7
        assert mean(name, f"disk.wait@{disk}", 2, 5) < 0.02
    assert mean(name, "disk.wait@sdd", 33, 40) > 10 * mean(name, "disk.wait@sdc", 33, 40)
    assert mean(name, "disk.queue@sdd", 33, 40) > 5 * mean(name, "disk.queue@sdc", 33, 40)
    volume, below = (
        over(name, "disk.read.rate@md0", 3, 4),
        [over(name, f"disk.read.rate@sd{x}", 3, 4) for x in "bcdefg"],
    )
    assert np.nanmean(volume) == pytest.approx(np.nanmean(np.sum(below, axis=0)), rel=1e-3)


def test_the_line_is_full_and_then_one_core_is():
    name = "scan-gate"
    assert mean(name, "net.send.use@enp1s0", 10.6, 12.1) > 0.9
    assert mean(name, "net.tcp.resent", 10.6, 12.1) > 5 * mean(name, "net.tcp.resent", 7, 9)
    assert mean(name, "cpu.softirq@0", 14.4, 15.1) > 0.9
    assert mean(name, "cpu.softirq@1", 14.4, 15.1) < 0.1
    assert mean(name, "net.backlog.dropped", 14.4, 15.1) > 1_000
    assert mean(name, "net.backlog.dropped", 16, 24) == 0


def test_the_reading_room_only_looks_ill():
    name = "reading-room"
    assert mean(name, "swap.held", 0, 48) > 1.5e9
    assert mean(name, "swap.in", 0, 48) == 0
    assert mean(name, "memory.free", 5, 48) < 0.03 * 16 * 2**30
    assert mean(name, "memory.available", 5, 48) > 0.6 * 16 * 2**30
    assert mean(name, "disk.busy@vda", 2.1, 3.4) > 0.95
    assert mean(name, "disk.wait@vda", 2.1, 3.4) < 2 * mean(name, "disk.wait@vda", 4, 5) + 0.001
    assert mean(name, "cpu.iowait", 2.1, 3.4) > 0.5
    assert mean(name, "cpu.busy", 12.1, 12.9) > 3.9
    assert mean(name, "stall.cpu.some", 12.1, 12.9) < 0.15
    assert mean(name, "cpu.load.1m", 19.1, 19.3) > 4
    assert mean(name, "cpu.busy", 19.1, 19.3) < 1
    # A job every fifteen minutes.
    reads = over(name, "disk.read.rate@vda", 4, 12)
    pattern = np.correlate(reads - reads.mean(), reads - reads.mean(), "full")[len(reads) :]
    assert np.argmax(pattern[90:270]) + 91 == pytest.approx(180, abs=2)
    gaps = np.diff(simulated(name).wall_ns) / S
    assert gaps.max() == pytest.approx(190, abs=10)
    assert (gaps > 6).sum() == 1


@pytest.mark.parametrize("answer", ARCHIVES, ids=lambda item: f"{item.scenario.machine.name}-{item.by}")
def test_causes_lie_inside_and_name_what_is_there(answer):
    machine = answer.scenario.machine
    devices = {disk.name for disk in machine.disks} | {link.name for link in machine.links}
    devices |= {str(core) for core in range(machine.cores)}
    kinds = {cause.kind for cause in answer.scenario.causes}
    for cause in answer.scenario.causes:
        assert 0 <= cause.start_s < cause.end_s <= TWO_DAYS_S
        assert cause.device is None or cause.device in devices
        assert cause.because_of is None or cause.because_of in kinds
        assert cause.story.endswith(".")
    assert all(0 <= line.at_s <= TWO_DAYS_S for line in answer.scenario.lines)


def test_the_story_is_found_where_it_is_reported_to_begin():
    pieces = [
        piece
        for part in thinned(parts(STORY.scenario), STORY.by)
        for piece in pieces_of(STORY.scenario, part, STORY.by)
    ]
    frame = Frame(assemble(pieces), STORY.scenario.machine.facts)
    diagnosis = diagnose(frame, Window(MIDNIGHT_NS, MIDNIGHT_NS + TWO_DAYS_S * S))
    true = [cause for cause in STORY.scenario.causes if cause.kind.startswith("cpu.")]
    entries = sorted([*diagnosis.findings, *diagnosis.ruled_out], key=lambda item: item.start_ns)
    found = [entry for entry in entries if entry.resource is Resource.PROCESSOR]
    assert {entry.kind for entry in entries if entry not in found} <= {"memory.free_low", "memory.cache_growth"}
    # What comes on both days is said once, with its times.
    times = sorted(
        (time.start_ns, time.end_ns, entry.kind)
        for entry in found
        for time in (getattr(entry, "occurrences", ()) or (entry,))
    )
    assert [kind for _, _, kind in times] == [cause.kind for cause in sorted(true, key=lambda item: item.start_s)]
    for (start_ns, end_ns, _), cause in zip(times, sorted(true, key=lambda item: item.start_s), strict=True):
        assert (start_ns - MIDNIGHT_NS) / S == pytest.approx(cause.start_s, abs=10)
        assert (end_ns - MIDNIGHT_NS) / S == pytest.approx(cause.end_s, abs=10)
    at_work = processes_at(frame, MIDNIGHT_NS + round((9 * HOUR_S + 25 * 60) * S))
    assert sum(item.usage.cpu_cores for item in at_work.heaviest) == pytest.approx(8, abs=0.4)


def test_an_archive_is_reported_in_parts_of_bounded_size():
    archive = SimulatedArchive(large_host(cores=4, disks=2, links=2, length_s=30_000), by=5)
    known = {schema.digest for schema in archive.schemas()}
    ticks = 0
    for blocks, answer in archive.batches():
        assert isinstance(answer, Identities)
        assert {block.schema for block in blocks} == known
        assert max(block.ticks for block in blocks) <= 3_600
        ticks += blocks[0].ticks
    assert ticks == archive.ticks == 6_001


def test_many_hosts_differ_and_come_one_by_one():
    hosts = [simulate(scenario) for scenario in many_hosts(3, length_s=600)]
    assert len({host.scenario.archive for host in hosts}) == 3
    busy = [measure_named("cpu.busy").derive(host.frame(), None).values[1:] for host in hosts]
    assert not np.array_equal(busy[0], busy[1])


def test_weekends_are_quieter():
    scenario = large_host(cores=2, disks=1, links=1, length_s=int(4 * DAY_S), interval_s=60.0)
    pieces = [piece for part in parts(scenario) for piece in pieces_of(scenario, part) if piece.group == "cpu"]
    frame = Frame(assemble(pieces))
    busy = measure_named("cpu.busy").derive(frame, None).values
    day = int(DAY_S / 60)
    thursday, saturday = (busy[at * day + 540 : at * day + 1_020].mean() for at in (0, 2))
    assert saturday < 0.7 * thursday


def test_what_rules_read_over_a_recording_is_declared(monkeypatch):
    """A leak, swap and a disk that it fills: normals, growth, and the chain between them."""
    read = set()

    def recorded(name):
        real = getattr(Readings, name)

        def wrapped(readings, measure, device=None):
            read.add(measure)
            return real(readings, measure, device)

        return wrapped

    readings = Readings(simulated("leafdb").frame())
    output = judge(readings)
    monkeypatch.setattr(Readings, "over_all", recorded("over_all"))
    build_diagnosis(output, readings, Window(MIDNIGHT_NS, MIDNIGHT_NS + TWO_DAYS_S * S))
    DISKS.judge(Context(readings, Parameters()))
    monkeypatch.setattr(Readings, "sampled", recorded("sampled"))
    assert judge_growth_of_recording(Context(readings, Parameters()))
    assert {"disk.wait", "swap.in", "memory.programs"} <= read <= set(measures_of_recording())
