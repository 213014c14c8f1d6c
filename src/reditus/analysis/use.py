"""Use: who used a resource over a window, and what is attributed to nobody."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from pathlib import PurePosixPath

import numpy as np

from reditus.analysis.series import cut_to_ticks
from reditus.core.binning import bin_edges
from reditus.core.errors import UnknownCounter
from reditus.core.frame import Frame
from reditus.core.identities import Identity
from reditus.core.measures import measure_named
from reditus.core.measures.selection import SeriesKey, StoredColumn, needed_columns
from reditus.core.processes import GROUP
from reditus.core.types import NS_PER_S, FloatArray, IntArray
from reditus.core.use import QUANTITIES, Owner, Quantity, Stay, Use
from reditus.core.window import Window
from reditus.store.read.reader import Reader

MACHINE: dict[Quantity, str] = {
    Quantity.PROCESSOR: "cpu.busy",
    Quantity.READ: "disk.read.rate",
    Quantity.WRITTEN: "disk.write.rate",
    Quantity.MAJOR_FAULTS: "memory.faults.major",
}
"""What the machine as a whole had, where that is more than what all processes had together."""
UNKNOWN_NAME = "not named"
"""Processes whose name the archive does not hold."""
_UNREAD = ("process.linux.state",)


class By(StrEnum):
    """What processes are put together by."""

    PROCESS = "process"
    PROGRAM = "program"
    USER = "user"
    GROUP = "group"
    SERVICE = "service"


@dataclass(slots=True)
class Row:
    """A user of resources: a process, or several that are put together."""

    key: str
    """What tells it from others: pid and start of a process, else its name."""
    name: str
    members: list[Owner]
    amounts: FloatArray
    """Shape (bins, quantities); see `reditus.core.use.Use`."""
    stay: Stay
    identity: Identity | None = None
    """Of a single process."""
    memory_high_is_of_bins: bool = False
    """Several processes' highest memory is that of their means over a bin."""

    @property
    def totals(self) -> FloatArray:
        """Over all bins, shape (quantities,)."""
        return np.asarray(self.amounts.sum(axis=0))


@dataclass(frozen=True, slots=True)
class UseTable:
    """Who used what over a window."""

    edges_ns: IntArray
    seconds: FloatArray
    """Known seconds of each bin."""
    rows: list[Row]
    total: FloatArray
    """What there was to attribute, shape (bins, quantities): the machine's, or all processes'."""
    recorded: bool = True
    """False where the archive holds no processes at all."""
    identities: Mapping[Owner, Identity] = field(default_factory=dict)

    @property
    def rest(self) -> FloatArray:
        """What is attributed to none of the rows, shape (bins, quantities). Never below zero: writes reach the disks
        later than the process wrote them.
        """
        attributed = sum((row.amounts for row in self.rows), np.zeros_like(self.total))
        return np.maximum(self.total - attributed, 0.0)


def read_use(reader: Reader, window: Window, bins: int, by: By, edges_ns: IntArray | None = None) -> UseTable:
    """Who used what over a window, in at most `bins` bins (or those that are given), the heaviest users of processor
    time first.
    """
    edges_ns = bin_edges(window, bins) if edges_ns is None else edges_ns
    columns = process_columns(reader)
    if not columns:
        nothing = Use.nothing(edges_ns)
        return UseTable(edges_ns, nothing.seconds, [], nothing.whole, recorded=False)
    use, machine = _added(reader, columns, window, edges_ns)
    names = reader.identities_of([(owner.boot, owner.pid, owner.start) for owner in use.amounts])
    identities = {owner: names[owner.boot, owner.pid, owner.start] for owner in use.amounts if
                  (owner.boot, owner.pid, owner.start) in names}  # fmt: skip
    rows = _rows(use, identities, by)
    rows.sort(key=lambda row: (-row.totals[0], -row.totals[2], row.key))
    return UseTable(edges_ns, use.seconds, rows, np.fmax(use.whole, machine), identities=identities)


def process_columns(reader: Reader) -> tuple[StoredColumn, ...]:
    """The columns that are added up."""
    return tuple(item for item in reader.known if item.group == GROUP and item.column.counter not in _UNREAD)


def _added(
    reader: Reader, columns: tuple[StoredColumn, ...], window: Window, edges_ns: IntArray
) -> tuple[Use, FloatArray]:
    """Use, and the machine's amounts (NaN where the host does not tell them), read piece by piece."""
    keys = {quantity: SeriesKey(measure_named(name), None) for quantity, name in MACHINE.items()}
    every = (*columns, *needed_columns(reader.known, tuple(keys.values())))
    use = Use.nothing(edges_ns)
    machine = np.full(use.whole.shape, np.nan)
    for after_ns, until_ns in _pieces(reader, window, len(every)):
        reader.check()
        frame = reader.frame(every, Window(after_ns, until_ns + 1), again=True)
        use.add(frame, after_ns, until_ns)
        for quantity, key in keys.items():
            _add_measure(machine[:, QUANTITIES.index(quantity)], frame, key, edges_ns, (after_ns, until_ns))
    return use, machine


