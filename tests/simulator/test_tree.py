"""A made-up /proc tree read by the real recorder gives the simulator's own counters."""

from dataclasses import replace

import numpy as np
import pytest

from reditus.core.frame import BlockSlice, Frame
from reditus.core.frame_builder import assemble
from reditus.core.processes import processes_at
from reditus.core.types import NS_PER_S
from reditus.recorder.process_probe import Processes
from reditus.recorder.sampler import Sampler
from reditus.simulator import simulate
from reditus.simulator.fernhold import ARCHIVES, STITCH_01_MORNING
from reditus.simulator.processor import UPTIME_S
from reditus.simulator.tree import Tree

TICKS = range(1_100, 1_108)
"""Just as the stitching begins."""


def hosts():
    whole = [replace(answer.scenario, length_s=6_000) for answer in ARCHIVES[1:5]]
    return [STITCH_01_MORNING, *whole]


@pytest.mark.parametrize("scenario", hosts(), ids=lambda item: item.machine.name)
def test_the_recorder_reads_what_the_simulator_counted(scenario, tmp_path):
    host = simulate(scenario)
    tree = Tree(host, tmp_path)
    tree.write(TICKS[0])
    sampler = Sampler(root=str(tmp_path))
    expected = {
        column: values
        for group, columns in host.groups.items()
        # Filesystems are read by statvfs, states by sock_diag; the files of speeds and throttling are not made.
        if group not in ("process", "filesystem", "sockets.state", "throttle", "cpu.frequency")
        for column, values in columns.items()
    }
    slow = host.groups.get("sensor", {}).keys()
    for tick in TICKS:
        tree.write(tick)
        found = {
            column: value
            for reading in sampler.tick()
            for column, value in zip(reading.columns, reading.values.tolist(), strict=True)
        }
        differing = {column: (found.get(column), int(values[tick])) for column, values in expected.items()
                     if found.get(column) != int(values[tick])}  # fmt: skip
        assert not differing
        assert set(found) == set(expected)
        # They are read every ten seconds; the next ticks follow at once.
        expected = {column: values for column, values in expected.items() if column not in slow}
    sampler.close()


def test_processes_are_recorded_as_they_were_simulated(tmp_path):
    host = simulate(STITCH_01_MORNING)
    tree = Tree(host, tmp_path)
    now_s = [0.0]
    probe = Processes(str(tmp_path), boot_clock_s=lambda: now_s[0])
    pieces = []
    for tick in TICKS:
        now_s[0] = UPTIME_S + tick
        tree.write(tick)
        columns, values = probe.read(0)
        at = np.array([tick * NS_PER_S])
        pieces.append(
            BlockSlice("process", b"boot", NS_PER_S, at, at, dict(zip(columns, values.reshape(-1, 1), strict=True)))
        )
    recorded = Frame(assemble(pieces))
    own = host.frame()
    for tick in TICKS[1:]:
        found = {item.pid: item for item in processes_at(recorded, tick * NS_PER_S).heaviest}
        answer = {item.pid: item for item in processes_at(own, int(host.wall_ns[tick])).heaviest}
        assert set(found) == set(answer)
        for pid, entry in answer.items():
            assert (found[pid].start, found[pid].state) == (entry.start, entry.state)
            assert found[pid].usage.cpu_cores == pytest.approx(entry.usage.cpu_cores)
            assert found[pid].usage.memory_bytes == entry.usage.memory_bytes
            assert found[pid].usage.read_bytes_per_s == pytest.approx(entry.usage.read_bytes_per_s)
    names = {who.name for who in probe.take_identities()}
    assert {"stitch", "background"} <= names
    probe.close()
