"""Use as series for a strip: what a resource was used by over time, the heaviest first, with the rest and what is
not attributed.

Names are `use.QUANTITY{by=BY,most=N}`: alone the whole, with `@*` its parts as devices; and
`use.QUANTITY{by=BY,of=NAME}` for one of those who used it, whose name is percent-encoded.
"""

import re
from dataclasses import dataclass
from urllib.parse import unquote

import numpy as np

from reditus.analysis.series import ChartSeries
from reditus.analysis.use import By, UseTable, read_use, use_edges
from reditus.core.errors import UnknownCounter, UnknownMeasure
from reditus.core.frame import Frame, Series
from reditus.core.measures import Measure, Resource, Unit
from reditus.core.measures.selection import EVERY_DEVICE, SeriesKey
from reditus.core.types import NS_PER_S, FloatArray
from reditus.core.use import QUANTITIES, Quantity
from reditus.core.window import Summary, Window
from reditus.store.read.reader import Reader

MOST_PARTS, USUAL_PARTS = 24, 8
OTHERS, NOT_ATTRIBUTED = "others", "not attributed"
TICKS_A_BIN = 2
"""At least, or some bins would hold none."""
_NAME = re.compile(
    r"^use\.(?P<quantity>[a-z_]+)\{by=(?P<by>[a-z]+)"
    r"(,most=(?P<most>\d{1,2})|,of=(?P<of>[^{},@]{1,600}))?\}(?P<parts>@\*)?$"
)
_KINDS: dict[Quantity, tuple[str, Unit, Resource]] = {
    Quantity.PROCESSOR: ("Cores used", Unit.CORES, Resource.PROCESSOR),
    Quantity.SYSTEM: ("Cores used in the kernel", Unit.CORES, Resource.PROCESSOR),
    Quantity.MEMORY: ("Memory held", Unit.BYTES, Resource.MEMORY),
    Quantity.READ: ("Bytes read", Unit.BYTES_PER_S, Resource.DISK),
    Quantity.WRITTEN: ("Bytes written", Unit.BYTES_PER_S, Resource.DISK),
    Quantity.MAJOR_FAULTS: ("Major faults", Unit.PER_S, Resource.MEMORY),
    Quantity.MINOR_FAULTS: ("Minor faults", Unit.PER_S, Resource.MEMORY),
    Quantity.BLOCKED: ("Tasks blocked on I/O", Unit.TASKS, Resource.DISK),
    Quantity.THREADS: ("Threads", Unit.COUNT, Resource.PROCESSOR),
    Quantity.WAITED: ("Tasks waiting for a core", Unit.TASKS, Resource.PROCESSOR),
}


@dataclass(frozen=True, slots=True)
class UseName:
    """What a name of use stands for."""

    quantity: Quantity
    by: By
    most: int
    has_parts: bool
    """Whether its parts are requested, or only the whole."""
    of: str | None = None
    """One of those who used it, by name."""


def is_use(text: str) -> bool:
    """Whether a name is one of use."""
    return text.startswith("use.")


def parse_use(text: str) -> UseName:
    """Raise UnknownMeasure for a name that is none."""
    found = _NAME.match(text)
    if found is None or found["quantity"] not in QUANTITIES or found["by"] not in tuple(By):
        raise UnknownMeasure(text, [f"use.{quantity}{{by={By.PROGRAM}}}" for quantity in QUANTITIES])
    most = min(max(int(found["most"] or USUAL_PARTS), 1), MOST_PARTS)
    of = None if found["of"] is None else unquote(found["of"])
    return UseName(Quantity(found["quantity"]), By(found["by"]), most, found["parts"] is not None, of)


