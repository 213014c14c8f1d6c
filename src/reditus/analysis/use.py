"""Use: who used a resource over a window, and what is not attributed."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from pathlib import PurePosixPath

import numpy as np

from reditus.analysis.series import cut_to_ticks
from reditus.analysis.use_rollups import add_window, use_columns
from reditus.core.binning import bin_edges, rolled_edges
from reditus.core.identities import Identity
from reditus.core.types import NS_PER_S, FloatArray, IntArray
from reditus.core.use import QUANTITIES, Bins, Owner, Quantity, Stay, Use, add_bins, dense, total_of
from reditus.core.use_codec import LEVELS_S
from reditus.core.window import Window
from reditus.store.read.reader import Reader

LEAST_BINS = 48
"""Windows of so many stored bins or more are described by those."""
BOOT_DIGITS = 8
"""Of a boot's id, in a process's key."""
UNKNOWN_NAME = "not named"
"""Processes whose name the archive does not hold."""


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
    amounts: Bins
    """See `reditus.core.use.Use`."""
    stay: Stay
    identity: Identity | None = None
    """Of a single process."""
    totals: FloatArray = field(default_factory=lambda: np.zeros(len(QUANTITIES)))
    """Over all bins, shape (quantities,)."""


@dataclass(frozen=True, slots=True)
class UseTable:
    """Who used what over a window."""

    edges_ns: IntArray
    seconds: FloatArray
    """Known seconds of each bin."""
    rows: list[Row]
    total: FloatArray
    """What there was to attribute, shape (bins, quantities): the machine's, or all processes'."""
    matching: list[Row]
    """Those of the rows that match a search; all of them without one."""
    recorded: bool = True
    """False where the archive holds no processes at all."""
    identities: Mapping[Owner, Identity] = field(default_factory=dict)

    def curve(self, row: Row, quantity: Quantity) -> FloatArray:
        """A row's quantity bin by bin, per second or as held, shape (bins,); NaN where nothing was recorded."""
        return _per_second(dense(row.amounts, QUANTITIES.index(quantity), len(self.seconds)), self.seconds)

    def rest_curve(self, quantity: Quantity) -> FloatArray:
        """What is attributed to no row, bin by bin. Never below zero: writes reach the disks later than the process
        wrote them.
        """
        place = QUANTITIES.index(quantity)
        attributed = np.zeros(len(self.seconds))
        for row in self.rows:
            attributed += dense(row.amounts, place, len(self.seconds))
        return _per_second(np.maximum(self.total[:, place] - attributed, 0.0), self.seconds)

    @property
    def rest(self) -> FloatArray:
        """What is attributed to no row over the window, shape (quantities,)."""
        attributed = np.zeros(len(QUANTITIES))
        for row in self.rows:
            attributed += row.totals
        return np.asarray(np.maximum(self.total.sum(axis=0) - attributed, 0.0))


def read_use(
    reader: Reader, window: Window, bins: int, by: By, edges_ns: IntArray | None = None, match: str = ""
) -> UseTable:
    """Who used what over a window, in at most `bins` bins (or those that are given), the heaviest users of processor
    time first. `match` finds those of which a name, user, control group, number or command line holds it.
    """
    if edges_ns is None:
        edges_ns = use_edges(window, bins)
    use = Use.nothing(edges_ns)
    if not use_columns(reader):
        return UseTable(edges_ns, use.seconds, [], use.whole, [], recorded=False)
    add_window(reader, use, cut_to_ticks(reader, window))
    names = reader.identities_of([(owner.boot, owner.pid, owner.start) for owner in use.amounts])
    identities = {Owner(*key): identity for key, identity in names.items()}
    rows = _rows(use, identities, by)
    rows.sort(key=lambda row: (-row.totals[0], -row.totals[2], row.key))
    matching = [row for row in rows if _matches(row, identities, match.lower())] if match else rows
    return UseTable(edges_ns, use.seconds, rows, use.total, matching, identities=identities)


def _matches(row: Row, identities: Mapping[Owner, Identity], wanted: str) -> bool:
    """Whether a name, user, control group, number or command line holds what is wanted, in lower case."""
    for owner in row.members:
        identity = identities.get(owner)
        texts = [row.name, str(owner.pid)]
        if identity is not None:
            texts += [identity.name, identity.user, identity.group, identity.arguments or ""]
        if any(wanted in text.lower() for text in texts):
            return True
    return False


def use_edges(window: Window, bins: int) -> IntArray:
    """Edges of at most so many bins over a window; of a long one on whole multiples of what is stored."""
    length_ns = window.end_ns - window.start_ns
    fitting = [level_s for level_s in LEVELS_S if length_ns >= bins * level_s * NS_PER_S]
    if not fitting and length_ns < LEAST_BINS * LEVELS_S[0] * NS_PER_S:
        return bin_edges(window, bins)
    return rolled_edges(window, bins, max(fitting, default=LEVELS_S[0]))


def _rows(use: Use, identities: Mapping[Owner, Identity], by: By) -> list[Row]:
    rows: dict[str, Row] = {}
    for owner, amounts in use.amounts.items():
        identity, stay = identities.get(owner), use.stays[owner]
        if by is By.PROCESS:
            key = f"{owner.pid}.{owner.start}.{owner.boot.hex()[:BOOT_DIGITS]}"
            rows[key] = Row(key, identity.name if identity else UNKNOWN_NAME, [owner], amounts, stay, identity)
            continue
        name = UNKNOWN_NAME if identity is None else label_of(identity, by)
        row = rows.get(name)
        if row is None:
            rows[name] = Row(name, name, [owner], dict(amounts), stay)
        else:
            row.members.append(owner)
            add_bins(row.amounts, amounts)
            row.stay = row.stay.joined(stay)
    if by is not By.PROCESS:
        for row in rows.values():
            _hold_together(row, use)
    for row in rows.values():
        row.totals = total_of(row.amounts)
    return list(rows.values())


def _hold_together(row: Row, use: Use) -> None:
    """Memory of several processes is that of all of them: of a bin's mean, for each has its highest at another time."""
    if len(row.members) == 1:
        return
    held = _per_second(dense(row.amounts, QUANTITIES.index(Quantity.MEMORY), len(use.seconds)), use.seconds)
    known = held[~np.isnan(held)]
    if len(known):
        row.stay.first_bytes, row.stay.last_bytes = float(known[0]), float(known[-1])
        row.stay.high_bytes = float(known.max())


def _per_second(amounts: FloatArray, seconds: FloatArray) -> FloatArray:
    with np.errstate(invalid="ignore", divide="ignore"):
        return np.where(seconds > 0, amounts / seconds, np.nan)


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
