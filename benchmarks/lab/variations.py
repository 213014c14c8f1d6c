"""The same recording with longer ticks, or by a kernel or recorder that gives less."""

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from reditus.core.frame import BlockSlice
from reditus.core.processes import GROUP
from reditus.exchange.recording import Recording
from reditus.simulator.thinning import HELD

Variation = Callable[[Recording], Recording]

SIX_GROUPS = ("cpu", "memory", "paging", "disk", "network", "load")
"""What /proc/stat, /proc/meminfo, /proc/vmstat, /proc/diskstats, /proc/net/dev and /proc/loadavg give."""
STALL_GROUPS = ("stall.cpu", "stall.io", "stall.memory", "stall.irq")


def thinned(recording: Recording, by: int) -> Recording:
    """Each `by`-th tick, from the first: what a slower recorder of the same machine sees."""
    return replace(recording, pieces=[_thinned(piece, by) for piece in recording.pieces])


def _thinned(piece: BlockSlice, by: int) -> BlockSlice:
    def amounts(values: np.ndarray) -> np.ndarray:
        """Those of an interval add up over the longer one."""
        padded = np.concatenate([np.zeros(by - 1, dtype=np.int64), values])
        usable = len(padded) // by * by
        return np.asarray(padded[:usable].reshape(-1, by).sum(axis=1))

    is_process = piece.group == GROUP
    return replace(
        piece,
        interval_ns=piece.interval_ns * by,
        wall_ns=piece.wall_ns[::by],
        monotonic_ns=piece.monotonic_ns[::by],
        columns={
            column: amounts(np.asarray(values))[: len(piece.wall_ns[::by])]
            if is_process and column.counter not in HELD
            else np.asarray(values)[::by]
            for column, values in piece.columns.items()
        },
    )


def without(recording: Recording, *groups: str) -> Recording:
    """Without the counters of these groups."""
    return replace(recording, pieces=[piece for piece in recording.pieces if piece.group not in groups])


def only(recording: Recording, *groups: str) -> Recording:
    """With the counters of these groups alone."""
    return replace(recording, pieces=[piece for piece in recording.pieces if piece.group in groups])


VARIATIONS: dict[str, Variation] = {
    "1 s": lambda recording: recording,
    "5 s": lambda recording: thinned(recording, 5),
    "10 s": lambda recording: thinned(recording, 10),
    "15 s": lambda recording: thinned(recording, 15),
    "no stall files": lambda recording: without(recording, *STALL_GROUPS),
    "six files": lambda recording: only(recording, *SIX_GROUPS),
}
