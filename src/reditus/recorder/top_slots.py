"""The heaviest tasks in numbered slots: a task keeps its slot while it is among the heaviest."""

import contextlib
import os
import pwd
from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from reditus.core.identities import Identity
from reditus.recorder.task_table import READ_AT, Task, TaskTable

EACH = 5
"""How many are kept by each way of being heavy."""
MOST_REPORTED = 32_768
MAX_TEXT = 200


@dataclass(slots=True)
class _Slot:
    task: Task | None = None
    start: int = 0
    selected_at: int = -1


class TaskSlots:
    """Who is in which slot, and which of them were not reported yet."""

    def __init__(self, table: TaskTable, slots: int, proc: str) -> None:
        self._table, self._proc = table, proc
        self._slots = [_Slot() for _ in range(slots)]
        self._readings = 0
        self._described: dict[tuple[int, int], bytes] = {}
        self._new: list[Identity] = []
        self.arguments = False
        """Whether command lines are reported."""

    def assign(self, rows: Iterable[int]) -> list[tuple[int, Task]]:
        """Give the heaviest their slots; return slot and task of all that are in one."""
        self._readings += 1
        tasks = self._table.tasks
        for slot in self._slots:
            if slot.task is not None and (tasks.get(slot.task.place) is not slot.task or slot.task.start != slot.start):
                slot.task, slot.selected_at = None, -1
        held = {slot.task.row: slot for slot in self._slots if slot.task is not None}
        coming = []
        for row in rows:
            if row in held:
                held[row].selected_at = self._readings
            else:
                coming.append(row)
        for row in coming:
            # The one that has been among the heaviest least recently gives way.
            slot = min(self._slots, key=lambda item: item.selected_at)
            slot.task, slot.selected_at = self._table.owner(row), self._readings
            slot.start = slot.task.start
        return [(number, slot.task) for number, slot in enumerate(self._slots) if slot.task is not None]

    def report(self, tasks: Iterable[Task]) -> None:
        """Keep who these are, for `take`, unless it was reported before."""
        for task in tasks:
            key = (task.number, task.start)
            if self._described.get(key) == task.name:
                continue
            if len(self._described) > MOST_REPORTED:
                self._described.clear()
            self._described[key] = task.name
            self._new.append(
                Identity(
                    pid=task.number,
                    start=task.start,
                    name=plain(task.name),
                    user=self._user(task),
                    group=self._group(task),
                    parent=_parent(task),
                    arguments=self._arguments_of(task) if self.arguments else None,
                )
            )

    def take(self) -> list[Identity]:
        """Those that were not reported yet."""
        new, self._new = self._new, []
        return new

    def _user(self, task: Task) -> str:
        try:
            number = os.stat(f"{self._proc}/{task.place}").st_uid
        except OSError:
            return ""
        with contextlib.suppress(KeyError):
            return pwd.getpwuid(number).pw_name
        return str(number)

    def _group(self, task: Task) -> str:
        try:
            lines = self._table.read(f"{task.place}/cgroup").splitlines()
        except OSError:
            return ""
        paths = [line.split(b":", 2)[2] for line in lines if line.count(b":") >= 2]
        # With version 1 each controller has a path; the longest says most.
        return plain(max(paths, key=len, default=b""))

    def _arguments_of(self, task: Task) -> str | None:
        try:
            return plain(self._table.read(f"{task.place}/cmdline").replace(b"\0", b" ").strip())
        except OSError:
            return None


def _parent(task: Task) -> int:
    """Of a process the one that started it; of a thread the process that it belongs to."""
    process, _, thread = task.place.partition("/")
    return int(process) if thread else task.parent


def heaviest(table: TaskTable, *, memory: bool = True) -> list[int]:
    """Rows of the heaviest by processor, memory, I/O and blocked time; those that used nothing are none of them."""
    amounts = table.amounts
    ways = [
        amounts[:, 0] + amounts[:, 1],
        amounts[:, READ_AT] + amounts[:, READ_AT + 1],
        amounts[:, 7] * 2 + (table.states == ord("D")),
    ]
    if memory:
        ways.insert(1, amounts[:, 2])
    weights = np.stack(ways)
    most = min(EACH, weights.shape[1])
    rows = np.argpartition(weights, -most, axis=1)[:, -most:]
    weighing = np.take_along_axis(weights, rows, axis=1) > 0
    return list(dict.fromkeys(rows[weighing].tolist()))


def plain(raw: bytes) -> str:
    """As text that can be shown and kept: control characters are replaced, and its length has a limit."""
    text = raw.decode("utf-8", "replace")[:MAX_TEXT]
    return "".join(letter if letter.isprintable() else "\N{REPLACEMENT CHARACTER}" for letter in text)
