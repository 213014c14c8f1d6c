"""Thermal zones and hardware monitors of /sys (Documentation/driver-api/thermal, hwmon/sysfs-interface.rst)."""

import re
from collections.abc import Iterator

from reditus.core.counters import SENSOR
from reditus.core.kernel_columns import kernel_column
from reditus.recorder.kernel_text import Field, Word
from reditus.recorder.sources.source import SLOW_S, Source, sections

_ZONE = re.compile(r"^/sys/class/thermal/(thermal_zone\d+)/(temp|type)$")
_MONITOR = re.compile(r"^/sys/class/hwmon/(hwmon\d+)/(?:(name)|((temp|fan|in|power|curr)\d+)_input)$")
# What a monitor's inputs are, and what one of their whole numbers is worth.
INPUTS = {
    "temp": ("hw.temperature", (1, 1_000)),
    "fan": ("hw.fan.speed", (1, 1)),
    "in": ("hw.voltage", (1, 1_000)),
    "power": ("hw.power", (1, 1_000_000)),
    "curr": ("hw.current", (1, 1_000)),
}


def learn(text: bytes) -> list[Field]:
    """Temperatures, fans and other sensors, with their names."""
    files = list(sections(text))
    names = dict(_names(files))
    fields: list[Field] = []
    for path, body in files:
        zone, monitor = _ZONE.match(path), _MONITOR.match(path)
        if not body:
            continue
        word = body[0][0]
        if zone and zone[2] == "temp":
            fields.append(_field("temp", f"{zone[1]} {names.get(zone[1], '')}".strip(), word))
        elif monitor and monitor[3]:
            fields.append(_field(monitor[4], f"{monitor[1]} {names.get(monitor[1], '')} {monitor[3]}", word))
    return fields


def _names(files: list[tuple[str, list[list[Word]]]]) -> Iterator[tuple[str, str]]:
    for path, body in files:
        zone, monitor = _ZONE.match(path), _MONITOR.match(path)
        owner = zone[1] if zone and zone[2] == "type" else monitor[1] if monitor and monitor[2] else None
        if owner and body:
            yield owner, body[0][0].text.decode("utf-8", "replace")


def _field(kind: str, name: str, word: Word) -> Field:
    counter, scale = INPUTS[kind]
    below_zero = word.text.startswith(b"-")
    return Field(kernel_column(counter, {SENSOR: " ".join(name.split())}, scale=scale), word.at + below_zero)


_MONITORS = "/sys/class/hwmon/hwmon*"
SOURCE = Source(
    "sensor",
    "/sys/class/thermal/thermal_zone*/type",
    learn,
    more=(
        "/sys/class/thermal/thermal_zone*/temp",
        f"{_MONITORS}/name",
        *(f"{_MONITORS}/{kind}*_input" for kind in INPUTS),
    ),
    pace_s=SLOW_S,
)
