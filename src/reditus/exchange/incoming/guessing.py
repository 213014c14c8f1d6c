"""A first guess at what a table means: which column says when, in which units, what grows, and what is ours."""

import json
import re
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from reditus.core.counters import COUNTERS, MEMORY_FIELD, PAGING_EVENT
from reditus.core.kernel_columns import memory_size
from reditus.core.types import FloatArray
from reditus.exchange.incoming.mapping import (
    EPOCHS,
    ColumnMapping,
    LongMapping,
    MappingError,
    TableMapping,
    TimeMapping,
)
from reditus.exchange.incoming.numbers import number_in
from reditus.exchange.incoming.rows import Sample, usual_width
from reditus.exchange.incoming.times import guessed_form

MOST_HEAD_ROWS = 30
MOST_NAME = 400
"""Letters of a name that are looked at."""
OURS_LONG = ["time", "measure", "device", "value", "unit"]
"""What the long tables are called that Reditus writes."""
_UNIT = re.compile(r"^(?P<name>.*?)\s*[\[(](?P<unit>[^\])]{1,20})[\])]\s*$")
UNITS: dict[str, tuple[str, tuple[int, int]]] = {
    "%": ("%", (1, 1)), "percent": ("%", (1, 1)), "pct": ("%", (1, 1)),
    "b": ("By", (1, 1)), "byte": ("By", (1, 1)), "bytes": ("By", (1, 1)), "by": ("By", (1, 1)),
    "kb": ("By", (1_000, 1)), "mb": ("By", (10**6, 1)), "gb": ("By", (10**9, 1)),
    "kib": ("By", (1 << 10, 1)), "mib": ("By", (1 << 20, 1)), "gib": ("By", (1 << 30, 1)),
    "b/s": ("By/s", (1, 1)), "bytes/s": ("By/s", (1, 1)), "kb/s": ("By/s", (1_000, 1)), "mb/s": ("By/s", (10**6, 1)),
    "kib/s": ("By/s", (1 << 10, 1)), "mib/s": ("By/s", (1 << 20, 1)), "gb/s": ("By/s", (10**9, 1)),
    "s": ("s", (1, 1)), "sec": ("s", (1, 1)), "seconds": ("s", (1, 1)), "second": ("s", (1, 1)),
    "ms": ("s", (1, 10**3)), "us": ("s", (1, 10**6)), "µs": ("s", (1, 10**6)), "ns": ("s", (1, 10**9)),
    "c": ("Cel", (1, 1)), "°c": ("Cel", (1, 1)), "celsius": ("Cel", (1, 1)), "w": ("W", (1, 1)), "watts": ("W", (1, 1)),
    "hz": ("Hz", (1, 1)), "mhz": ("Hz", (10**6, 1)), "ghz": ("Hz", (10**9, 1)),
    "/s": ("1/s", (1, 1)), "1/s": ("1/s", (1, 1)), "per second": ("1/s", (1, 1)),
}  # fmt: skip
"""Units as people write them, in small letters: after UCUM, and what they have to be multiplied by and divided by."""
_WORDS = re.compile(r"[^a-z0-9%°µ/]+")
_RATE = re.compile(r"(/s|per.?s(ec(ond)?)?|rate|%|percent|util|usage|load|avg|average|temp)", re.IGNORECASE)
_COUNTER = re.compile(r"^(?P<counter>[a-z0-9_.]+)(\{(?P<attributes>.*)\})?$", re.DOTALL)
_ATTRIBUTE = re.compile(r'\s*([a-z0-9_.]+)\s*=\s*("(?:[^"\\]|\\.)*")\s*(?:,|$)')
_TIME_WORDS = ("time", "date", "timestamp", "when", "zeit", "datum", "at")


@dataclass(frozen=True, slots=True)
class Guess:
    """A mapping that was guessed, with what is not sure about it."""

    mapping: TableMapping
    doubts: list[str]