def use_drawn(reader: Reader, names: list[str], window: Window, width: int) -> list[ChartSeries]:
    """The series of these names, in their order; each way of putting together is added up once."""
    parsed = {name: parse_use(name) for name in names}
    interval_ns = reader.extent.interval_ns or NS_PER_S
    bins = max(min(width, (window.end_ns - window.start_ns) // (TICKS_A_BIN * interval_ns)), 2)
    tables: dict[By, UseTable] = {}
    out = []
    for name, use in parsed.items():
        if use.by not in tables:
            tables[use.by] = read_use(reader, window, bins, use.by, use_edges(window, bins))
        out += _series(name.removesuffix(f"@{EVERY_DEVICE}"), use, tables[use.by], window)
    return out


def _series(name: str, use: UseName, table: UseTable, window: Window) -> list[ChartSeries]:
    measure = _measure(name, use.quantity)
    place = QUANTITIES.index(use.quantity)
    if use.of is not None:
        one = [row for row in table.rows if row.name == use.of]
        values = table.curve(one[0], use.quantity) if one else _rate(np.zeros(len(table.seconds)), table)
        return [_chart(SeriesKey(measure, None), values, table, use.quantity, window)]
    whole = _chart(SeriesKey(measure, None), _rate(table.total[:, place], table), table, use.quantity, window)
    if not use.has_parts or not table.recorded:
        return [whole]
    rows = sorted(table.rows, key=lambda row: (-row.totals[place], row.key))
    parts: dict[str, FloatArray] = {}
    for row in rows[: use.most]:
        label = f"{row.name} {row.members[0].pid}" if use.by is By.PROCESS else row.name
        parts[label] = np.nan_to_num(table.curve(row, use.quantity)) + parts.get(label, 0.0)
    if len(rows) > use.most:
        parts[OTHERS] = np.zeros(len(table.seconds))
        for row in rows[use.most :]:
            parts[OTHERS] += np.nan_to_num(table.curve(row, use.quantity))
    parts[NOT_ATTRIBUTED] = table.rest_curve(use.quantity)
    unknown = table.seconds <= 0
    return [
        whole,
        *(
            _chart(SeriesKey(measure, label), np.where(unknown, np.nan, values), table, use.quantity, window)
            for label, values in parts.items()
        ),
    ]


def _rate(amounts: FloatArray, table: UseTable) -> FloatArray:
    with np.errstate(invalid="ignore", divide="ignore"):
        return np.where(table.seconds > 0, amounts / table.seconds, np.nan)


def _chart(key: SeriesKey, values: FloatArray, table: UseTable, quantity: Quantity, window: Window) -> ChartSeries:
    edges_ns = table.edges_ns
    bin_s = float(edges_ns[1] - edges_ns[0]) / NS_PER_S
    if not table.recorded:
        missing = f"{key.measure.name}: this archive holds no processes"
        return ChartSeries(key, missing, np.zeros(0, dtype=np.int64), np.zeros(0), None, None, None, None)
    summary = _summary(values, table, quantity, window)
    return ChartSeries(key, None, (edges_ns[:-1] + edges_ns[1:]) // 2, values, None, None, bin_s, summary, bin_s)


def _summary(values: FloatArray, table: UseTable, quantity: Quantity, window: Window) -> Summary:
    known = values[~np.isnan(values)]
    seconds = float(table.seconds.sum())
    if not len(known) or seconds <= 0:
        return Summary.unknown()
    total = float(np.nansum(values * table.seconds))
    return Summary(
        low=float(known.min()),
        mean=total / seconds,
        p95=float(np.quantile(known, 0.95)),
        high=float(known.max()),
        total=total if quantity in (Quantity.READ, Quantity.WRITTEN) else None,
        coverage=min(seconds / window.length_s, 1.0),
    )


def _measure(name: str, quantity: Quantity) -> Measure:
    title, unit, resource = _KINDS[quantity]
    return Measure(
        name=name,
        title=title,
        unit=unit,
        resource=resource,
        help="By those who used it, the heaviest first; what no recorded process accounts for is not attributed.",
        formula="added up over processes",
        needs=(),
        derive=_not_of_counters,
        total=Unit.BYTES if unit is Unit.BYTES_PER_S else None,
    )


def _not_of_counters(_: Frame, __: str | None) -> Series:
    raise UnknownCounter("use is added up over processes, not derived from counters")
