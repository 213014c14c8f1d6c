"""Record a scenario: a quiet while, the load, and a quiet while again."""

import json
import shutil
import subprocess
import time
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from pathlib import Path

import zstandard

from benchmarks.lab.scenarios import Scenario
from reditus.exchange import field_script

QUIET_S, LOUD_S = 14, 42


@contextmanager
def capturing(path: Path, ticks: int) -> Iterator[subprocess.Popen[bytes]]:
    """The field script at work, packed as it comes."""
    script = path.with_suffix(".sh")
    script.write_text(field_script())
    raw = path.with_suffix(".raw")
    with raw.open("wb") as out:
        process = subprocess.Popen(["sh", str(script), "1", str(ticks)], stdout=out, stderr=subprocess.DEVNULL)
        try:
            yield process
        finally:
            process.terminate()
            process.wait()
    path.write_bytes(zstandard.ZstdCompressor(9).compress(raw.read_bytes()))
    raw.unlink()
    script.unlink()


def record(scenario: Scenario, folder: Path, quiet_s: float = QUIET_S, loud_s: float = LOUD_S) -> None:
    """Record a quiet while, the load, and a quiet while again; with its label beside it."""
    with ExitStack() as around:
        work = folder / f".{scenario.name}"
        work.mkdir(exist_ok=True)
        around.callback(shutil.rmtree, work, ignore_errors=True)
        if scenario.before:
            scenario.before(around, work)
        begun_s = time.time()
        with capturing(folder / f"{scenario.name}.txt.zst", 3_600):
            time.sleep(quiet_s)
            with ExitStack() as stack:
                scenario.load(stack, work)
                start_s = time.time()
                time.sleep(loud_s)
                end_s = time.time()
            time.sleep(quiet_s)
        label = {
            "scenario": scenario.name,
            "true_cause": scenario.cause,
            "is_problem": bool(scenario.kinds),
            "kinds": scenario.kinds,
            "may": scenario.may,
            "is_whole": scenario.is_whole,
            "rules_out": scenario.rules_out,
            "start": round(begun_s if scenario.is_whole else start_s, 3),
            "end": round(end_s, 3),
            "capture_start": round(begun_s, 3),
            "capture_end": round(time.time(), 3),
            "interval": 1.0,
        }
        (folder / f"{scenario.name}.json").write_text(json.dumps(label, indent=1) + "\n")
