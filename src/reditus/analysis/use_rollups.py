"""Stored use: added up from the ticks once those have settled, and read in their place for long windows."""

from collections.abc import Iterator
from dataclasses import dataclass
from uuid import UUID

import numpy as np

from reditus.analysis.rollups import LAG_S, LEAST_S
from reditus.core.binning.edges import even_edges
from reditus.core.errors import BlockError
from reditus.core.measures.selection import StoredColumn, needed_columns
from reditus.core.processes import GROUP
from reditus.core.rollup import LEAST_TICKS_A_BIN
from reditus.core.types import NS_PER_S, IntArray
from reditus.core.use import MACHINE, Use
from reditus.core.use_codec import LEVELS_S
from reditus.core.window import Window
from reditus.store.read.reader import Reader
from reditus.store.rollups.use import UseReach

_UNREAD = ("process.linux.state",)
PROCESS_BYTES = 1_200
"""In memory for each process, what it had and who it was; a machine that starts many is read over less time at once."""
BINS_AT_ONCE = 48
"""Stored bins that are in memory before they are added."""
BINS_A_PASS = 288
"""In one transaction, so that the archive is never locked for long: a day of the finest level."""


def use_columns(reader: Reader) -> tuple[StoredColumn, ...]:
    """The columns that use is added up from; none where processes were not recorded."""
    own = tuple(item for item in reader.known if item.group == GROUP and item.column.counter not in _UNREAD)
    return (*own, *needed_columns(reader.known, tuple(MACHINE.values()))) if own else ()


def pieces(reader: Reader, columns: int, after_ns: int, until_ns: int) -> Iterator[tuple[int, int]]:
    """The parts of a stretch that hold ticks, each as long as may be read at once: after when and until when."""
    step_ns = reader.most_ticks(columns) * (reader.extent.interval_ns or NS_PER_S)
    if after_ns >= until_ns:
        return
    for island in reader.islands(Window(after_ns + 1, until_ns + 1), step_ns):
        begin_ns, end_ns = island.start_ns - 1, island.end_ns - 1
        while begin_ns < end_ns:
            reader.check()
            stop_ns = min(begin_ns + step_ns, end_ns)
            yield begin_ns, stop_ns
            begin_ns = stop_ns


def add_ticks(reader: Reader, use: Use, columns: tuple[StoredColumn, ...], after_ns: int, until_ns: int) -> None:
    """Add the ticks after one time and until another."""
    for begin_ns, stop_ns in pieces(reader, len(columns), after_ns, until_ns):
        use.add(reader.frame(columns, Window(begin_ns, stop_ns + 1), again=True), begin_ns, stop_ns)
        reader.allowance.check(len(use.amounts) * PROCESS_BYTES)


def grow_use(reader: Reader, archive: UUID) -> bool:
    """Extend the archive's stored use towards its newest ticks, within the reader's transaction. Return whether more is
    left.
    """
    extent, columns = reader.extent, use_columns(reader)
    if extent.first_ns is None or extent.last_ns is None or not columns:
        return False
    lag_ns = max(LAG_S * NS_PER_S, 2 * reader.rollups.slowest_interval_ns(archive))
    first_ns, until_ns, finer_s, more = extent.first_ns, extent.last_ns - lag_ns, None, False
    # Bins of a few ticks each cost more to make than reading the ticks ever will.
    for level_s in [level for level in LEVELS_S if level * NS_PER_S >= LEAST_TICKS_A_BIN * (extent.interval_ns or 0)]:
        level_ns = level_s * NS_PER_S
        reach = reader.rollups.use.reach(archive, level_s)
        begin_ns = reach.until_ns if reach else (first_ns - 1) // level_ns * level_ns
        end_ns = until_ns // level_ns * level_ns
        if end_ns - begin_ns >= max(LEAST_S * NS_PER_S, level_ns):
            stop_ns = min(end_ns, begin_ns + BINS_A_PASS * level_ns)
            for use in _bins(reader, archive, columns, (begin_ns, stop_ns), level_s, finer_s):
                reader.rollups.use.save(archive, level_s, int(use.edges_ns[0]), use)
            reach = UseReach(reach.since_ns if reach else begin_ns, stop_ns)
            reader.rollups.use.save_reach(archive, level_s, reach)
            more |= stop_ns < end_ns
        if reach is None:
            break
        finer_s, until_ns = level_s, reach.until_ns
    return more


