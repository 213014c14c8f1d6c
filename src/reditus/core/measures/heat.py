"""What sensors say: temperatures, fans, power; and how fast the cores run."""

from collections.abc import Callable
from functools import partial

import numpy as np

from reditus.core.errors import UnknownCounter
from reditus.core.frame import Frame, Series
from reditus.core.measures.measure import Measure, Need, Per, Reach, Resource, Unit, highest
from reditus.core.types import FloatArray

FREQUENCY = "system.cpu.frequency"
Joining = Callable[[list[FloatArray]], FloatArray]


def _levels(frame: Frame, device: str | None, *, counter: str, by: str, join: Joining) -> Series:
    """The device's own level, or what all of them come to."""
    names = [device] if device is not None else frame.values_of(counter, by)
    if not names:
        raise UnknownCounter(counter)
    each = [frame.level(counter, {by: name}) for name in names]
    return Series(each[0].timebase, each[0].values if len(each) == 1 else join([item.values for item in each]))


def _summed(each: list[FloatArray]) -> FloatArray:
    total: FloatArray = np.sum(each, axis=0)
    return total


def _lowest(each: list[FloatArray]) -> FloatArray:
    return -highest([-values for values in each])


def _mean(each: list[FloatArray]) -> FloatArray:
    return _summed(each) / len(each)


def _measure(name: str, title: str, unit: Unit, text: str, counter: str, join: Joining, per: Per) -> Measure:
    return Measure(
        name, title, unit, Resource.PROCESSOR, text, "as read",
        (Need(counter, (), Reach.THIS), Need(counter, (), Reach.WHOLE)),
        partial(_levels, counter=counter, by=per.value, join=join), per=per,
    )  # fmt: skip


HEAT = [
    _measure(
        "heat.temperature", "Temperature", Unit.CELSIUS,
        "What a sensor tells; of the machine, the hottest. Each has a limit of its own.",
        "hw.temperature", highest, Per.SENSOR,
    ),
    _measure(
        "heat.fan", "Fan speed", Unit.PER_MIN, "Revolutions per minute; of the machine, the slowest fan.",
        "hw.fan.speed", _lowest, Per.SENSOR,
    ),
    _measure(
        "heat.power", "Power", Unit.WATTS,
        "What a sensor tells; of the machine, the highest: sensors of a part and of the whole may count the same.",
        "hw.power", highest, Per.SENSOR,
    ),
    _measure(
        "cpu.speed", "Core speed", Unit.HERTZ,
        "The speed of a core, as its driver tells it; of the machine, the mean. A slow idle core saves power.",
        FREQUENCY, _mean, Per.CORE,
    ),
]  # fmt: skip