def guess(sample: Sample) -> Guess:
    """Raise MappingError where no column can be times, or none are numbers."""
    decimal = _decimal(sample)
    first_row = _first_row(sample, decimal)
    data = [row for row in sample.rows[first_row:] if row]
    width = usual_width(data)
    data = [row for row in data if len(row) == width]
    names_row, units_row = _heads(sample, first_row, width)
    names = _names(sample, names_row, width)
    doubts: list[str] = []
    time = _time(data, names, doubts)
    if names_row is None:
        doubts.append("no row names the columns; they are called by their numbers")
    units = [text.strip() for text in sample.rows[units_row]] if units_row is not None else [""] * width
    long = _long(data, names, time, decimal)
    columns = [] if long is not None else _columns(data, names, units, time, decimal)
    if long is None and not columns:
        raise MappingError("no column beside the time holds numbers; say which is which, or check the delimiter")
    mapping = TableMapping(
        delimiter=sample.delimiter, decimal=decimal, encoding=sample.encoding, names_row=names_row, units_row=units_row,
        first_row=first_row, time=time, columns=columns, long=long,
    )  # fmt: skip
    growing = [column.counter for column in columns if column.kind == "cumulative" and column.counter not in COUNTERS]
    if growing:
        doubts.append(f"{', '.join(growing[:5])}: never fall in the sample, and are taken for counts that only grow")
    return Guess(mapping, doubts)


def _decimal(sample: Sample) -> str:
    """A comma, where cells look like 12,5 and no comma parts the cells."""
    cells = [cell.strip() for row in sample.rows for cell in row]
    commas = sum(bool(re.fullmatch(r"[+-]?(\d{1,3}(\.\d{3})+|\d+),\d+", cell)) for cell in cells)
    points = sum(bool(re.fullmatch(r"[+-]?(\d{1,3}(,\d{3})+|\d+)\.\d+", cell)) for cell in cells)
    return "," if commas > points else "."


