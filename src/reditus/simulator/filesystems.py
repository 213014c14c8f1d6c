"""Filesystems of a simulated machine: they fill with some of what is written to their disks."""

import numpy as np

from reditus.core.counters import FILESYSTEM_STATE, MOUNT
from reditus.core.kernel_columns import kernel_column
from reditus.core.schema import Column
from reditus.core.types import FloatArray, IntArray
from reditus.simulator.disks import Served
from reditus.simulator.scenario import Filesystem, Scenario

RESERVED = 0.02
"""Of a filesystem, what only root may take."""
BYTES_AN_INODE, BYTES_A_FILE = 32 * 1024, 400 * 1024


class Filesystems:
    """The filesystems of a scenario, part by part."""

    def __init__(self, scenario: Scenario) -> None:
        self._scenario, self._machine = scenario, scenario.machine
        self._below = {disk.name: disk.on or (disk.name,) for disk in self._machine.disks}
        self._grown = {item.mount: 0.0 for item in self._machine.filesystems}

    def counters(self, ticks: int, served: dict[str, Served]) -> dict[str, dict[Column, IntArray]]:
        """Space and inodes at each tick; nothing where the machine has no filesystems."""
        out: dict[Column, IntArray] = {}
        for filesystem in self._machine.filesystems:
            below = self._below[filesystem.disk]
            written = sum((served[name].write_bytes for name in below if name in served), np.zeros(ticks))
            out |= self._space(filesystem, written)
        return {"filesystem": out} if out else {}

    def _space(self, filesystem: Filesystem, written: FloatArray) -> dict[Column, IntArray]:
        grown = self._grown[filesystem.mount] + np.cumsum(written * filesystem.kept * self._scenario.interval_s)
        self._grown[filesystem.mount] = float(grown[-1])
        most = int(filesystem.size_bytes * (1 - RESERVED))
        # In blocks of 4 KiB, as filesystems count.
        used = np.minimum(filesystem.used_bytes + grown, most).astype(np.int64) // 4_096 * 4_096
        inodes, taken = filesystem.size_bytes // BYTES_AN_INODE, used // BYTES_A_FILE
        mount = {MOUNT: filesystem.mount}
        usage, inode = "system.filesystem.usage", "system.filesystem.linux.inodes"
        reserved = np.full(len(used), filesystem.size_bytes - most)
        return {
            kernel_column(usage, {**mount, FILESYSTEM_STATE: "used"}): used,
            kernel_column(usage, {**mount, FILESYSTEM_STATE: "free"}): most - used,
            kernel_column(usage, {**mount, FILESYSTEM_STATE: "reserved"}): reserved,
            kernel_column(inode, {**mount, FILESYSTEM_STATE: "used"}): taken,
            kernel_column(inode, {**mount, FILESYSTEM_STATE: "free"}): inodes - taken,
            kernel_column("system.filesystem.linux.read_only", mount): np.zeros(len(used), dtype=np.int64),
        }
