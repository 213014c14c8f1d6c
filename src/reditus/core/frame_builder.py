"""From decoded blocks to groups: one timebase each, every tick once."""

from collections.abc import Callable, Iterable
from itertools import pairwise

import numpy as np

from reditus.core.delta_array import Steps
from reditus.core.frame import BlockSlice, Group, RawSeries, Timebase
from reditus.core.schema import Column
from reditus.core.types import BoolArray, IntArray


def assemble(pieces: Iterable[BlockSlice], check: Callable[[], None] = lambda: None) -> list[Group]:
    """Join decoded blocks into one timebase per group, in time order, each tick once.

    Blocks may come in any order and may overlap (a batch sent twice, wide groups cut into parts): ticks are
    distinguished by boot and monotonic clock. Boots follow each other by the wall time of their first tick. `check` is
    called now and then, and may raise to end the work.
    """
    by_group: dict[str, list[BlockSlice]] = {}
    for piece in pieces:
        by_group.setdefault(piece.group, []).append(piece)
    return [_assemble_group(name, parts, check) for name, parts in by_group.items()]


def _assemble_group(name: str, pieces: list[BlockSlice], check: Callable[[], None]) -> Group:
    began: dict[bytes, int] = {}
    for piece in pieces:
        first = int(piece.wall_ns[0])
        began[piece.boot] = min(first, began.get(piece.boot, first))
    epochs = {boot: number for number, boot in enumerate(sorted(began, key=lambda boot: began[boot]))}
    pieces = sorted(pieces, key=lambda piece: (epochs[piece.boot], piece.monotonic_ns[0]))
    return _in_rows(name, pieces, epochs, check) or _by_sorting(name, pieces, epochs)


def _in_rows(name: str, pieces: list[BlockSlice], epochs: dict[bytes, int], check: Callable[[], None]) -> Group | None:
    """What sealed blocks nearly always are: the same columns all along, one block after the other, and the parts of a
    wide group with the same ticks. None where they are not.
    """
    chains: dict[tuple[Column, ...], list[BlockSlice]] = {}
    for piece in pieces:
        chains.setdefault(tuple(piece.columns), []).append(piece)
    every = list(chains.values())
    for chain in every:
        for before, after in pairwise(chain):
            if before.boot == after.boot and before.monotonic_ns[-1] >= after.monotonic_ns[0]:
                return None
    if sum(map(len, chains)) != len({column for columns in chains for column in columns}):
        return None
    bases = [_timebase(chain, epochs) for chain in every]
    if any((np.diff(base.monotonic_ns)[np.diff(base.epoch) == 0] <= 0).any() for base in bases):
        return None
    if any(not _same_ticks(bases[0], other) for other in bases[1:]):
        return None
    series: dict[Column, RawSeries] = {}
    for columns, chain in chains.items():
        for column in columns:
            check()
            series[column] = RawSeries(column, _joined_columns([piece.columns[column] for piece in chain]))
    return Group(name, bases[0], series, tuple(epochs))


def _timebase(chain: list[BlockSlice], epochs: dict[bytes, int]) -> Timebase:
    lengths = [len(piece.wall_ns) for piece in chain]
    return Timebase(
        _joined([piece.wall_ns for piece in chain]),
        _joined([piece.monotonic_ns for piece in chain]),
        np.repeat([epochs[piece.boot] for piece in chain], lengths),
        np.repeat([piece.interval_ns for piece in chain], lengths),
    )


def _joined(parts: list[IntArray]) -> IntArray:
    return parts[0] if len(parts) == 1 else np.concatenate(parts)


def _joined_columns(parts: list[IntArray | Steps]) -> IntArray | Steps:
    steps = [part for part in parts if isinstance(part, Steps)]
    if len(steps) == len(parts):
        return Steps.joined(steps)
    return _joined([np.asarray(part) for part in parts])


def _same_ticks(timebase: Timebase, other: Timebase) -> bool:
    return np.array_equal(timebase.monotonic_ns, other.monotonic_ns) and np.array_equal(timebase.epoch, other.epoch)


def _by_sorting(name: str, pieces: list[BlockSlice], epochs: dict[bytes, int]) -> Group:
    """For any pieces at all."""
    epoch = np.concatenate([np.full(len(piece.wall_ns), epochs[piece.boot], dtype=np.int64) for piece in pieces])
    monotonic_ns = np.concatenate([piece.monotonic_ns for piece in pieces])
    wall_ns = np.concatenate([piece.wall_ns for piece in pieces])
    interval_ns = np.concatenate([np.full(len(piece.wall_ns), piece.interval_ns, dtype=np.int64) for piece in pieces])
    order = np.lexsort((monotonic_ns, epoch))
    new = np.ones(len(order), dtype=bool)
    new[1:] = (np.diff(epoch[order]) != 0) | (np.diff(monotonic_ns[order]) != 0)
    rows = np.empty(len(order), dtype=np.int64)
    rows[order] = np.cumsum(new) - 1
    kept = order[new]
    timebase = Timebase(wall_ns[kept], monotonic_ns[kept], epoch[kept], interval_ns[kept])

    values_of: dict[Column, IntArray] = {}
    present_of: dict[Column, BoolArray] = {}
    start = 0
    for piece in pieces:
        own_rows = rows[start : start + len(piece.wall_ns)]
        start += len(piece.wall_ns)
        for column, values in piece.columns.items():
            if column not in values_of:
                values_of[column] = np.zeros(len(kept), dtype=np.int64)
                present_of[column] = np.zeros(len(kept), dtype=bool)
            values_of[column][own_rows] = values
            present_of[column][own_rows] = True
    series = {column: RawSeries(column, values, present_of[column]) for column, values in values_of.items()}
    return Group(name, timebase, series, tuple(epochs))
