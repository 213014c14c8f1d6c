"""OpenMetrics text with times (OpenMetrics 1.0, "Text format"): a sample a line, those of a family together."""

import re
from array import array
from collections.abc import Iterator
from dataclasses import dataclass, field
from decimal import Decimal, InvalidOperation
from pathlib import Path

import numpy as np

from reditus.core.counters import COUNTERS
from reditus.core.durations import counted
from reditus.core.types import NS_PER_S, FloatArray, IntArray
from reditus.exchange.incoming.mapping import ColumnMapping, MappingError
from reditus.exchange.incoming.times import LATEST_NS
from reditus.exchange.incoming.typed import Chunk, TypedTable

MOST_SAMPLES = 20_000_000
MOST_SERIES = 10_000
MOST_LINE = 64 << 10
CHUNK_TICKS = 3_600
_SAMPLE = re.compile(
    r"^(?P<name>[a-zA-Z_:][a-zA-Z0-9_:]*)(?:\{(?P<labels>.*)\})? (?P<value>\S+)(?: (?P<time>[0-9.eE+-]+))?$"
)
_LABEL = re.compile(r'([a-zA-Z_][a-zA-Z0-9_]*)="((?:[^"\\]|\\.)*)"(?:,|$)')
_ESCAPES = {"\\\\": "\\", '\\"': '"', "\\n": " "}
_UNITS = {"bytes": "By", "seconds": "s", "celsius": "Cel", "watts": "W", "hertz": "Hz", "joules": "J",
          "bytes_per_second": "By/s", "per_second": "1/s", "ratio": "1"}  # fmt: skip
_GROWING = ("counter", "histogram", "summary")


@dataclass(slots=True)
class _Series:
    column: ColumnMapping
    times_ns: "array[int]" = field(default_factory=lambda: array("q"))
    values: "array[float]" = field(default_factory=lambda: array("d"))


@dataclass(slots=True)
class _Families:
    """What the lines with a # say."""

    kinds: dict[str, str] = field(default_factory=dict)
    units: dict[str, str] = field(default_factory=dict)

    def of(self, sample: str) -> tuple[str, str]:
        """Kind and unit of the family that a sample belongs to."""
        for ending in ("", "_total", "_created", "_bucket", "_count", "_sum"):
            family = sample.removesuffix(ending) if ending else sample
            if family in self.kinds:
                grows = (self.kinds[family] in _GROWING and ending not in ("_created", "")) or ending == "_total"
                return ("cumulative" if grows else "level"), (
                    "1" if ending in ("_bucket", "_count") else self.units.get(family, "1")
                )
        return "level", "1"


def samples_table(path: Path) -> TypedTable:
    """Everything of a file. Raise MappingError, naming the line that is none of the format."""
    series: dict[tuple[str, str], _Series] = {}
    families, count, timeless = _Families(), 0, 0
    for number, line in _lines(path):
        if line.startswith("#"):
            _described(line, families)
            continue
        found = _SAMPLE.match(line.split(" # ", 1)[0].rstrip())
        if found is None:
            raise MappingError(f"line {number:,} is no sample of OpenMetrics: {line[:80]!r}")
        at_ns = _time_ns(found["time"], number)
        if at_ns is None:
            timeless += 1
            continue
        count += 1
        if count > MOST_SAMPLES:
            raise MappingError(f"the file has over {MOST_SAMPLES:,} samples; cut it into files of less time")
        key = found["name"], found["labels"] or ""
        own = series.get(key)
        if own is None:
            if len(series) >= MOST_SERIES:
                raise MappingError(f"the file has over {MOST_SERIES:,} series")
            own = series[key] = _Series(_column(key, families, number, len(series)))
        own.times_ns.append(at_ns)
        own.values.append(_value(found["value"], number))
    if not series:
        raise MappingError("no sample of the file has a time, so that nothing says when it is of")
    remarks = [f"{counted(timeless, 'sample')} without a time left out"] if timeless else []
    every = list(series.values())
    return TypedTable([item.column for item in every], _ticks(every), remarks)