def _pieces(reader: Reader, window: Window, columns: int) -> Iterator[tuple[int, int]]:
    """Parts of the window that may be read at once: after when, and until when, both in nanoseconds."""
    inner = cut_to_ticks(reader, window)
    step_ns = reader.most_ticks(columns) * (reader.extent.interval_ns or NS_PER_S)
    for island in reader.islands(inner, step_ns):
        start_ns, end_ns = island.start_ns - 1, island.end_ns - 1
        while start_ns < end_ns:
            yield start_ns, min(start_ns + step_ns, end_ns)
            start_ns += step_ns


def _add_measure(
    out: FloatArray, frame: Frame, key: SeriesKey, edges_ns: IntArray, part_ns: tuple[int, int]
) -> None:
    try:
        series = key.measure.derive(frame, key.device)
    except UnknownCounter:
        return
    base = series.timebase
    place = np.searchsorted(edges_ns, base.wall_ns, side="left") - 1
    inside = (place >= 0) & (place < len(out)) & (base.wall_ns > part_ns[0]) & (base.wall_ns <= part_ns[1])
    amount = series.values * base.elapsed_s
    inside &= ~np.isnan(amount)
    touched = np.unique(place[inside])
    out[touched] = np.nan_to_num(out[touched])
    np.add.at(out, place[inside], amount[inside])


def _rows(use: Use, identities: Mapping[Owner, Identity], by: By) -> list[Row]:
    rows: dict[str, Row] = {}
    for owner, amounts in use.amounts.items():
        identity, stay = identities.get(owner), use.stays[owner]
        if by is By.PROCESS:
            key = f"{owner.pid}.{owner.start}" if len(boots(use)) == 1 else f"{owner.pid}.{owner.start}.{owner.boot.hex()}"
            rows[key] = Row(key, identity.name if identity else UNKNOWN_NAME, [owner], amounts, stay, identity)
            continue
        name = UNKNOWN_NAME if identity is None else label_of(identity, by)
        row = rows.get(name)
        if row is None:
            rows[name] = Row(name, name, [owner], amounts.copy(), stay)
        else:
            row.members.append(owner)
            row.amounts += amounts
            row.stay = row.stay.joined(stay)
    if by is not By.PROCESS:
        for row in rows.values():
            _hold_together(row, use)
    return list(rows.values())


def boots(use: Use) -> set[bytes]:
    """The boots whose processes are told."""
    return {owner.boot for owner in use.amounts}


def _hold_together(row: Row, use: Use) -> None:
    """Memory of several processes is that of all of them: of a bin's mean, for each has its highest at another time."""
    if len(row.members) == 1:
        return
    held = held_bytes(row.amounts, use.seconds)
    known = held[~np.isnan(held)]
    if len(known):
        row.stay.first_bytes, row.stay.last_bytes = float(known[0]), float(known[-1])
        row.stay.high_bytes = float(known.max())
        row.memory_high_is_of_bins = True


def held_bytes(amounts: FloatArray, seconds: FloatArray) -> FloatArray:
    """Memory held on average in each bin, NaN where nothing was recorded."""
    return per_second(amounts, seconds)[:, QUANTITIES.index(Quantity.MEMORY)]


def per_second(amounts: FloatArray, seconds: FloatArray) -> FloatArray:
    """Rates and levels of each bin, shape (bins, quantities); NaN where nothing was recorded."""
    with np.errstate(invalid="ignore", divide="ignore"):
        return np.where(seconds[:, None] > 0, amounts / seconds[:, None], np.nan)


def label_of(identity: Identity, by: By) -> str:
    """What a process is put together by."""
    if by is By.USER:
        return identity.user or UNKNOWN_NAME
    if by is By.GROUP:
        return identity.group or "/"
    if by is By.SERVICE:
        return service_of(identity.group)
    return identity.name or UNKNOWN_NAME


def service_of(group: str) -> str:
    """The service or scope that a control group belongs to, by the names that service managers give them; the group
    itself where there is none.

    >>> service_of("/system.slice/postgresql@15-main.service/worker")
    'postgresql@15-main.service'
    """
    parts = PurePosixPath(group or "/").parts
    for ending in (".service", ".scope"):
        for part in reversed(parts):
            if part.endswith(ending):
                return part
    return group or "/"

