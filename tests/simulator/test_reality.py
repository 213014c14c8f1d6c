"""Hosts set up like real ones that were captured give counters of the same size and shape.

The real figures are means over the middle of the fault, read from captures of a 6.18 kernel on two virtual cores with
Reditus's own measures; where the captures lie beside the checkout, they are read again.
"""

import json
from pathlib import Path
from uuid import UUID

import numpy as np
import pytest

from reditus.core.measures import measure_named
from reditus.exchange import read_capture
from reditus.simulator import simulate
from reditus.simulator.scenario import GIB, Disk, DiskKind, Link, Machine, Scenario, Work

CAPTURES = Path(__file__).resolve().parents[3] / "shared" / "captures"
S = 10**9
LIKE_VDA = Disk("vda", service_s=0.00013, parallel=5, bytes_per_s=750e6)
LIKE_LOOP1 = Disk("loop1", DiskKind.NETWORK, service_s=0.00166, parallel=1, bytes_per_s=400e6)


def machine(*disks, memory_bytes=24 * GIB, **more):
    return Machine(
        UUID(int=1),
        "alike",
        2,
        memory_bytes,
        disks,
        (Link("eth0"),),
        programs_bytes=more.pop("programs_bytes", GIB // 2),
        cache_bytes=more.pop("cache_bytes", GIB),
        swap_bytes=4 * GIB,
        parked_bytes=0,
        **more,
    )


def alike(*works, on):
    return Scenario(on, UUID(int=2), "alike", 1_794_474_000 * S, 240, 1.0, 9, works)


# Of each: what was done, what was measured (value of the real machine, and the factor within which ours has to be).
CASES = {
    "cpu-all": (
        alike(Work("burn", workers=6), on=machine(LIKE_VDA)),
        {"cpu.busy": (1.99, 1.1), "cpu.waiting": (4.0, 1.3), "stall.cpu.some": (0.999, 1.1)},
        {"stall.io.some": 0.05, "cpu.iowait": 0.1, "swap.in": 1.0},
    ),
    "disk-busy-ok": (
        alike(
            Work("read", workers=1, intensity=0.08, read_bytes_per_s=5e9, read_size=524_288, depth=2, waits=0.5),
            on=machine(LIKE_VDA),
        ),
        {
            "disk.busy@vda": (0.959, 1.2),
            "disk.queue@vda": (1.77, 1.5),
            "disk.wait@vda": (0.00145, 2.0),
            "disk.read.rate@vda": (656e6, 2.0),
            "disk.read.size@vda": (524_000, 1.1),
            "stall.io.some": (0.836, 1.3),
            "cpu.iowait": (0.743, 2.0),
            "cpu.blocked": (0.905, 1.5),
        },
        {"stall.cpu.some": 0.1, "cpu.waiting": 0.3, "swap.in": 1.0},
    ),
    "disk-sat-random": (
        alike(
            Work(
                "read",
                workers=1,
                intensity=0.01,
                read_bytes_per_s=5e9,
                read_size=4_096,
                depth=21,
                waits=0.0,
                disk="loop1",
            ),
            Work(
                "write",
                workers=1,
                intensity=0.01,
                write_bytes_per_s=5e9,
                write_size=4_096,
                depth=11,
                waits=0.0,
                disk="loop1",
            ),
            on=machine(LIKE_VDA, LIKE_LOOP1),
        ),
        {
            "disk.busy@loop1": (1.0, 1.05),
            "disk.queue@loop1": (31.9, 1.2),
            "disk.wait@loop1": (0.0538, 1.3),
            "disk.read.requests@loop1": (398, 1.3),
            "disk.write.requests@loop1": (196, 1.3),
        },
        {"stall.io.some": 0.1, "cpu.iowait": 0.1, "cpu.blocked": 0.2},
    ),
    "swap-disk": (
        # The real one had 384 MB inside a control group of 192 MB; a machine as short of memory stands in for the
        # group.
        alike(
            Work("touch", workers=1, intensity=0.5, kernel_share=0.6, memory_bytes=5 * GIB),
            on=machine(
                LIKE_VDA,
                memory_bytes=4 * GIB,
                touch_bytes_per_s=2.6e8,
                swap_read_bytes=4_096,
                swap_write_bytes=4_096,
                cache_bytes=GIB // 8,
            ),
        ),
        {
            "swap.in": (74.5e6, 2.0),
            "swap.out": (74.9e6, 2.0),
            "disk.read.requests@vda": (18_200, 2.0),
            "disk.wait@vda": (0.00047, 2.0),
            "disk.busy@vda": (0.784, 1.5),
            "disk.queue@vda": (17.0, 2.5),
            "stall.io.some": (0.561, 2.0),
            "memory.faults.major": (18_200, 2.0),
        },
        {"cpu.waiting": 0.5},
    ),
    "normal": (
        alike(
            Work(
                "mixed",
                workers=2,
                intensity=0.12,
                read_bytes_per_s=2.26e6,
                read_size=16_384,
                write_bytes_per_s=3.1e6,
                write_size=31_000,
                waits=0.2,
                depth=4,
            ),
            on=machine(LIKE_VDA),
        ),
        {
            "cpu.busy": (0.431, 1.5),
            "disk.read.requests@vda": (123, 1.5),
            "disk.write.requests@vda": (124, 1.5),
            "disk.wait@vda": (0.000142, 5.0),
        },
        {"stall.cpu.some": 0.1, "stall.io.some": 0.1, "cpu.waiting": 0.3, "swap.in": 1.0},
    ),
}


def means(frame, names, start_ns, end_ns):
    out = {}
    for name in names:
        measure, _, device = name.partition("@")
        sampled = measure_named(measure).derive(frame, device or None)
        inside = (sampled.timebase.wall_ns > start_ns) & (sampled.timebase.wall_ns <= end_ns)
        out[name] = float(np.nanmean(sampled.values[inside]))
    return out


@pytest.mark.parametrize("name", CASES)
def test_a_host_set_up_alike_counts_alike(name):
    scenario, real, small = CASES[name]
    frame = simulate(scenario).frame()
    ours = means(frame, [*real, *small], scenario.begin_ns + 100 * S, scenario.begin_ns + 220 * S)
    wrong = {
        measure: (ours[measure], value)
        for measure, (value, factor) in real.items()
        if not value / factor <= ours[measure] <= value * factor
    }
    assert not wrong
    assert not {measure: ours[measure] for measure, most in small.items() if ours[measure] > most}


@pytest.mark.skipif(not CAPTURES.is_dir(), reason="the captures are not beside this checkout")
@pytest.mark.parametrize("name", CASES)
def test_the_real_figures_are_those_of_the_captures(name):
    _, real, small = CASES[name]
    label = json.loads((CAPTURES / f"{name}.json").read_text())
    frame = read_capture(CAPTURES / f"{name}.txt.zst").recording.frame()
    found = means(frame, [*real, *small], int((label["start"] + 6) * S), int((label["end"] - 4) * S))
    assert {measure: found[measure] for measure in real} == pytest.approx(
        {measure: value for measure, (value, _) in real.items()}, rel=0.02
    )
    assert not {measure: found[measure] for measure, most in small.items() if found[measure] > most}
