"""Moments, who used what, and what is known of a host, as exhibits."""

from collections.abc import Sequence
from typing import Any

from reditus.analysis.exhibits.origin import Pinned, frozen_content, number
from reditus.analysis.moment import read_moment
from reditus.analysis.use import By, Row, UseTable, read_use
from reditus.core.errors import WindowError
from reditus.core.facts import HostFacts
from reditus.core.rfc3339 import spell_time
from reditus.core.use import QUANTITIES, Quantity
from reditus.core.window import Window
from reditus.exchange.bundle.contents import MOST_ROWS, Content, Head, Sentences, Table
from reditus.store.read.reader import Reader

USE_BINS = 60
MOST_USERS = 200
ALWAYS = 5
"""Columns that are shown whatever they hold."""
Cells = list[str | float | int | None]
PROBABILITY = "probability"
OF_THE_ROW = "row"
"""The unit of a column whose unit stands in the last cell of each row."""


def pin_moment(reader: Reader, pinned: Pinned, at_ns: int, names: Sequence[str] | None = None) -> Content:
    """Every measure, or those named, at the tick that describes a moment. Raise WindowError in a gap."""
    found = read_moment(reader, at_ns, names)
    if found.tick_ns is None:
        raise WindowError(f"no tick describes {spell_time(at_ns)}; choose a moment that was recorded")
    rows: list[Cells] = []
    for reading in found.readings:
        if (value := number(reading.value)) is not None:
            measure = reading.key.measure
            rows.append([measure.title, reading.key.device or "", value, measure.unit.value])
    heads = [Head(title="measure"), Head(title="device"), Head(title="value", unit=OF_THE_ROW), Head(title="unit")]
    parts = [Table(title="The moment", heads=heads, rows=rows[:MOST_ROWS])]
    title = f"{reader.scope.host_name} at {spell_time(found.tick_ns)}"
    return frozen_content(reader, pinned, "moment", title, list(parts), window=Window(at_ns, at_ns + 1))


def pin_use(reader: Reader, pinned: Pinned, by: By, sort: Quantity, most: int, match: str = "") -> Content:
    """Who used what over the window, the heaviest first. Raise WindowError where no processes are recorded."""
    table = read_use(reader, pinned.window, USE_BINS, by, match=match)
    if not table.recorded:
        raise WindowError("this archive holds no processes; let the recorder's plan record them")
    place = QUANTITIES.index(sort)
    rows = sorted(table.matching, key=lambda row: (-row.totals[place], row.key))[: min(most, MOST_USERS)]
    heads = [
        Head(title=by.value), Head(title="processor", unit="duration"), Head(title="mean", unit="cores"),
        Head(title="memory", unit="bytes"), Head(title="grew by", unit="bytes"), Head(title="read", unit="bytes"),
        Head(title="written", unit="bytes"), Head(title="waited for a core", unit="duration"),
        Head(title="blocked on I/O", unit="duration"),
    ]  # fmt: skip
    cells = [_user(row, table) for row in rows]
    rest = dict(zip(QUANTITIES, table.rest.tolist(), strict=True))
    seconds = float(table.seconds.sum())
    cells.append(_amounts("not attributed", rest, seconds, None))
    title = f"Who used what, by {by.value}, the heaviest of {sort.value.replace('_', ' ')} first"
    # What was not used at all, or not recorded, is no column.
    kept = [at for at in range(len(heads)) if at < ALWAYS or any(row[at] for row in cells)]
    shown = Table(title=title, heads=[heads[at] for at in kept], rows=[[row[at] for at in kept] for row in cells])
    return frozen_content(reader, pinned, "use", title, [shown])


def _user(row: Row, table: UseTable) -> Cells:
    amounts = dict(zip(QUANTITIES, row.totals.tolist(), strict=True))
    name = f"{row.name} {row.members[0].pid}" if row.identity is not None else row.name
    if row.identity is None and len(row.members) > 1:
        name = f"{name}, {len(row.members)} processes"
    return _amounts(name, amounts, float(table.seconds.sum()), row.stay.last_bytes - row.stay.first_bytes)


def _amounts(name: str, amounts: dict[Quantity, float], seconds: float, growth: float | None) -> Cells:
    held = seconds > 0
    return [
        name,
        amounts[Quantity.PROCESSOR],
        amounts[Quantity.PROCESSOR] / seconds if held else None,
        amounts[Quantity.MEMORY] / seconds if held else None,
        growth,
        amounts[Quantity.READ],
        amounts[Quantity.WRITTEN],
        amounts[Quantity.WAITED],
        amounts[Quantity.BLOCKED],
    ]


def pin_facts(reader: Reader, pinned: Pinned, history: Sequence[tuple[int, HostFacts]]) -> Content:
    """What was known of the host at the end of the window."""
    chosen = [facts for since_ns, facts in history if since_ns <= pinned.window.end_ns] or [
        facts for _, facts in history[:1]
    ]
    rows: list[Cells] = [[name, value] for name, value in _flat(chosen[-1].as_json())] if chosen else []
    title = f"What is known of {reader.scope.host_name}"
    if not rows:
        return frozen_content(reader, pinned, "facts", title, [Sentences(lines=["Nothing is known of this host."])])
    table = Table(title=title, heads=[Head(title="fact"), Head(title="value")], rows=rows[:MOST_ROWS])
    return frozen_content(reader, pinned, "facts", title, [table])


def _flat(value: Any, name: str = "") -> list[tuple[str, str]]:
    """Every value of nested JSON with the path to it; what is empty or unknown is left out."""
    if value is None or value in ({}, [], ""):
        return []
    if isinstance(value, dict):
        return [pair for key, inner in value.items() for pair in _flat(inner, f"{name} {key}".strip())]
    if isinstance(value, list):
        if all(isinstance(item, str) for item in value):
            return [(name.replace("_", " "), ", ".join(value))]
        return [pair for place, inner in enumerate(value, 1) for pair in _flat(inner, f"{name} {place}")]
    return [(name.replace("_", " "), str(value))]
