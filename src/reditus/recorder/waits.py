"""Time that processes waited for a core: /proc/PID/task/TID/schedstat, second field (Documentation/scheduler/
sched-stats.rst). The kernel keeps it for each thread, so a process's is the sum over its threads.
"""

import os
from dataclasses import dataclass, field

from reditus.recorder.task_table import Task

MOST_THREADS = 192
"""Read in one tick; of processes beyond it nothing is known that tick."""
MOST_OF_ONE = 64
"""A process of more threads is left out: reading them would cost more than it tells."""
TEXT_BYTES = 128


@dataclass(slots=True)
class _Known:
    start: int
    totals: dict[str, int] = field(default_factory=dict)
    """By thread, nanoseconds since it began."""


class Waits:
    """Of the processes in slots, from tick to tick. A kernel without these files tells nothing, which is 0."""

    def __init__(self, proc: str, *, threads: bool = False) -> None:
        """With `threads`, what is read are threads, each for itself."""
        self._proc, self._threads = proc, threads
        self._known: dict[int, _Known] = {}

    def read(self, tasks: list[Task], ran: list[bool]) -> list[int]:
        """Nanoseconds that the threads of each waited since they were last read; 0 for one that was not read before.
        One that did not run meanwhile is not read: what little it may have waited shows when it runs.
        """
        before, self._known = self._known, {}
        left = MOST_THREADS
        out = []
        for task, has_run in zip(tasks, ran, strict=True):
            waited = 0
            if not has_run and task.number in before:
                self._known[task.number] = before[task.number]
                out.append(0)
                continue
            files = 1 if self._threads else task.threads
            if files <= min(left, MOST_OF_ONE):
                left -= files
                now = _Known(task.start, self._totals(task))
                then = before.get(task.number)
                if then is not None and then.start == task.start:
                    # A thread that is new began within the interval.
                    waited = sum(max(total - then.totals.get(name, 0), 0) for name, total in now.totals.items())
                self._known[task.number] = now
            out.append(waited)
        return out

    def _totals(self, task: Task) -> dict[str, int]:
        if self._threads or task.threads <= 1:
            total = self._total(f"{task.place}/schedstat")
            # A process's first thread has its number, by which it is known once there are more.
            return {} if total is None else {str(task.number): total}
        folder = f"{task.place}/task"
        try:
            names = os.listdir(f"{self._proc}/{folder}")[:MOST_OF_ONE]
        except OSError:  # it ended meanwhile
            return {}
        totals = {name: self._total(f"{folder}/{name}/schedstat") for name in names}
        return {name: total for name, total in totals.items() if total is not None}

    def _total(self, path: str) -> int | None:
        try:
            descriptor = os.open(f"{self._proc}/{path}", os.O_RDONLY | os.O_CLOEXEC)
        except OSError:  # it ended meanwhile, or the kernel keeps no such file
            return None
        try:
            words = os.pread(descriptor, TEXT_BYTES, 0).split()
        except OSError:
            return None
        finally:
            os.close(descriptor)
        return int(words[1]) if len(words) > 1 and words[1].isdigit() else None
