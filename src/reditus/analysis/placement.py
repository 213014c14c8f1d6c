"""Which process or thread ran on which core over a window."""

from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from reditus.analysis.series import cut_to_ticks
from reditus.analysis.use_rollups import PROCESS_BYTES, pieces
from reditus.core.binning import bin_edges
from reditus.core.measures import Per, measure_named
from reditus.core.measures.selection import devices_of
from reditus.core.placement import PROCESSES, THREADS, Placement
from reditus.core.types import NS_PER_S, IntArray
from reditus.core.window import Window
from reditus.store.read.reader import Reader

MOST_CORES = 1_024
LEAST_SHARE = 0.02
"""Of a core: below that a task is not said to have run on it."""
TICKS_A_BIN = 2
"""At least, or some bins would hold none."""


@dataclass(frozen=True, slots=True)
class Run:
    """A task that had most of a core over some bins one after another."""

    start_ns: int
    end_ns: int
    task: int
    """Its place among the tasks."""
    share: float
    """Of the core, 0 to 1, on average."""


@dataclass(frozen=True, slots=True)
class Task:
    """A process, or a thread with the name of its own."""

    number: int
    start: int
    name: str | None


@dataclass(frozen=True, slots=True)
class CoreRuns:
    """Who ran on each core over a window."""

    edges_ns: IntArray
    of_threads: bool
    tasks: list[Task]
    cores: list[tuple[str, list[Run]]]


def read_placement(reader: Reader, window: Window, width: int) -> CoreRuns | None:
    """None where no processes were recorded, or nothing of single cores."""
    groups = {item.group for item in reader.known}
    shape = next((shape for shape in (THREADS, PROCESSES) if shape.group in groups), None)
    names = devices_of(reader.known, measure_named("cpu.busy"))[:MOST_CORES]
    if shape is None or not names:
        return None
    assert measure_named("cpu.busy").per is Per.CORE
    inner = cut_to_ticks(reader, window)
    ticks = (window.end_ns - window.start_ns) // (reader.extent.interval_ns or NS_PER_S)
    edges_ns = bin_edges(window, max(min(width, ticks // TICKS_A_BIN), 2))
    placement = Placement(edges_ns, 1 + max(int(name) for name in names), shape)
    wanted = placement.columns()
    columns = tuple(item for item in reader.known if item.column in wanted)
    for after_ns, until_ns in pieces(reader, len(columns), inner.start_ns - 1, inner.end_ns - 1):
        placement.add(reader.frame(columns, Window(after_ns, until_ns + 1), again=True), after_ns, until_ns)
        reader.allowance.check(len(placement.owners) * PROCESS_BYTES)
    who, share = placement.heaviest()
    keys = [(owner.boot, owner.pid, owner.start) for owner in placement.owners]
    identities = reader.identities_of(keys)
    tasks = [Task(pid, start, identities[key].name if (key := (boot, pid, start)) in identities else None)
             for boot, pid, start in keys]  # fmt: skip
    cores = [(name, _runs(edges_ns, who[int(name)], share[int(name)])) for name in names]
    return CoreRuns(edges_ns, shape is THREADS, tasks, cores)


def _runs(edges_ns: IntArray, who: IntArray, share: np.ndarray) -> list[Run]:
    """Bins with the same task one after another, as one."""
    task = np.where(share >= LEAST_SHARE, who, -1)
    cuts = [0, *(np.flatnonzero(np.diff(task)) + 1).tolist(), len(task)]
    return [
        Run(int(edges_ns[begin]), int(edges_ns[end]), int(task[begin]), float(share[begin:end].mean()))
        for begin, end in pairwise(cuts)
        if task[begin] >= 0
    ]
