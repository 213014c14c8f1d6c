"""The recorder: processor time per tick against only reading the same files' bytes, and resident memory.

Run: .venv/bin/python -m benchmarks.recorder [SECONDS]
"""

import json
import os
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from glob import glob
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from math import lcm
from pathlib import Path
from statistics import mean, median
from threading import Thread
from typing import ClassVar

from benchmarks.load import cpu_s
from benchmarks.table import show
from reditus.core.types import NS_PER_S
from reditus.recorder.__main__ import tune_gc
from reditus.recorder.batcher import FLUSH_AFTER_NS
from reditus.recorder.kernel_file import KernelFile
from reditus.recorder.sampler import RawTick, Sampler
from reditus.recorder.sources import SOURCES, Source
from reditus.recorder.sources.source import SLOW_S

PACE_S = 0.5
"""Both ways take turns, so that each is at it once a second, as a recorder is: what a processor's caches have forgotten
in between costs both."""
TOGETHER = FLUSH_AFTER_NS // NS_PER_S
"""Ticks of a second that go into one batch."""
CROWD = 200
WINDOW_S = 15
"""Whole multiples of TOGETHER, and of the time after which it is looked for files that came."""


sys.path.insert(0, str(Path(__file__).resolve().parent.parent / "tests" / "helpers"))


def main() -> None:
    from real_load import busy_processes

    seconds = int(sys.argv[1]) if len(sys.argv) > 1 else 60
    columns, ratio, tick_ms = reading_and_parsing(seconds)
    share, memory_mib, _ = whole_recorder(seconds)
    with sleepers(CROWD):
        crowded_share, crowded_mib, _ = whole_recorder(seconds)
    with busy_processes(3 * (os.cpu_count() or 1)):
        _, _, late_ms = whole_recorder(seconds)
    show(
        "Recorder on this machine",
        [
            ("counters a tick", str(columns)),
            ("read and parse, against only reading", f"{ratio:.2f} times"),
            ("read and parse, processor time a tick", f"{tick_ms:.2f} ms"),
            (f"whole recorder at 1 s for {seconds} s, spooling and sending", f"{share:.2%} of one core"),
            (f"the same with {CROWD} more processes", f"{crowded_share:.2%} of one core"),
            ("resident memory, and with those", f"{memory_mib:.1f} MiB, {crowded_mib:.1f} MiB"),
            ("ticks late by, median, all cores saturated three times", f"{late_ms:.2f} ms"),
        ],
    )


def reading_and_parsing(rounds: int) -> tuple[int, float, float]:
    """Both ways take turns, at the same pace, in one run; processor time of this process. As in the recorder, what was
    read in TOGETHER ticks is parsed at the last of them. Of the rounds that do the same the median counts: where the
    machine is a guest, time that its host took away is charged to the running task.
    """
    sampler = Sampler()
    often = [item for source in SOURCES if not source.pace_s for item in files_of(source)]
    rarely = [item for source in SOURCES if source.pace_s for item in files_of(source)]
    tune_gc()
    entries = lcm(TOGETHER, SLOW_S)
    spent: dict[str, list[list[float]]] = {way: [[] for _ in range(entries)] for way in ("read", "parse")}
    columns = 0
    rounds += 1 - rounds % TOGETHER  # the first one opens and learns, and is not counted
    unparsed: list[RawTick] = []
    for round_s in range(rounds):
        for way in spent:
            time.sleep(PACE_S)
            begun = time.process_time()
            if way == "parse":
                unparsed.append(sampler.read())
                if round_s == 0 or len(unparsed) == TOGETHER:
                    readings = [item for tick in unparsed for item in sampler.parse(tick)]
                    unparsed.clear()
            else:
                for file in [*often, *rarely] if round_s % SLOW_S == 0 else often:
                    file.read()
            if round_s:
                spent[way][round_s % entries].append(time.process_time() - begun)
        columns = max(
            columns, sum(len(item) for item in {reading.group: reading.columns for reading in readings}.values())
        )
    sampler.close()
    for file in (*often, *rarely):
        file.close()
    tick_s = {way: mean(median(alike) for alike in rounds_s if alike) for way, rounds_s in spent.items()}
    return columns, tick_s["parse"] / tick_s["read"], tick_s["parse"] * 1000


def files_of(source: Source) -> list[KernelFile]:
    """Its files that can be read."""
    paths = [path for pattern in source.patterns for path in sorted(glob(pattern))]
    files = [KernelFile(path) for path in paths if source.wants is None or source.wants(path)]
    return [file for file in files if _can_be_read(file)]


def _can_be_read(file: KernelFile) -> bool:
    try:
        file.read()
    except OSError:
        return False
    return True


@contextmanager
def sleepers(count: int) -> Iterator[None]:
    """Processes that mostly sleep; one in ten starts a short-lived one every second."""
    asleep, awake = ["sleep", "3600"], ["sh", "-c", "while :; do sleep 1; done"]
    crowd = [subprocess.Popen(asleep if at % 10 else awake, start_new_session=True) for at in range(count)]
    try:
        yield
    finally:
        for item in crowd:
            os.killpg(item.pid, signal.SIGKILL)
            item.wait()


class Sink(BaseHTTPRequestHandler):
    """Acknowledges everything, and keeps the recorder's last report."""

    protocol_version = "HTTP/1.1"
    report: ClassVar[dict[str, float]] = {}

    def do_POST(self) -> None:
        body = self.rfile.read(int(self.headers["Content-Length"]))
        if "/recorders/" in self.path:
            Sink.report = json.loads(body)["report"]
        answer = json.dumps({}).encode()
        self.send_response(200)
        self.send_header("Content-Length", str(len(answer)))
        self.end_headers()
        self.wfile.write(answer)

    do_PUT = do_POST

    def log_message(self, *_: object) -> None:
        """Say nothing."""


def whole_recorder(seconds: int) -> tuple[float, float, float]:
    """Share of one core, MiB resident, and how late the last minute's ticks were in ms (median), of a real recorder
    process, its start-up left out. The share is the median over WINDOW_S each: where the machine is a guest, what
    its host takes away is charged to the running task.
    """
    sink = ThreadingHTTPServer(("127.0.0.1", 0), Sink)
    Thread(target=sink.serve_forever, daemon=True).start()
    with tempfile.TemporaryDirectory() as spool:
        command = [sys.executable, "-m", "reditus.recorder", "--server", f"http://127.0.0.1:{sink.server_port}",
                   "--spool", spool, "--name", "benchmark", "--every", "1s"]  # fmt: skip
        recorder = subprocess.Popen(command, stderr=subprocess.DEVNULL)
        time.sleep(5)
        shares = [_share(recorder.pid, WINDOW_S) for _ in range(max(seconds // WINDOW_S, 1))]
        late_ms, resident_mib = 1_000 * Sink.report["late_s"], Sink.report["memory_bytes"] / (1 << 20)
        recorder.terminate()
        recorder.wait()
    sink.shutdown()
    return median(shares), resident_mib, late_ms


def _share(pid: int, window_s: int) -> float:
    """Of one core, over the window that begins now."""
    before_s, begun = cpu_s(pid), time.monotonic()
    time.sleep(window_s)
    return (cpu_s(pid) - before_s) / (time.monotonic() - begun)


if __name__ == "__main__":
    main()
