"""The made-up hour: it obeys the arithmetic of a machine, and its truth is what the rules find."""

import numpy as np
import pytest

from reditus.core.blocks import read_blocks
from reditus.core.diagnosis import diagnose
from reditus.core.measures import MEASURES, measure_named
from reditus.core.types import NS_PER_S
from reditus.core.window import Window
from reditus.exchange.simulated import as_recording
from reditus.simulator import simulate, simulated
from reditus.simulator.fernhold import STITCH_01_MORNING


@pytest.fixture(scope="module")
def host():
    return simulate(STITCH_01_MORNING)


@pytest.fixture(scope="module")
def frame(host):
    return host.frame()


def values(frame, name, device=None):
    return measure_named(name).derive(frame, device).values[1:]


def test_the_same_seed_gives_the_same_bytes(host):
    again = simulate(STITCH_01_MORNING)
    assert [block.to_bytes() for block in as_recording(again).blocks()] == [
        block.to_bytes() for block in as_recording(host).blocks()
    ]


def test_cumulative_counters_never_fall(host):
    for columns in host.groups.values():
        for column, series in columns.items():
            if column.kind.value == "cumulative":
                assert (np.diff(series) >= 0).all(), column


def test_a_cores_modes_add_up_to_its_time(frame):
    parts = [
        values(frame, f"cpu.{mode}", "3")
        for mode in ("user", "nice", "system", "interrupt", "softirq", "iowait", "idle")
    ]
    assert np.nansum(parts, axis=0) == pytest.approx(1.0)
    assert not np.isnan(parts).any()


def test_memory_adds_up_to_the_total(frame):
    names = ("programs", "shared", "huge", "kernel", "cache", "other", "free")
    total = np.sum([values(frame, f"memory.{name}") for name in names], axis=0)
    assert total == pytest.approx(values(frame, "memory.total"))


def test_the_disk_obeys_littles_law(frame):
    rate = values(frame, "disk.read.requests") + values(frame, "disk.write.requests")
    loud = rate > 50
    expected = (rate * values(frame, "disk.wait"))[loud]
    # Counters are whole numbers of requests and milliseconds, a second apart.
    assert values(frame, "disk.queue")[loud] == pytest.approx(expected, rel=0.15, abs=0.02)


def test_what_does_not_fit_waits(frame):
    full = values(frame, "cpu.waiting") > 1
    assert (values(frame, "cpu.busy")[full] > 7.8).all()
    assert values(frame, "cpu.load.1m")[full].max() > 12


def test_every_measure_can_be_derived(frame):
    # Neither quotas nor heat are simulated on this host, and it has no sensors.
    lacking = {"cpu.quota", "cpu.throttles", "cpu.speed", "heat.temperature", "heat.fan", "heat.power"}
    for measure in (item for item in MEASURES.values() if item.name not in lacking and item.whole):
        assert len(measure.derive(frame, None)) == 3_601, measure.name


def test_the_rules_find_the_truth_that_they_can_know(host, frame):
    window = Window(int(host.wall_ns[0]), int(host.wall_ns[-1]))
    diagnosis = diagnose(frame, window)
    begin_ns = STITCH_01_MORNING.begin_ns
    answer = {cause.kind: cause for cause in STITCH_01_MORNING.causes}
    found = [*diagnosis.findings, *diagnosis.ruled_out]
    # Files fill the memory that stitching leaves, and no task lacks any: nothing that the story is about.
    assert [finding.kind for finding in diagnosis.findings] == ["cpu.saturated", "cpu.one_core"]
    assert [item.kind for item in diagnosis.ruled_out] == [
        "memory.cache_growth",
        "memory.free_low",
        "cpu.busy_unwaited",
    ]
    for entry in (match for match in found if match.kind in answer):
        cause = answer[entry.kind]
        assert (entry.start_ns - begin_ns) / NS_PER_S == pytest.approx(cause.start_s, abs=2)
        assert (entry.end_ns - begin_ns) / NS_PER_S == pytest.approx(cause.end_s, abs=2)


def test_simulated_archives_are_reported_as_blocks_of_their_schemas():
    for recording in map(as_recording, simulated()):
        widths = {schema.digest: len(schema.columns) for schema in recording.schemas()}
        for block in recording.blocks():
            (read,) = read_blocks(block.to_bytes())
            assert read.columns == widths[read.schema]
