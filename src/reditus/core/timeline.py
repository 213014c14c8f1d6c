"""Several archives of one host as one timeline: at each time the ticks of one of them."""

from collections.abc import Iterable, Sequence

import numpy as np

from reditus.core.frame import BlockSlice
from reditus.core.types import BoolArray, IntArray


def joined(archives: Sequence[Sequence[BlockSlice]]) -> list[BlockSlice]:
    """The pieces of all, each archive's only where those before it in the list have nothing.

    Two recorders that sampled the same host at the same time would otherwise give ticks a few milliseconds apart, and
    rates over intervals shorter than what the kernel counts in.
    """
    if len(archives) < 2:
        return [piece for pieces in archives for piece in pieces]
    out: list[BlockSlice] = []
    covered: dict[str, list[tuple[int, int]]] = {}
    for pieces in archives:
        own: dict[str, list[tuple[int, int]]] = {}
        for piece in pieces:
            free = _free(piece.wall_ns, covered.get(piece.group, ()))
            if free.any():
                out.append(piece if free.all() else _cut(piece, free))
            reach_ns = piece.interval_ns
            own.setdefault(piece.group, []).append((int(piece.wall_ns[0]) - reach_ns, int(piece.wall_ns[-1])))
        for group, stretches in own.items():
            covered[group] = merged([*covered.get(group, ()), *stretches])
    return out


def _free(wall_ns: IntArray, covered: Sequence[tuple[int, int]]) -> BoolArray:
    free = np.ones(len(wall_ns), dtype=bool)
    for begin_ns, end_ns in covered:
        if begin_ns <= wall_ns[-1] and end_ns >= wall_ns[0]:
            free &= (wall_ns <= begin_ns) | (wall_ns > end_ns)
    return free


def _cut(piece: BlockSlice, free: BoolArray) -> BlockSlice:
    return BlockSlice(
        group=piece.group,
        boot=piece.boot,
        interval_ns=piece.interval_ns,
        wall_ns=piece.wall_ns[free],
        monotonic_ns=piece.monotonic_ns[free],
        columns={column: values[free] for column, values in piece.columns.items()},
    )


def merged(stretches: Iterable[tuple[int, int]], gap_ns: int = 0) -> list[tuple[int, int]]:
    """Stretches of time in order; those that overlap, or lie no further apart than `gap_ns`, are one.

    >>> merged([(5, 9), (0, 2), (2, 3), (8, 11)])
    [(0, 3), (5, 11)]
    """
    out: list[tuple[int, int]] = []
    for begin_ns, end_ns in sorted(stretches):
        if out and begin_ns <= out[-1][1] + gap_ns:
            out[-1] = (out[-1][0], max(out[-1][1], end_ns))
        else:
            out.append((begin_ns, end_ns))
    return out