def _first_row(sample: Sample, decimal: str) -> int:
    """The first row that looks like those behind it: a time, and numbers."""
    later = [row for row in sample.rows[len(sample.rows) // 2 :] if row]
    width = usual_width(later)
    places = [
        place for place in range(width)
        if sum(_is_data(row[place], decimal) for row in later if len(row) == width) * 2 > len(later)
    ]  # fmt: skip
    for number, row in enumerate(sample.rows[: MOST_HEAD_ROWS + 1]):
        if len(row) != width:
            continue
        cells = [row[place] for place in places if row[place].strip()]
        if cells and all(_is_data(cell, decimal) for cell in cells):
            return number
    raise MappingError(
        f"none of the first {MOST_HEAD_ROWS} rows is data: rows of data have a time and numbers. Is the delimiter "
        f"{sample.delimiter!r}?"
    )


def _is_data(cell: str, decimal: str) -> bool:
    return number_in(cell, decimal) is not None or guessed_form([cell]) is not None


def _heads(sample: Sample, first_row: int, width: int) -> tuple[int | None, int | None]:
    """Which rows hold names and units: of those above the data that are as wide as it the first and the second."""
    rows = [number for number in range(first_row) if len(sample.rows[number]) == width]
    if not rows:
        return None, None
    units = rows[-1] if len(rows) > 1 and _are_units(sample.rows[rows[-1]]) else None
    names = [number for number in rows if number != units]
    return (names[-1] if names else None), units


def _are_units(row: Sequence[str]) -> bool:
    cells = [cell.strip().lower() for cell in row[1:] if cell.strip()]
    return not cells or sum(cell in UNITS or len(cell) <= 8 for cell in cells) == len(cells)


def names_of(sample: Sample, mapping: TableMapping) -> list[str]:
    """What the columns of a file are called."""
    return _names(sample, mapping.names_row, usual_width(sample.rows[mapping.first_row :] or sample.rows))


def _names(sample: Sample, names_row: int | None, width: int) -> list[str]:
    given = sample.rows[names_row] if names_row is not None else []
    names = [
        (given[place].strip().lstrip("'") if place < len(given) else "") or f"column {place + 1}"
        for place in range(width)
    ]
    seen: dict[str, int] = {}
    out = []
    for name in names:
        seen[name] = seen.get(name, 0) + 1
        out.append(name if seen[name] == 1 else f"{name} ({seen[name]})")
    return out


def _time(data: Sequence[Sequence[str]], names: Sequence[str], doubts: list[str]) -> TimeMapping:
    """The column whose every cell is a time; one that is called so before others, and text before a bare number."""
    found: list[tuple[int, int, TimeMapping]] = []
    for place in range(len(names)):
        form = guessed_form([row[place] for row in data])
        if form is not None:
            called = not any(word in _WORDS.split(names[place].lower()) for word in _TIME_WORDS)
            found.append((called + 2 * (form in EPOCHS and called), place, TimeMapping(places=[place], form=form)))
    for place in range(len(names) - 1):
        joined = [f"{row[place]} {row[place + 1]}" for row in data]
        form = guessed_form(joined)
        if form is not None and ":" not in data[0][place]:
            found.append((0, place, TimeMapping(places=[place, place + 1], form=form)))
    if not found:
        raise MappingError("no column is a time in a notation that is known; say which it is, and its pattern")
    _, _, time = min(found, key=lambda item: item[:2])
    text = " ".join(data[0][place] for place in time.places)
    if time.form not in EPOCHS and not re.search(r"(Z|[+-]\d\d:?\d\d)$", text.strip()):
        doubts.append("times have no zone of their own; they are read as UTC")
    if "%d" in time.form and "%m" in time.form and re.match(r"^\d\d?[./]\d\d?[./]\d{4}", text):
        day_first = time.form.index("%d") < time.form.index("%m")
        doubts.append(f"dates are read with the {'day' if day_first else 'month'} first")
    return time


def _long(data: Sequence[Sequence[str]], names: Sequence[str], time: TimeMapping, decimal: str) -> LongMapping | None:
    """Whether times repeat, and one column beside numbers is of a few texts: then it names what the number is of."""
    if [name.lower() for name in names] == OURS_LONG:
        return LongMapping(names=[1, 2], value=3, unit=4)
    times = [tuple(row[place] for place in time.places) for row in data]
    if len(data) < 4 or len(set(times)) * 2 > len(times):
        return None
    others = [place for place in range(len(names)) if place not in time.places]
    numeric = [place for place in others if all(number_in(row[place], decimal) is not None for row in data)]
    texts = [place for place in others if place not in numeric]
    if len(numeric) != 1 or not texts:
        return None
    unit = next((place for place in texts if "unit" in names[place].lower()), None)
    named = [place for place in texts if place != unit]
    return LongMapping(names=named[:8], value=numeric[0], unit=unit) if named else None


def _columns(
    data: Sequence[Sequence[str]], names: Sequence[str], units: Sequence[str], time: TimeMapping, decimal: str
) -> list[ColumnMapping]:
    out: list[ColumnMapping] = []
    taken: set[tuple[str, tuple[tuple[str, str], ...]]] = set()
    for place, name in enumerate(names):
        if place in time.places:
            continue
        values = _numbers([row[place] for row in data], decimal)
        if np.isnan(values).all():
            continue
        column = column_named(name, units[place] if place < len(units) else "", place=place, values=values)
        key = (column.counter, tuple(sorted(column.attributes.items())))
        if key in taken:
            column = column_named(f"{name} ({place + 1})", column.unit, place=place, values=values)
        taken.add((column.counter, tuple(sorted(column.attributes.items()))))
        out.append(column)
    return out


def _numbers(cells: Sequence[str], decimal: str) -> FloatArray:
    found = [number_in(cell, decimal) for cell in cells]
    return np.array([np.nan if value is None else value for value in found])


def column_named(name: str, unit: str, *, place: int = 0, values: FloatArray | None = None) -> ColumnMapping:
    """What a column means by its name and unit, and whether its values only grow."""
    ours = _of_the_catalogue(name, place) or _of_the_kernel(name, place)
    if ours is not None:
        return ours
    name = name[:MOST_NAME]
    plain, spelled = name, unit[:MOST_NAME]
    found = _UNIT.match(name)
    if found is not None and found["unit"].strip().lower() in UNITS:
        plain, spelled = found["name"] or name, spelled or found["unit"]
    if not spelled:
        words = _WORDS.split(name.lower())
        spelled = next((word for word in reversed(words) if (word in UNITS and len(word) > 1) or word == "%"), "")
        if not spelled and name.rstrip().lower().endswith("/s"):
            spelled = "/s"
    in_ucum, scale = UNITS.get(spelled.strip().lower(), (spelled.strip()[:40] or "1", (1, 1)))
    kind = "cumulative" if values is not None and _grows(values) and not _RATE.search(f"{name} {spelled}") else "level"
    counter = (
        "".join(letter if letter.isprintable() else " " for letter in plain).strip()[:200] or f"column {place + 1}"
    )
    if counter in COUNTERS:
        counter = f"{counter} (as it came)"
    return ColumnMapping(place=place, counter=counter, unit=in_ucum, kind=kind, scale=scale)


def _grows(values: FloatArray) -> bool:
    """Whole numbers that never fall, and have risen by more than a little in most steps."""
    known = values[~np.isnan(values)]
    steps = np.diff(known)
    return bool(
        len(steps) >= 3 and (known == np.floor(known)).all() and (steps >= 0).all() and (steps > 0).mean() > 0.5
    )


def _of_the_catalogue(name: str, place: int) -> ColumnMapping | None:
    """A counter as OpenMetrics writes it: system.disk.io{system.device="sda"}."""
    found = _COUNTER.match(name)
    counter = COUNTERS.get(found["counter"]) if found is not None else None
    if found is None or counter is None:
        return None
    attributes: dict[str, str] = {}
    rest = found["attributes"] or ""
    while rest:
        part = _ATTRIBUTE.match(rest)
        if part is None:
            return None
        attributes[part[1]] = json.loads(part[2])
        rest = rest[part.end() :]
    allowed = {*counter.attributes, *([counter.device] if counter.device else [])}
    if not set(attributes) <= allowed:
        return None
    return ColumnMapping(
        place=place, counter=counter.name, attributes=attributes, unit=counter.unit, kind=counter.kind.value
    )


# Fields as the kernel itself calls them (proc(5)), in the kernel's own units.
_MEMORY = frozenset(
    [
        "MemTotal",
        "MemFree",
        "MemAvailable",
        "Buffers",
        "Cached",
        "SwapCached",
        "Active",
        "Inactive",
        "SwapTotal",
        "SwapFree",
        "Dirty",
        "Writeback",
        "AnonPages",
        "Mapped",
        "Shmem",
        "Slab",
        "SReclaimable",
        "SUnreclaim",
        "KernelStack",
        "PageTables",
        "Committed_AS",
        "CommitLimit",
        "Unevictable",
        "Mlocked",
    ]
)
_EVENTS = frozenset(
    [
        "pgpgin",
        "pgpgout",
        "pswpin",
        "pswpout",
        "pgfault",
        "pgmajfault",
        "pgscan_kswapd",
        "pgscan_direct",
        "pgsteal_kswapd",
        "pgsteal_direct",
        "allocstall_normal",
        "oom_kill",
        "workingset_refault_file",
        "workingset_refault_anon",
        "compact_stall",
    ]
)


def _of_the_kernel(name: str, place: int) -> ColumnMapping | None:
    if name in _MEMORY:
        column = memory_size(name)
        return ColumnMapping(
            place=place, counter=column.counter, attributes={MEMORY_FIELD: name}, unit=column.unit, kind="level",
            scale=column.scale,
        )  # fmt: skip
    if name in _EVENTS:
        counter = COUNTERS["system.paging.linux.events"]
        return ColumnMapping(
            place=place, counter=counter.name, attributes={PAGING_EVENT: name}, unit=counter.unit, kind="cumulative"
        )
    return None
