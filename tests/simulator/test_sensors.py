"""Sensors follow the work and the room, and hot cores are slow."""

import numpy as np
import pytest

from reditus.core.measures import measure_named
from reditus.simulator import simulate
from reditus.simulator.fernhold import ARCHIVES, at

VAULT = ARCHIVES[2].scenario


@pytest.fixture(scope="module")
def frame():
    return simulate(VAULT).frame()


def values(frame, name, device=None):
    return measure_named(name).derive(frame, device).values


def test_sensors_are_warm_while_the_room_is_and_below_their_limits_otherwise(frame):
    hours = np.arange(VAULT.ticks) * VAULT.interval_s
    warm = (hours > at(15)) & (hours < at(16))
    facts = VAULT.machine.facts
    for name, sensor in facts.sensors.items():
        if sensor.high is None:
            continue
        shown = values(frame, "heat.temperature", name)
        assert shown[warm].mean() - shown[hours < at(12)].mean() > 14, sensor.label
        assert shown[hours < at(12)].max() < sensor.high
    fan = values(frame, "heat.fan")
    assert fan[warm].mean() > 1.3 * fan[hours < at(12)].mean()


def test_hot_cores_are_slow(frame):
    hours = np.arange(VAULT.ticks) * VAULT.interval_s
    hot = (hours > at(14, 40)) & (hours < at(16, 20))
    assert values(frame, "cpu.speed")[hot].max() <= 0.7 * 3.6e9 + 1e7
    assert np.nansum(values(frame, "cpu.throttles")[hot]) > 0
