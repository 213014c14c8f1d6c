"""Processes: all are read at each tick, the heaviest are kept, and the rest is kept as a sum."""

import os
from collections.abc import Callable
from pathlib import Path

import numpy as np
import structlog

from reditus.core.identities import Identity
from reditus.core.processes import GROUP, PLACES, SLOTS, STATES, WAITED, slot_columns, whole_columns
from reditus.core.schema import Column
from reditus.core.types import IntArray
from reditus.recorder.task_table import TaskTable
from reditus.recorder.top_slots import TaskSlots, heaviest
from reditus.recorder.waits import Waits

log = structlog.get_logger()

MOST_PROCESSES = 8_192
LIST_TURN = 16
"""They are listed now and then whatever was started, for ids come round again."""
LOADAVG_BYTES = 128
RUNNING = ord("R")
STATE_CODES = np.array([ord(state) for state in STATES])


class Processes:
    """A probe (sampler.Probe)."""

    group = GROUP
    pace_s = 0

    def __init__(
        self, root: str = "/", *, arguments: bool = False, boot_clock_s: Callable[[], float] | None = None
    ) -> None:
        self._proc = str(Path(root, "proc"))
        self._table = TaskTable(self._proc, boot_clock_s)
        self._slots = TaskSlots(self._table, SLOTS, self._proc)
        self._slots.arguments = arguments
        self._waits = Waits(self._proc)
        self._columns: tuple[Column, ...] = (
            *whole_columns(),
            *(column for slot in range(SLOTS) for column in slot_columns(slot)),
        )
        self._crowded = False
        self._readings = 0
        self._listed: list[str] = []
        self._listed_at: bytes | None = None
        self.heaviest: list[str] = []
        """Folders below /proc of those in the slots that have several threads, at the last reading."""

    def choose(self, *, arguments: bool) -> None:
        """Whether command lines are reported. They may hold secrets."""
        self._slots.arguments = arguments

    def read(self, now_ns: int) -> tuple[tuple[Column, ...], IntArray]:
        """Columns and values of the heaviest processes, and of all together."""
        del now_ns  # starts of processes are reported on the clock that goes on while the machine sleeps
        nothing: tuple[tuple[Column, ...], IntArray] = (), np.zeros(0, dtype=np.int64)
        try:
            places = self._places()
        except OSError:
            return nothing
        if not self._table.look(places) or not self._table.tasks:
            return nothing
        taken = self._slots.assign(heaviest(self._table))
        self._slots.report(task for _, task in taken)
        amounts, states = self._table.amounts, self._table.states
        self.heaviest = [task.place for _, task in taken if task.threads > 1]
        counts = np.bincount(states, minlength=STATE_CODES.max() + 1)[STATE_CODES]
        counts[STATES.index("T")] += len(self._table.tasks) - counts.sum()
        slots = np.zeros((SLOTS, len(PLACES) + amounts.shape[1]), dtype=np.int64)
        whole = amounts.sum(axis=0)
        if taken:
            numbers, rows = [number for number, _ in taken], [task.row for _, task in taken]
            slots[numbers, : len(PLACES)] = [
                (task.number, task.start, state, task.core)
                for (_, task), state in zip(taken, states[rows].tolist(), strict=True)
            ]
            slots[numbers, len(PLACES) :] = amounts[rows]
            used: IntArray = amounts[rows, :2].sum(axis=1) + (states[rows] == RUNNING)
            ran = [amount > 0 for amount in used.tolist()]
            slots[numbers, len(PLACES) + WAITED] = self._waits.read([task for _, task in taken], ran)
            whole[WAITED] = slots[:, len(PLACES) + WAITED].sum()
        return self._columns, np.concatenate([whole, counts, slots.ravel()])

    def take_identities(self) -> list[Identity]:
        """Those that were not reported yet."""
        return self._slots.take()

    def close(self) -> None:
        """Close the files of all processes."""
        self._table.close()

    def _places(self) -> list[str]:
        """The folders of all processes. Listing them costs the kernel as much as some twenty of their texts; as long as
        nothing was started since, those known are all there are, or more: who has ended is noticed when read.
        """
        self._readings += 1
        started = self._started()
        if started is None or started != self._listed_at or self._readings % LIST_TURN == 0:
            self._listed_at = started
            self._listed = self._limited([entry for entry in os.listdir(self._proc) if entry.isdecimal()])
        return self._listed

    def _started(self) -> bytes | None:
        """The newest process id and how many threads there are, as /proc/loadavg tells them (proc(5)); None where it
        does not.
        """
        try:
            with open(f"{self._proc}/loadavg", "rb", buffering=0) as file:
                return file.read(LOADAVG_BYTES).partition(b"/")[2] or None
        except OSError:
            return None

    def _limited(self, places: list[str]) -> list[str]:
        if len(places) <= MOST_PROCESSES:
            return places
        if not self._crowded:
            log.warning("too many processes, only the youngest are read", processes=len(places), most=MOST_PROCESSES)
            self._crowded = True
        # The youngest are the ones most likely to be at work; all are in the machine's own counters.
        return sorted(places, key=int)[-MOST_PROCESSES:]
