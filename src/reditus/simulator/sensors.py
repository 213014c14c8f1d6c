"""Sensors of a simulated machine: temperatures follow the work and the room, fans the temperatures."""

import numpy as np

from reditus.core.counters import CPU_NUMBER, SENSOR
from reditus.core.filters import damped
from reditus.core.kernel_columns import kernel_column
from reditus.core.schema import Column
from reditus.core.types import FloatArray, IntArray
from reditus.simulator.counting import Wander
from reditus.simulator.scenario import FaultKind, Scenario, Sensor
from reditus.simulator.troubles import SLOWED, Troubles

STEP = 500
"""Sensors tell half degrees, in thousandths."""
MILLI = (1, 1_000)
RPM_A_DEGREE = 45.0
LOWEST_KHZ, HIGHEST_KHZ = 800_000, 3_600_000


class Sensors:
    """The sensors of a scenario and the speed of its cores, part by part."""

    def __init__(self, scenario: Scenario) -> None:
        self._scenario, self._machine = scenario, scenario.machine
        self._troubles = Troubles(scenario)
        self._warmth = {item.name: np.zeros(1) for item in self._machine.sensors}
        self._noise = {
            item.name: Wander(scenario.seed, item.name, spread=0.012, memory_s=60.0, interval_s=scenario.interval_s)
            for item in self._machine.sensors
        }

    def counters(self, at_s: FloatArray, per_core: FloatArray) -> dict[str, dict[Column, IntArray]]:
        """What they tell at each tick; `per_core` is the share of each core that worked, shape (cores, ticks). Nothing
        where the machine has no sensors.
        """
        if not self._machine.sensors:
            return {}
        busy: FloatArray = per_core.mean(axis=0)
        shown: dict[Column, IntArray] = {}
        for sensor in self._machine.sensors:
            shown |= self._sensed(sensor, at_s, busy)
        return {"sensor": shown, "cpu.frequency": self._speeds(at_s, per_core)}

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
