"""Threads: the heaviest ones of the heaviest processes, for where the plan asks for them."""

import os
from collections.abc import Callable
from pathlib import Path

import numpy as np
import structlog

from reditus.core.identities import Identity
from reditus.core.processes import THREAD_AMOUNTS, THREAD_GROUP, THREAD_PLACES, THREAD_SLOTS, WAITED, thread_columns
from reditus.core.schema import Column
from reditus.core.types import IntArray
from reditus.recorder.process_probe import Processes
from reditus.recorder.task_table import Task, TaskTable
from reditus.recorder.top_slots import TaskSlots, heaviest
from reditus.recorder.waits import Waits

log = structlog.get_logger()

MOST_THREADS = 2_048


class Threads:
    """A probe (sampler.Probe), read after the processes of the same tick."""

    group = THREAD_GROUP
    pace_s = 0

    def __init__(
        self, processes: Processes, root: str = "/", *, boot_clock_s: Callable[[], float] | None = None
    ) -> None:
        self._processes = processes
        self._proc = str(Path(root, "proc"))
        self._table = TaskTable(self._proc, boot_clock_s)
        self._slots = TaskSlots(self._table, THREAD_SLOTS, self._proc)
        self._waits = Waits(self._proc, threads=True)
        self._columns: tuple[Column, ...] = tuple(
            column for slot in range(THREAD_SLOTS) for column in thread_columns(slot)
        )
        self._crowded = False

    def read(self, now_ns: int) -> tuple[tuple[Column, ...], IntArray]:
        """Columns and values of the heaviest threads of the heaviest processes."""
        del now_ns
        places = [place for process in self._processes.heaviest for place in self._threads_of(process)]
        if len(places) > MOST_THREADS and not self._crowded:
            log.warning("too many threads, the rest is left out", threads=len(places), most=MOST_THREADS)
            self._crowded = True
        if not self._table.look(places[:MOST_THREADS]):
            return (), np.zeros(0, dtype=np.int64)
        taken = self._slots.assign(heaviest(self._table, memory=False))
        # A process's first thread has its number, and is reported with the processes.
        self._slots.report(task for _, task in taken if task.number != _owner(task))
        slots = np.zeros((THREAD_SLOTS, len(THREAD_PLACES) + len(THREAD_AMOUNTS)), dtype=np.int64)
        for number, task in taken:
            state = int(self._table.states[task.row])
            slots[number, : len(THREAD_PLACES)] = (task.number, _owner(task), task.start, state, task.core)
            slots[number, len(THREAD_PLACES) :] = self._table.amounts[task.row, THREAD_AMOUNTS]
        if taken:
            waited_at = len(THREAD_PLACES) + THREAD_AMOUNTS.index(WAITED)
            rows = [task.row for _, task in taken]
            used: IntArray = self._table.amounts[rows, :2].sum(axis=1)
            ran = [amount > 0 for amount in used.tolist()]
            slots[[number for number, _ in taken], waited_at] = self._waits.read([task for _, task in taken], ran)
        return self._columns, slots.ravel()

    def take_identities(self) -> list[Identity]:
        """Those that were not reported yet; the parent of a thread is the process it belongs to."""
        return self._slots.take()

    def close(self) -> None:
        """Close the files of all threads."""
        self._table.close()

    def _threads_of(self, process: str) -> list[str]:
        folder = f"{process}/task"
        try:
            return [f"{folder}/{thread}" for thread in os.listdir(f"{self._proc}/{folder}")]
        except OSError:  # it ended meanwhile
            return []


def _owner(task: Task) -> int:
    return int(task.place.partition("/")[0])