def _lines(path: Path) -> Iterator[tuple[int, str]]:
    with path.open("rb") as file:
        number = 0
        while line := file.readline(MOST_LINE + 1):
            number += 1
            if len(line) > MOST_LINE:
                raise MappingError(f"line {number:,} has over {MOST_LINE:,} bytes")
            try:
                text = line.decode().strip()
            except UnicodeDecodeError as why:
                raise MappingError(f"line {number:,} is no UTF-8") from why
            if text == "# EOF":
                return
            if text:
                yield number, text


def _described(line: str, families: _Families) -> None:
    parts = line.split(" ", 3)
    if len(parts) == 4 and parts[1] == "TYPE":
        families.kinds[parts[2]] = parts[3]
    elif len(parts) == 4 and parts[1] == "UNIT":
        families.units[parts[2]] = _UNITS.get(parts[3], parts[3][:40])


def _column(key: tuple[str, str], families: _Families, number: int, place: int) -> ColumnMapping:
    name, labels = key
    attributes: dict[str, str] = {}
    rest = labels
    while rest:
        found = _LABEL.match(rest)
        if found is None:
            raise MappingError(f"line {number:,}: the labels are none of OpenMetrics: {labels[:80]!r}")
        text = re.sub(r"\\.", lambda part: _ESCAPES.get(part[0], part[0][1:]), found[2])
        attributes[found[1]] = "".join(letter if letter.isprintable() else " " for letter in text)[:200]
        rest = rest[found.end() :].lstrip()
    kind, unit = families.of(name)
    if name in COUNTERS:
        name = f"{name} (as it came)"
    attributes = {label: text for label, text in attributes.items() if text}
    try:
        return ColumnMapping(
            place=place,
            counter=name,
            attributes=attributes,
            unit=unit,
            kind="cumulative" if kind == "cumulative" else "level",
        )
    except ValueError as why:
        raise MappingError(f"line {number:,}: {name[:80]!r} cannot be a counter: {why}") from why


def _time_ns(text: str | None, number: int) -> int | None:
    if text is None:
        return None
    try:
        at_s = Decimal(text)
        # Before anything is multiplied: an exponent may stand for a number that fills the memory.
        at_ns = int(at_s * NS_PER_S) if 0 <= at_s < LATEST_NS // NS_PER_S else -1
    except (InvalidOperation, ValueError, OverflowError) as why:
        raise MappingError(f"line {number:,}: {text[:40]!r} is no time") from why
    if at_ns < 0:
        raise MappingError(f"line {number:,}: {text[:40]!r} is no time in seconds since 1970")
    return at_ns


def _value(text: str, number: int) -> float:
    try:
        value = float(text.replace("Inf", "inf"))
    except ValueError as why:
        raise MappingError(f"line {number:,}: {text[:40]!r} is no number") from why
    return value if np.isfinite(value) else np.nan


def _ticks(every: list[_Series]) -> Iterator[Chunk]:
    """All series by time."""
    times: list[IntArray] = [np.frombuffer(item.times_ns, dtype=np.int64) for item in every]
    values: list[FloatArray] = [np.frombuffer(item.values, dtype=np.float64) for item in every]
    ticks_ns = np.unique(np.concatenate(times))
    orders = [np.argsort(own, kind="stable") for own in times]
    times = [own[order] for own, order in zip(times, orders, strict=True)]
    values = [own[order] for own, order in zip(values, orders, strict=True)]
    for start in range(0, len(ticks_ns), CHUNK_TICKS):
        some = ticks_ns[start : start + CHUNK_TICKS]
        table = np.full((len(some), len(every)), np.nan)
        for place, (own_ns, own) in enumerate(zip(times, values, strict=True)):
            first, last = np.searchsorted(own_ns, (some[0], some[-1] + 1))
            table[np.searchsorted(some, own_ns[first:last]), place] = own[first:last]
        yield some, table
