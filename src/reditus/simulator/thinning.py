"""The same host recorded less often: a slower recorder of the same machine sees the same counters."""

from collections.abc import Iterable, Iterator

import numpy as np

from reditus.core.processes import GROUP, PLACES
from reditus.core.schema import Column
from reditus.core.types import IntArray
from reditus.simulator.host import Part

# What a process held at the tick, not what it used in the interval.
HELD = {*PLACES, "process.memory.usage", "process.thread.count", "process.linux.count"}


def thinned(every: Iterable[Part], by: int) -> Iterator[Part]:
    """Each `by`-th tick, from the first. Parts have to be whole multiples of `by` long, but for the last."""
    before: dict[Column, IntArray] = {}
    for part in every:
        groups = {
            group: (
                _processes(columns, by, before)
                if group == GROUP
                else {column: values[::by] for column, values in columns.items()}
            )
            for group, columns in part.groups.items()
        }
        yield Part(part.wall_ns[::by], part.monotonic_ns[::by], groups, part.identities)


def _processes(columns: dict[Column, IntArray], by: int, before: dict[Column, IntArray]) -> dict[Column, IntArray]:
    """Amounts are those of an interval, so they add up over the longer one."""
    out: dict[Column, IntArray] = {}
    for column, values in columns.items():
        if column.counter in HELD:
            out[column] = values[::by]
            continue
        whole = np.concatenate([before.get(column, np.zeros(by - 1, dtype=np.int64)), values])
        before[column] = values[-(by - 1) :] if by > 1 else values[:0]
        usable = len(whole) // by * by
        out[column] = np.add.reduceat(whole[:usable], np.arange(0, usable, by))[: len(values[::by])]
    return out
