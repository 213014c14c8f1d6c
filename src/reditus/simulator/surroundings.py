"""What a simulated machine has around it: filesystems that fill with what is written, sensors that follow the work."""

import numpy as np

from reditus.core.counters import CPU_NUMBER, FILESYSTEM_STATE, MOUNT, SENSOR
from reditus.core.filters import damped
from reditus.core.kernel_columns import kernel_column
from reditus.core.schema import Column
from reditus.core.types import FloatArray, IntArray
from reditus.simulator.counting import Wander
from reditus.simulator.disks import Served
from reditus.simulator.scenario import FaultKind, Filesystem, Scenario, Sensor
from reditus.simulator.troubles import SLOWED, Troubles

RESERVED = 0.02
"""Of a filesystem, what only root may take."""
BYTES_AN_INODE, BYTES_A_FILE = 32 * 1024, 400 * 1024
STEP = 500
"""Sensors tell half degrees, in thousandths."""
MILLI = (1, 1_000)
RPM_A_DEGREE = 45.0
LOWEST_KHZ, HIGHEST_KHZ = 800_000, 3_600_000


class Surroundings:
    """Filesystems and sensors of a scenario, part by part."""

    def __init__(self, scenario: Scenario) -> None:
        self._scenario, self._machine = scenario, scenario.machine
        self._troubles = Troubles(scenario)
        self._below = {disk.name: disk.on or (disk.name,) for disk in self._machine.disks}
        self._grown = {item.mount: 0.0 for item in self._machine.filesystems}
        self._warmth = {item.name: np.zeros(1) for item in self._machine.sensors}
        self._noise = {
            item.name: Wander(scenario.seed, item.name, spread=0.012, memory_s=60.0, interval_s=scenario.interval_s)
            for item in self._machine.sensors
        }

    def counters(
        self, at_s: FloatArray, served: dict[str, Served], per_core: FloatArray
    ) -> dict[str, dict[Column, IntArray]]:
        """Counters at each tick; `per_core` is the share of each core that worked, shape (cores, ticks)."""
        busy: FloatArray = per_core.mean(axis=0)
        out: dict[str, dict[Column, IntArray]] = {}
        for filesystem in self._machine.filesystems:
            below = self._below[filesystem.disk]
            written = sum((served[name].write_bytes for name in below if name in served), np.zeros(len(at_s)))
            out.setdefault("filesystem", {}).update(self._space(filesystem, written))
        for sensor in self._machine.sensors:
            out.setdefault("sensor", {}).update(self._sensed(sensor, at_s, busy))
        if self._machine.sensors:
            out["cpu.frequency"] = self._speeds(at_s, per_core)
        return out

    def _speeds(self, at_s: FloatArray, per_core: FloatArray) -> dict[Column, IntArray]:
        """A core runs the faster the more it has to do, and slower where it is too hot."""
        hot = self._troubles.level(FaultKind.HEAT, at_s) > 0
        most = np.where(hot, SLOWED * HIGHEST_KHZ, HIGHEST_KHZ)
        speeds = LOWEST_KHZ + (most - LOWEST_KHZ) * np.minimum(per_core * 1.6, 1.0)
        return {
            kernel_column("system.cpu.frequency", {CPU_NUMBER: str(core)}, scale=(1_000, 1)): np.round(
                speeds[core], -4
            ).astype(np.int64)
            for core in range(len(speeds))
        }

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

    def _sensed(self, sensor: Sensor, at_s: FloatArray, busy: FloatArray) -> dict[Column, IntArray]:
        kept = float(np.exp(-self._scenario.interval_s / sensor.memory_s))
        warmth, self._warmth[sensor.name] = damped(busy, kept, gain=1.0 - kept, state=self._warmth[sensor.name])
        room = self._troubles.level(FaultKind.WARM_ROOM, at_s)
        value = sensor.idle + (sensor.busy - sensor.idle) * warmth + room * (RPM_A_DEGREE if sensor.is_fan else 1.0)
        value = value * self._noise[sensor.name](len(at_s))
        if sensor.is_fan:
            return {kernel_column("hw.fan.speed", {SENSOR: sensor.name}): np.round(value / 10).astype(np.int64) * 10}
        shown = np.round(value * 1_000 / STEP).astype(np.int64) * STEP
        return {kernel_column("hw.temperature", {SENSOR: sensor.name}, scale=MILLI): shown}