def _bins(
    reader: Reader, archive: UUID, columns: tuple[StoredColumn, ...], part_ns: tuple[int, int], level_s: int,
    finer_s: int | None,
) -> Iterator[Use]:  # fmt: skip
    """The bins of a level in which something was recorded, from the ticks or from the finer level."""
    level_ns = level_s * NS_PER_S
    for first_ns in range(*part_ns, level_ns):
        use = Use.nothing(even_edges(first_ns, first_ns + level_ns, level_ns))
        if finer_s is None:
            add_ticks(reader, use, columns, first_ns, first_ns + level_ns)
        else:
            for finer in reader.rollups.use.read(archive, finer_s, first_ns, first_ns + level_ns):
                use.merge(finer, 0)
        if use.seconds[0] > 0:
            yield use


@dataclass(frozen=True, slots=True)
class _Stored:
    """A stretch of whole bins of a level that one archive alone tells of."""

    archive: UUID
    level_s: int
    begin_ns: int
    end_ns: int


def add_window(reader: Reader, use: Use, window: Window) -> None:
    """Add a window: stored use where there is any that fits the bins, else the ticks."""
    columns = use_columns(reader)
    at_ns = window.start_ns - 1
    for part in _stored(reader, use.edges_ns, window):
        add_ticks(reader, use, columns, at_ns, part.begin_ns)
        at_ns = part.begin_ns if _add_stored(reader, use, part) is None else part.end_ns
    add_ticks(reader, use, columns, at_ns, window.end_ns - 1)


def _add_stored(reader: Reader, use: Use, part: _Stored) -> _Stored | None:
    """None where it is damaged: then the ticks decide."""
    reader.check()
    try:
        bins, processes = [], 0
        for stored in reader.rollups.use.read(part.archive, part.level_s, part.begin_ns, part.end_ns):
            bins.append(stored)
            processes += len(stored.amounts)
            reader.allowance.check(processes * PROCESS_BYTES)
    except BlockError:
        reader.damaged_rollups.add(part.archive)
        return None
    places = np.searchsorted(use.edges_ns, [stored.edges_ns[0] for stored in bins], side="right") - 1
    for stored, place in zip(bins, places.tolist(), strict=True):
        use.merge(stored, place)
        reader.allowance.check(len(use.amounts) * PROCESS_BYTES)
    return part


def _stored(reader: Reader, edges_ns: IntArray, window: Window) -> list[_Stored]:
    """Stretches of the window that are stored, in order, each of one archive where no other tells of the same time."""
    length_ns = int(edges_ns[1] - edges_ns[0])
    level_s = max(
        (level for level in LEVELS_S if length_ns % (level * NS_PER_S) == 0 and not edges_ns[0] % (level * NS_PER_S)),
        default=None,
    )
    if level_s is None:
        return []
    level_ns = level_s * NS_PER_S
    extents = {archive: reader.extent_of(archive) for archive in reader.scope.archives}
    out = []
    for archive, extent in extents.items():
        reach = reader.rollups.use.reach(archive, level_s)
        if reach is None or extent.first_ns is None:
            continue
        begin_ns = max(reach.since_ns, -(-(window.start_ns - 1) // level_ns) * level_ns)
        end_ns = min(reach.until_ns, (window.end_ns - 1) // level_ns * level_ns)
        is_alone = not any(
            other.first_ns <= end_ns and other.last_ns > begin_ns
            for name, other in extents.items()
            if name != archive and other.first_ns is not None and other.last_ns is not None
        )
        if is_alone:
            step_ns = BINS_AT_ONCE * level_ns
            out += [
                _Stored(archive, level_s, at_ns, min(at_ns + step_ns, end_ns))
                for at_ns in range(begin_ns, end_ns, step_ns)
            ]
    return sorted(out, key=lambda part: part.begin_ns)
