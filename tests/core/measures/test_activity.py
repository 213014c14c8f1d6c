"""Memory by activity, swap by device, load per core, on values worked out by hand."""

import numpy as np

from builders import a_frame
from reditus.core.counters import (
    CPU_NUMBER,
    DISK,
    PAGING_STATE,
)
from reditus.core.kernel_columns import kernel_column, load_average, memory_size
from reditus.core.measures import measure_named


def last(frame, name, device=None):
    value = float(measure_named(name).derive(frame, device).values[-1])
    return None if np.isnan(value) else round(value, 6)


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
