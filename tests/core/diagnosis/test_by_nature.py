"""What is so by nature, and no trouble: full images, tiny filesystems; and packets that are more than switches."""

import numpy as np
import pytest

from builders import BEGIN_NS, a_piece, processor_columns
from reditus.core.counters import FILESYSTEM_STATE, MOUNT
from reditus.core.diagnosis import diagnose
from reditus.core.frame import Frame
from reditus.core.frame_builder import assemble
from reditus.core.kernel_columns import CPU_MODES, cpu_time, interface_columns, kernel_column
from reditus.core.types import NS_PER_S
from reditus.core.window import Window

TICKS = 60
MIB = 1 << 20


def judged(groups, ticks=TICKS):
    pieces = [a_piece(columns, group=name) for name, columns in groups.items()]
    return diagnose(Frame(assemble(pieces)), Window(BEGIN_NS - NS_PER_S, BEGIN_NS + ticks * NS_PER_S))


def a_filesystem(size_mib, *, read_only=None):
    """Full to the last byte."""
    states = {"used": size_mib * MIB, "free": 0}
    columns = {
        kernel_column("system.filesystem.usage", {MOUNT: "/image", FILESYSTEM_STATE: state}): [value] * TICKS
        for state, value in states.items()
    }
    if read_only is not None:
        columns[kernel_column("system.filesystem.linux.read_only", {MOUNT: "/image"})] = [int(read_only)] * TICKS
    return {**processor_columns(busy=[0.1] * TICKS, cores=2), "filesystem": columns}


@pytest.mark.parametrize(
    ("size_mib", "read_only", "kinds"),
    [(900, None, ["fs.filling"]), (900, False, ["fs.filling"]), (900, True, []), (2, None, [])],
    ids=["not known", "writable", "an image", "tiny"],
)
def test_images_and_tiny_filesystems_are_full_by_nature(size_mib, read_only, kinds):
    assert [item.kind for item in judged(a_filesystem(size_mib, read_only=read_only)).findings] == kinds


def packets(per_s, *, soft, system, switches=0, spread=True):
    """From the 20th tick on so many packets a second; `soft` and `system` are shares of two cores."""
    on = (np.arange(TICKS) >= 20).astype(np.int64)

    def ticks_of(share, core):
        alone = 2 * share if core == 0 else 0.0
        return np.cumsum(np.round(on * 100 * (share if spread else alone))).astype(np.int64)

    cpu = {}
    for mode in CPU_MODES:
        each = {
            core: ticks_of(soft, core) if mode == "softirq" else np.cumsum(np.round(on * 100 * system)).astype(np.int64)
            if mode == "system" else np.zeros(TICKS, dtype=np.int64)
            for core in (0, 1)
        }  # fmt: skip
        if mode == "idle":
            busy = {core: ticks_of(soft, core) + np.cumsum(np.round(on * 100 * system)) for core in (0, 1)}
            each = {core: (np.arange(TICKS) * 100 - busy[core]).astype(np.int64) for core in (0, 1)}
        cpu |= {cpu_time(mode, str(core)): values for core, values in each.items()}
        cpu[cpu_time(mode)] = each[0] + each[1]
    cpu[kernel_column("system.cpu.context_switches")] = np.cumsum(on * switches)
    network = {column: np.zeros(TICKS, dtype=np.int64) for column in interface_columns("eth0")}
    network[interface_columns("eth0")[1]] = np.cumsum(on * per_s)
    return judged({"cpu": cpu, "network": network}).findings


def test_a_flood_of_packets_is_not_called_churn():
    (finding,) = packets(280_000, soft=0.25, system=0.5, switches=150_000)
    assert finding.kind == "cpu.packets"
    assert "280,000 packets a second" in finding.explanation
    assert "at eth0" in finding.explanation
    assert (finding.onset.at_ns - BEGIN_NS) / NS_PER_S == pytest.approx(19, abs=2)


def test_a_kernel_that_is_busy_without_packets_is_no_flood():
    assert "cpu.packets" not in [item.kind for item in packets(900, soft=0.25, system=0.5)]


def test_one_core_that_takes_all_packets_is_its_own_trouble():
    assert "cpu.packets" not in [item.kind for item in packets(280_000, soft=0.4, system=0.2, spread=False)]
