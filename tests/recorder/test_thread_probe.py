"""Threads one by one, on this kernel."""

import subprocess
import sys
import time

import numpy as np
import pytest

from reditus.core.frame import BlockSlice, Frame
from reditus.core.frame_builder import assemble
from reditus.core.processes import threads_at
from reditus.recorder.process_probe import Processes
from reditus.recorder.thread_probe import Threads

pytestmark = pytest.mark.alone
BUSY = """
import ctypes, threading, time
def work():
    ctypes.CDLL(None).prctl(15, b"cutter", 0, 0, 0)
    while True: sum(range(10000))
for body in (work, lambda: time.sleep(60)):
    threading.Thread(target=body, daemon=True).start()
time.sleep(60)
"""


@pytest.mark.kernel
def test_the_busy_thread_of_a_busy_process_is_named():
    child = subprocess.Popen([sys.executable, "-c", BUSY])
    processes = Processes()
    threads = Threads(processes)
    pieces = []
    try:
        for _ in range(4):
            time.sleep(0.6)
            processes.read(0)
            columns, values = threads.read(0)
            at = np.array([time.time_ns()])
            pieces.append(
                BlockSlice("thread", b"boot", 10**9, at, at, dict(zip(columns, values.reshape(-1, 1), strict=True)))
            )
        found = [thread for thread in threads_at(Frame(assemble(pieces)), int(at[0])) if thread.pid == child.pid]
        names = {who.pid: who for who in threads.take_identities()}
    finally:
        child.kill()
        child.wait()
        threads.close()
        processes.close()
    busiest = max(found, key=lambda item: item.usage.cpu_cores)
    assert busiest.tid != child.pid
    assert (names[busiest.tid].name, names[busiest.tid].parent) == ("cutter", child.pid)
    assert busiest.usage.cpu_cores > 0.2
    assert all(match.usage.cpu_cores < 0.1 for match in found if match is not busiest)
    assert (busiest.usage.memory_bytes, busiest.usage.threads) == (0, 0)


def test_without_processes_of_several_threads_there_is_nothing(tmp_path):
    (tmp_path / "proc").mkdir()
    threads = Threads(Processes(str(tmp_path)), str(tmp_path))
    columns, values = threads.read(0)
    assert len(columns) == len(values)
    assert not values.any()
