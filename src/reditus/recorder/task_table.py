"""Many processes or threads from reading to reading, cheaply.

Each one's stat file stays open, and only texts that changed are parsed, all in one go: most of a machine's processes
sleep through a second. I/O is read only where stat changed, and for everyone in turn, so that what a sleeper moved
shows some ticks late but is not lost.
"""

import os
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from itertools import pairwise

import numpy as np
import structlog

from reditus.core.processes import AMOUNTS
from reditus.core.types import IntArray

log = structlog.get_logger()

MOST_OPEN = 512
"""Files kept open; beyond that a file is opened for each reading."""
IO_TURN_TICKS = 16
TEXT_BYTES = 4_096
# Places among the numbers after the state in /proc/PID/stat (proc(5) counts from 1 and the state is field 3).
PARENT, MINOR, MAJOR, USER, SYSTEM, THREADS, START, RSS, CORE, BLOCKED = (
    field_number - 4 for field_number in (4, 10, 12, 14, 15, 20, 22, 24, 39, 42)
)
FIELDS_NEEDED = BLOCKED + 1
TOTALS = [USER, SYSTEM, MAJOR, MINOR, BLOCKED]
# Where these, and what is read otherwise, stand among core.processes.AMOUNTS.
TOTALS_AT = np.array([0, 1, 5, 6, 7])
MEMORY_AT, READ_AT, WRITE_AT, THREADS_AT = 2, 3, 4, 8
CLOSED = -1
FIRST_ROWS = 128


@dataclass(slots=True, eq=False)
class Task:
    """A process or thread from reading to reading."""

    place: str
    """Its folder below /proc."""
    number: int
    row: int
    descriptor: int = CLOSED
    io_descriptor: int = CLOSED
    text: bytes = b""
    name: bytes = b""
    start: int = -1
    parent: int = 0
    core: int = 0
    threads: int = 0
    totals: list[int] = field(default_factory=list)
    io: tuple[int, int] | None = None
    io_closed: bool = False


