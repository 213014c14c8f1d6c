"""Faults while recorders work, and the count afterwards: what was acknowledged is stored, nothing twice, and others
were unharmed.

Each fault takes the running service and does its worst; two recorders go on all the time, one of which meets the fault
and one of which should not notice.
"""

import os
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

import httpx

from e2e_helpers import wait_until
from kills import Witness, answers, stored_ticks
from reditus.cli.child_processes import Child
from reditus.cli.service import Service, service
from reditus.server.settings import Settings

FAKETIME = f"/usr/lib/{os.uname().machine}-linux-gnu/faketime/libfaketimeMT.so.1"
INTERVAL = "100ms"
YEAR_S = 365 * 86_400
STEPS_S = (1, -1, 3_600, -3_600, 86_400 * 30, -86_400 * 30, 20 * YEAR_S, -20 * YEAR_S)
"""Of a recorder's wall clock, one after the other, each from where it should be."""


@dataclass(frozen=True)
class Outcome:
    """What was counted after a fault."""

    fault: str
    acknowledged: int
    stored: int
    lost: int
    twice: int
    unharmed: int
    """Ticks of the recorder that had nothing to do with it, after the fault."""
    remarks: str = ""

    @property
    def is_right(self) -> bool:
        return self.lost == self.twice == 0 and self.acknowledged > 0 and self.unharmed > 0


@contextmanager
def recording(running: Service, witness: Witness, name: str, env: dict[str, str] | None = None) -> Iterator[Child]:
    arguments = ["--server", witness.url, "--spool", str(running.spool / name), "--name", name, "--every", INTERVAL]
    recorder = Child("reditus.recorder", arguments, log=running.logs / f"{name}.log", env=env)
    try:
        yield recorder
    finally:
        recorder.stop()


def waiting(running: Service) -> list[Path]:
    """Batches that no server has acknowledged yet."""
    return [path for path in running.spool.glob("*/*/*.batch") if path.parent.name != "refused"]


def laid_aside(running: Service) -> list[Path]:
    """Batches that the server would not take."""
    return list(running.spool.glob("*/*/refused/*.batch"))


def reported_aside(running: Service) -> int:
    """As many of them as the recorders report."""
    entries = httpx.get(f"{running.url}/api/recorders", trust_env=False, timeout=60).json()
    return sum(len(entry["report"]["aside"]) for entry in entries)


def ticks_of(running: Service, name: str) -> int:
    entries = httpx.get(f"{running.url}/api/archives", trust_env=False, timeout=60)
    entries.raise_for_status()
    return sum(item["ticks"] for item in entries.json() if item["name"] == name)


def run_fault(data: Path, fault: str, *, steps_s: Sequence[int] = STEPS_S, **more: float) -> Outcome:
    """Let a fault happen under two recorders, let all settle, and count."""
    data.parent.chmod(0o755)
    remarks = ""
    with service(Settings(data=data, seal_every_s=1), anywhere=True) as running:
        witness = Witness(running.url)
        env = {}
        clock = data / "clock"
        if fault == "clock steps":
            clock.write_text("+0")
            clock.chmod(0o644)
            env = {"LD_PRELOAD": FAKETIME, "FAKETIME_TIMESTAMP_FILE": str(clock), "FAKETIME_NO_CACHE": "1",
                   "FAKETIME_DONT_FAKE_MONOTONIC": "1", "DONT_FAKE_MONOTONIC": "1"}  # fmt: skip
        with recording(running, witness, "hurt", env) as hurt, recording(running, witness, "other"):
            wait_until(lambda: ticks_of(running, "hurt") > 10 and ticks_of(running, "other") > 10)
            if fault == "clock steps":
                _clock_steps(clock, steps_s, more.get("pause_s", 4.0))
            else:
                FAULTS[fault](running, hurt, **more)
            wait_until(lambda: answers(running), 120)
            # What piled up is delivered; what the recorders make meanwhile is always on its way.
            wait_until(lambda: len(waiting(running)) <= 2, 180)
            before = ticks_of(running, "other")
            wait_until(lambda: ticks_of(running, "other") > before + 10, 120)
            # What the server would not take is reported by the next report.
            wait_until(lambda: reported_aside(running) == len(laid_aside(running)), 60)
            remarks = f"{len(laid_aside(running))} batches laid aside, given in the report"
        assert not waiting(running), "a recorder left something unsent"
        unharmed = ticks_of(running, "other") - before
        witness.close()
        stored = stored_ticks(running)
    return Outcome(
        fault, len(witness.acknowledged), len(stored), len(witness.acknowledged - set(stored)),
        len(stored) - len(set(stored)), unharmed, remarks,
    )  # fmt: skip


def _frozen(running: Service, _: Child, for_s: float = 60.0) -> None:
    """The server stands still, as a machine that swaps or a virtual machine that is moved does."""
    pid = running.children["server"].pid
    os.kill(pid, signal.SIGSTOP)
    time.sleep(for_s)
    os.kill(pid, signal.SIGCONT)


def _restarted(running: Service, _: Child, times: float = 5) -> None:
    """PostgreSQL is restarted in good order, under load."""
    assert running.cluster
    for _ in range(int(times)):
        running.cluster.stop()
        running.cluster.start()
        time.sleep(2)


def _killed_recorder(running: Service, hurt: Child, times: float = 5) -> None:
    for _ in range(int(times)):
        hurt.kill()
        hurt.restart()
        time.sleep(2)


def _clock_steps(clock: Path, steps_s: Sequence[int], pause_s: float) -> None:
    """The recorder's wall clock steps ahead and back, by a second to twenty years; what is a day ahead is refused and
    reported.
    """
    for step_s in steps_s:
        for offset in (f"{step_s:+d}", "+0"):
            clock.write_text(offset)
            time.sleep(pause_s)


FAULTS: dict[str, Callable[..., None]] = {
    "server frozen": _frozen,
    "database restarted": _restarted,
    "recorder killed": _killed_recorder,
}


def signals_right_after_the_start(folder: Path, times: int) -> tuple[int, float]:
    """Start a recorder and send it SIGINT or SIGTERM as soon as it records; how many ended, and the longest time that
    took.
    """
    longest_s, ended = 0.0, 0
    for at in range(times):
        process = subprocess.Popen(
            [
                sys.executable,
                "-m",
                "reditus.recorder",
                "--server",
                "http://127.0.0.1:9",
                "--spool",
                str(folder),
                "--name",
                "s",
                "--every",
                "100ms",
            ],
            stdout=subprocess.DEVNULL,
            stderr=subprocess.PIPE,
            text=True,
        )
        assert process.stderr
        for line in process.stderr:
            if "recording" in line:
                break
        drain = threading.Thread(target=process.stderr.read)
        drain.start()
        time.sleep((at % 20) * 0.003)
        begun_s = time.monotonic()
        process.send_signal((signal.SIGINT, signal.SIGTERM)[at % 2])
        try:
            process.wait(60)
            ended += 1
        except subprocess.TimeoutExpired:
            process.kill()
        drain.join()
        process.stderr.close()
        longest_s = max(longest_s, time.monotonic() - begun_s)
    return ended, longest_s
