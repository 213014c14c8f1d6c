"""Record a scenario: a quiet while, the load, and a quiet while again."""

import json
import shutil
import subprocess
import time
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from pathlib import Path

from benchmarks.lab.scenarios import Scenario

QUIET_S, LOUD_S = 14, 42


@contextmanager
def capturing(path: Path, script: Path) -> Iterator[subprocess.Popen[bytes]]:
    """The field script at work."""
    with path.open("wb") as out:
        process = subprocess.Popen(["sh", str(script), "1"], stdout=out, stderr=subprocess.DEVNULL)
        try:
            yield process
        finally:
            process.terminate()
            process.wait()


def record(
    scenario: Scenario, folder: Path, script: Path, name: str = "", quiet_s: float = QUIET_S, loud_s: float = LOUD_S
) -> None:
    """Record a quiet while, the load, and a quiet while again, as NAME.txt, with the label NAME.json beside it."""
    name = name or scenario.name
    with ExitStack() as around:
        work = folder / f".{scenario.name}"
        work.mkdir(exist_ok=True)
        around.callback(shutil.rmtree, work, ignore_errors=True)
        if scenario.before:
            scenario.before(around, work)
        begun_s = time.time()
        with capturing(folder / f"{name}.txt", script):
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
        (folder / f"{name}.json").write_text(json.dumps(label, indent=1) + "\n")
