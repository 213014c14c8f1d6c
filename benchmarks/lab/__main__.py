"""Make real bottlenecks and ordinary work on this machine, record them, and judge the diagnosis.

Run: .venv/bin/python -m benchmarks.lab FOLDER [NAME ...]           make, record, judge (as root; a minute each)
     .venv/bin/python -m benchmarks.lab FOLDER --times 2            the same more than once
     .venv/bin/python -m benchmarks.lab FOLDER --judge              judge what is there already

Each capture stands beside a label: what was done, from when to when, on which device, what the right answer is. Each is
judged as it was recorded, with longer ticks, and with less than every file. Needs Debian's fio, stress-ng, iperf3,
nftables, iproute2 and postgresql; what is missing leaves its scenarios out, and is said. Everything that is set up is
taken down again, whatever happens.
"""

import argparse
import json
import os
import shutil
import signal
import sys
from pathlib import Path

from benchmarks.lab.judging import judge_all
from benchmarks.lab.packing import record_packed
from benchmarks.lab.scenarios import SCENARIOS
from benchmarks.table import show


def main() -> None:
    # Ended from outside, everything is taken down as well.
    signal.signal(signal.SIGTERM, lambda *_: sys.exit(1))
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("folder", type=Path)
    parser.add_argument("names", nargs="*", default=[])
    parser.add_argument("--judge", action="store_true", help="judge what is there already")
    parser.add_argument("--times", type=int, default=1, help="record each scenario so many times")
    requested = parser.parse_intermixed_args()
    folder: Path = requested.folder.resolve()
    if not requested.judge:
        for time in range(1, requested.times + 1):
            _make(folder, requested.names, f"-{time}" if requested.times > 1 else "")
    show("Real bottlenecks and ordinary work, judged", judged(folder, requested.names))


def judged(folder: Path, names: list[str]) -> list[tuple[str, str]]:
    """What lies in a folder, judged in every variation."""
    labelled = {
        path.stem: (json.loads(path.read_text()), path.with_name(path.stem + ".txt.zst"))
        for path in sorted(folder.glob("*.json"))
        if path.with_name(path.stem + ".txt.zst").exists()
        and (not names or json.loads(path.read_text())["scenario"] in names)
    }
    rows = []
    for variation, tally in judge_all(labelled).items():
        onsets = f", onsets near {tally.onsets_near} of {tally.onsets}" if tally.onsets else ""
        rows.append(
            (variation, f"{tally.right} of {tally.count} right, {tally.false_alarms} false alarms{onsets}"),
        )
        rows += [("", f"WRONG {entry}") for entry in tally.wrong]
    return rows


def _make(folder: Path, names: list[str], suffix: str) -> None:
    folder.mkdir(parents=True, exist_ok=True)
    for scenario in SCENARIOS:
        missing = [tool for tool in scenario.needs if shutil.which(tool) is None]
        if names and scenario.name not in names:
            continue
        if missing or os.geteuid():
            print(f"{scenario.name}: left out, {'needs root' if os.geteuid() else 'no ' + ', '.join(missing)}")
            continue
        record_packed(scenario, folder, scenario.name + suffix)
        print(f"{scenario.name}: recorded", flush=True)


if __name__ == "__main__":
    main()
