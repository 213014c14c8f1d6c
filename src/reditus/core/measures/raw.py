"""Any counter as a measure: `NAME{ATTRIBUTE=VALUE,...}`, its growth per second or its level, nothing derived."""

import re
from collections.abc import Iterable
from functools import lru_cache

from reditus.core.counters import COUNTERS, Counter
from reditus.core.errors import UnknownMeasure
from reditus.core.frame import Frame, Series
from reditus.core.measures.measure import Measure, Need, Resource, Unit
from reditus.core.schema import Column, Kind

_NAME = re.compile(r"^(?P<counter>[a-z0-9_.]+)(\{(?P<attributes>[^{}]*)\})?$")
_LEVELS = {"By": Unit.BYTES, "s": Unit.SECONDS, "1": Unit.COUNT}
_RATES = {"By": Unit.BYTES_PER_S, "s": Unit.SHARE}
_RESOURCES = (
    ("system.memory", Resource.MEMORY),
    ("system.paging", Resource.SWAP),
    ("system.disk", Resource.DISK),
    ("system.filesystem", Resource.DISK),
    ("system.network", Resource.NETWORK),
)


def is_counter(text: str) -> bool:
    """Whether a name, with or without attributes, is that of a counter."""
    found = _NAME.match(text)
    return found is not None and found["counter"] in COUNTERS


def spell_counter(column: Column) -> str:
    """The name that stands for exactly this column.

    >>> from reditus.core.kernel_columns import cpu_time
    >>> spell_counter(cpu_time("user", "0"))
    'system.cpu.time{cpu.logical_number=0,cpu.mode=user}'
    """
    if not column.attributes:
        return column.counter
    return f"{column.counter}{{{','.join(f'{key}={value}' for key, value in column.attributes)}}}"


@lru_cache(maxsize=1_024)
def counter_measure(text: str) -> Measure:
    """Raise UnknownMeasure where the text names no counter."""
    found = _NAME.match(text)
    if found is None or found["counter"] not in COUNTERS:
        raise UnknownMeasure(text, COUNTERS)
    counter = COUNTERS[found["counter"]]
    attributes = _attributes(found["attributes"])
    return Measure(
        name=text,
        title=counter.title,
        unit=_unit(counter),
        resource=next((each for start, each in _RESOURCES if counter.name.startswith(start)), Resource.PROCESSOR),
        help=counter.help,
        formula="Δ / Δt" if counter.kind is Kind.CUMULATIVE else "as read",
        needs=(Need(counter.name, attributes),),
        derive=lambda frame, _: _derive(frame, counter, dict(attributes)),
    )


def expanded(text: str, columns: Iterable[Column]) -> list[str]:
    """A counter stands for all of its columns, with attributes for those that have them.

    >>> from reditus.core.kernel_columns import cpu_time
    >>> columns = [cpu_time(mode, core) for mode in ("user", "idle") for core in ("0", "1")]
    >>> expanded("system.cpu.time{cpu.logical_number=1}", columns)[0]
    'system.cpu.time{cpu.logical_number=1,cpu.mode=user}'
    """
    found = _NAME.match(text)
    if found is None or found["counter"] not in COUNTERS:
        return [text]
    attributes = _attributes(found["attributes"])
    own = [column for column in columns if column.counter == found["counter"]]
    if attributes and any(tuple(sorted(column.attributes)) == attributes for column in own):
        return [text]
    matching = [column for column in own if set(attributes) <= set(column.attributes)]
    return list(dict.fromkeys(map(spell_counter, matching))) or [text]


def _attributes(text: str | None) -> tuple[tuple[str, str], ...]:
    """A value may hold an equals sign (an interrupt's name), a name may not."""
    parts = (part.partition("=") for part in (text or "").split(","))
    return tuple(sorted((key, value) for key, _, value in parts if key))


def _derive(frame: Frame, counter: Counter, attributes: dict[str, str]) -> Series:
    if counter.kind is Kind.LEVEL:
        return frame.level(counter.name, attributes)
    return frame.rate(counter.name, attributes, allow_decrease=counter.name == "system.cpu.time")


def _unit(counter: Counter) -> Unit:
    if counter.kind is Kind.LEVEL:
        return _LEVELS.get(counter.unit, Unit.COUNT)
    return _RATES.get(counter.unit, Unit.PER_S)
