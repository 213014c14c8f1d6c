"""Real work for the real kernel: busy processes, ended by their starter."""

import os
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass

BUSY = "while True: pass"
# Nearly all the time at work, with short rests, so that the machine's own chores need not wait.
RESTING = """
import time
while True:
    end = time.perf_counter() + 0.050
    while time.perf_counter() < end: pass
    time.sleep(0.001)
"""


@dataclass
class Truth:
    """When the load really ran, seconds since the epoch."""

    start_s: float = 0.0
    end_s: float = 0.0


@contextmanager
def busy_processes(count: int, program: str = BUSY, *, one_per_core: bool = False) -> Iterator[Truth]:
    truth = Truth(start_s=time.time())
    workers = [subprocess.Popen([sys.executable, "-c", program]) for _ in range(count)]
    if one_per_core:
        for core, worker in zip(sorted(os.sched_getaffinity(0)), workers, strict=False):
            os.sched_setaffinity(worker.pid, {core})
    try:
        yield truth
    finally:
        for worker in workers:
            worker.kill()
        for worker in workers:
            worker.wait()
        truth.end_s = time.time()