class TaskTable:
    """What each task used over the interval, and what it holds, in arrays with a row a task."""

    def __init__(self, proc: str, boot_clock_s: Callable[[], float] | None = None) -> None:
        self._proc = proc
        self._boot_clock_s = boot_clock_s or (lambda: time.clock_gettime(time.CLOCK_BOOTTIME))
        self._ticks_per_s = os.sysconf("SC_CLK_TCK")
        self.tasks: dict[str, Task] = {}
        """By place."""
        self.amounts: IntArray = np.zeros((FIRST_ROWS, len(AMOUNTS)), dtype=np.int64)
        """Shape (rows, AMOUNTS); an unused row holds zeros."""
        self.states: IntArray = np.zeros(FIRST_ROWS, dtype=np.int64)
        """The state's letter; 0 where the row is unused."""
        self._owners: list[Task | None] = [None] * FIRST_ROWS
        self._free = list(range(FIRST_ROWS - 1, -1, -1))
        self._files = 0
        self._readings = 0
        self._last_s: float | None = None
        self._io_readable = True

    def look(self, places: Sequence[str]) -> bool:
        """Read the tasks of these folders; those that are not named any more are forgotten. False where the kernel's
        text has too few fields to tell anything.
        """
        now_s = self._boot_clock_s()
        self._readings += 1
        self.amounts[:, :MEMORY_AT] = 0
        self.amounts[:, READ_AT:THREADS_AT] = 0
        tasks, turn = self.tasks, self._readings % IO_TURN_TICKS
        changed, reread, there = [], [], 0
        for place in places:
            task = tasks.get(place)
            if task is None:
                task = tasks[place] = self._added(place)
            text = self._stat(task)
            if not text:
                self._forget(task)
                continue
            there += 1
            if text != task.text:
                task.text = text
                changed.append(task)
                reread.append(task)
            elif task.number % IO_TURN_TICKS == turn:
                reread.append(task)
        if len(tasks) > there:
            for place in set(tasks).difference(places):
                self._forget(tasks[place])
        understood = self._take(changed)
        for task in reread:
            if not task.io_closed:
                self._move(task)
        self._last_s = now_s
        return understood

    def owner(self, row: int) -> Task:
        """The task in a row. Raise LookupError for an unused row."""
        task = self._owners[row]
        if task is None:
            raise LookupError(f"row {row} is unused")
        return task

    def read(self, path: str) -> bytes:
        """A small file below /proc. Raise OSError where it cannot be read."""
        descriptor = os.open(f"{self._proc}/{path}", os.O_RDONLY | os.O_CLOEXEC)
        try:
            return os.pread(descriptor, TEXT_BYTES, 0)
        finally:
            os.close(descriptor)

    def close(self) -> None:
        """Close the files of all tasks."""
        for task in list(self.tasks.values()):
            self._forget(task)

    def _added(self, place: str) -> Task:
        if not self._free:
            rows = len(self._owners)
            self.amounts = np.concatenate([self.amounts, np.zeros_like(self.amounts)])
            self.states = np.concatenate([self.states, np.zeros_like(self.states)])
            self._owners.extend([None] * rows)
            self._free.extend(range(2 * rows - 1, rows - 1, -1))
        row = self._free.pop()
        task = self._owners[row] = Task(place, int(place.rpartition("/")[2]), row)
        return task

    def _forget(self, task: Task) -> None:
        self._shut(task)
        del self.tasks[task.place]
        self._owners[task.row] = None
        self.amounts[task.row] = 0
        self.states[task.row] = 0
        self._free.append(task.row)

    def _shut(self, task: Task) -> None:
        for descriptor in (task.descriptor, task.io_descriptor):
            if descriptor != CLOSED:
                os.close(descriptor)
                self._files -= 1
        task.descriptor = task.io_descriptor = CLOSED

    def _stat(self, task: Task) -> bytes:
        """Its stat text, or nothing where it ended meanwhile."""
        if task.descriptor != CLOSED:
            try:
                text = os.pread(task.descriptor, TEXT_BYTES, 0)
            except OSError:
                text = b""
            if text:
                return text
            # The process ended. Another one may have got its number.
            self._shut(task)
        try:
            task.descriptor = self._opened(f"{task.place}/stat")
            if task.descriptor == CLOSED:
                return self.read(f"{task.place}/stat")
            return os.pread(task.descriptor, TEXT_BYTES, 0)
        except OSError:
            return b""

    def _opened(self, path: str) -> int:
        """A descriptor to keep, or CLOSED where enough are kept."""
        if self._files >= MOST_OPEN:
            return CLOSED
        descriptor = os.open(f"{self._proc}/{path}", os.O_RDONLY | os.O_CLOEXEC)
        self._files += 1
        return descriptor

    def _take(self, changed: list[Task]) -> bool:
        """Parse what changed, and work out what was used since the reading before."""
        # The name may hold anything, blanks and brackets too; it ends at the last bracket.
        ends = [task.text.rfind(b")") for task in changed]
        if not changed:
            return True
        tails = b" ".join([task.text[end + 4 :] for task, end in zip(changed, ends, strict=True)])
        numbers = np.fromstring(tails, dtype=np.int64, sep=" ").reshape(len(changed), -1)
        if numbers.shape[1] < FIELDS_NEEDED:
            return False
        totals = numbers[:, TOTALS]
        before = []
        starts, parents, cores, threads = (numbers[:, place].tolist() for place in (START, PARENT, CORE, THREADS))
        # Plain lists: a NumPy row a process would cost more than reading its file.
        for task, end, start, parent, core, many, now in zip(
            changed, ends, starts, parents, cores, threads, totals.tolist(), strict=True
        ):
            if task.start != start:
                task.start, task.io, task.io_closed = start, None, False
                before.append([0] * len(now) if self._is_new(start) else now)
            else:
                before.append(task.totals)
            task.totals, task.parent, task.core, task.threads = now, parent, core, many
            task.name = task.text[task.text.find(b"(") + 1 : end]
        rows = np.array([task.row for task in changed])
        self.amounts[rows[:, None], TOTALS_AT] = np.maximum(totals - np.array(before, dtype=np.int64), 0)
        self.amounts[rows, MEMORY_AT] = numbers[:, RSS]
        self.amounts[rows, THREADS_AT] = numbers[:, THREADS]
        self.states[rows] = [task.text[end + 2] for task, end in zip(changed, ends, strict=True)]
        return True

    def _is_new(self, start: int) -> bool:
        """Whether it began after the last reading, so that all it ever used is of this interval."""
        return self._last_s is not None and start / self._ticks_per_s >= self._last_s - 1 / self._ticks_per_s

    def _move(self, task: Task) -> None:
        """Bytes read from and written to storage since it was last read."""
        io = self._io(task)
        if io is None:
            task.io_closed = True
            return
        before = task.io if task.io is not None else ((0, 0) if self._is_new(task.start) else io)
        task.io = io
        self.amounts[task.row, READ_AT] = max(io[0] - before[0], 0)
        self.amounts[task.row, WRITE_AT] = max(io[1] - before[1], 0)

    def _io(self, task: Task) -> tuple[int, int] | None:
        try:
            if task.io_descriptor == CLOSED:
                task.io_descriptor = self._opened(f"{task.place}/io")
            if task.io_descriptor == CLOSED:
                words = self.read(f"{task.place}/io").split()
            else:
                words = os.pread(task.io_descriptor, TEXT_BYTES, 0).split()
            fields = dict(pairwise(words))
            return int(fields[b"read_bytes:"]), int(fields[b"write_bytes:"])
        except PermissionError:
            if self._io_readable:
                log.info("I/O of other users' processes may not be read", pid=task.number)
                self._io_readable = False
            return None
        except (OSError, ValueError, KeyError):
            return None
