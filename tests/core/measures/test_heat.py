"""Sensors and core speed, on values worked out by hand."""

import numpy as np

from builders import a_frame
from reditus.core.counters import (
    CPU_NUMBER,
    SENSOR,
)
from reditus.core.kernel_columns import kernel_column
from reditus.core.measures import measure_named


def last(frame, name, device=None):
    value = float(measure_named(name).derive(frame, device).values[-1])
    return None if np.isnan(value) else round(value, 6)


def test_of_the_machine_the_hottest_sensor_and_the_slowest_fan_count():
    frame = a_frame(
        {
            kernel_column("hw.temperature", {SENSOR: "a"}, scale=(1, 1_000)): [40_500, 41_500],
            kernel_column("hw.temperature", {SENSOR: "b"}, scale=(1, 1_000)): [-5_000, 60_000],
            kernel_column("hw.fan.speed", {SENSOR: "front"}): [900, 800],
            kernel_column("hw.fan.speed", {SENSOR: "back"}): [900, 1_200],
        },
        group="sensor",
    )
    assert (last(frame, "heat.temperature"), last(frame, "heat.temperature", "a")) == (60, 41.5)
    assert (last(frame, "heat.fan"), last(frame, "heat.fan", "back")) == (800, 1_200)


def test_the_speed_of_the_machine_is_that_of_its_cores_on_average():
    columns = {
        kernel_column("system.cpu.frequency", {CPU_NUMBER: core}, scale=(1_000, 1)): [800_000, khz]
        for core, khz in (("0", 800_000), ("1", 3_600_000))
    }
    frame = a_frame(columns, group="cpu.frequency")
    assert (last(frame, "cpu.speed"), last(frame, "cpu.speed", "1")) == (2.2e9, 3.6e9)
