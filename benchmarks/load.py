"""What a process has used, and when it rests."""

import time
from pathlib import Path

RESTS_S = 2.0
RESTING_SHARE = 0.03
MOST_S = 300.0


def cpu_s(pid: int) -> float:
    """Seconds of processor time that all its threads have used."""
    tasks = Path(f"/proc/{pid}/task").glob("*/schedstat")
    return sum(int(task.read_text().split()[0]) for task in tasks) / 1e9


def wait_for_rest(pid: int) -> None:
    """Return once it uses next to nothing: what it does by itself, after a load, is not measured with the rest. Raise
    TimeoutError.
    """
    until_s = time.monotonic() + MOST_S
    while time.monotonic() < until_s:
        before_s = cpu_s(pid)
        time.sleep(RESTS_S)
        if cpu_s(pid) - before_s < RESTING_SHARE * RESTS_S:
            return
    raise TimeoutError(f"process {pid} did not come to rest in {MOST_S:.0f} s")
