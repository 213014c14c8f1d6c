"""Real pairs: the same load on this machine before and after one change, or twice, compared as two field captures.

Run: .venv/bin/python -m benchmarks.lab.pairs [NAME ...]     (as root, on a quiet machine; a minute and a half each)
"""

import sys
import tempfile
import time
from collections.abc import Callable
from contextlib import ExitStack
from dataclasses import dataclass
from pathlib import Path

from benchmarks.lab.loads import READER
from benchmarks.lab.loads_more import build
from benchmarks.lab.packing import write_field_script
from benchmarks.lab.recording import capturing
from benchmarks.lab.tools import control_group, limited, python, slow_disk, upper
from benchmarks.table import show
from reditus.cli.file_comparison import of_files

SETTLE_S, RECORD_S = 4, 40
FIRST_ROWS = 3
CHORE = """
import sys, time
share, period = float(sys.argv[1]), 0.1
while True:
    due = time.monotonic() + period
    done = time.thread_time() + share * period
    while time.thread_time() < done: pass
    time.sleep(max(due - time.monotonic(), 0))
"""
"""So much work a tenth of a second, however long that takes."""
Step = Callable[[ExitStack, Path], None]


@dataclass(frozen=True)
class RealPair:
    """A load, and what is changed about it for the second recording."""

    name: str
    before: Step
    load: Step
    change: Step
    what: str
    shows: tuple[str, ...] = ()
    """Of what one has to stand among the first rows."""


def nothing(_: ExitStack, __: Path) -> None:
    """No preparation, or no change."""


def a_disk(stack: ExitStack, folder: Path) -> None:
    slow_disk(stack, folder, read_iops=600, write_iops=600)


def reads(stack: ExitStack, folder: Path) -> None:
    for _ in range(2):
        python(stack, READER, upper(folder), "0.02")


def slower_disk(_: ExitStack, folder: Path) -> None:
    limited((folder / "lower").read_text(), read_iops=25, write_iops=25)


def chores(stack: ExitStack, folder: Path) -> None:
    words = (folder / "group").read_text() if (folder / "group").exists() else ""
    cpu = 0 if (folder / "one-core").exists() else None
    for _ in range(3):
        python(stack, CHORE, "0.5", group=Path(words) if words else None, cpu=cpu)


def a_group(stack: ExitStack, folder: Path) -> None:
    (folder / "group").write_text(str(control_group(stack, "cpu", cpu__cfs_period_us=100_000, cpu__cfs_quota_us=-1)))


def less_of_it(_: ExitStack, folder: Path) -> None:
    (Path((folder / "group").read_text()) / "cpu.cfs_quota_us").write_text("60000")


def one_core(_: ExitStack, folder: Path) -> None:
    (folder / "one-core").touch()


PAIRS = (
    RealPair("a disk gets a limit", a_disk, reads, slower_disk, "slower work",
             ("disk.wait", "disk.read.wait", "disk.queue", "stall.io.some", "cpu.blocked")),
    RealPair("a group gets a limit", a_group, chores, less_of_it, "slower work",
             ("cpu.quota", "cpu.waiting", "stall.cpu.some", "cpu.busy", "cpu.user")),
    RealPair("two cores become one", nothing, chores, one_core, "slower work",
             ("cpu.waiting", "stall.cpu.some", "cpu.hottest")),
    RealPair("the same chores twice", nothing, chores, nothing, "same"),
    RealPair("the same build twice", nothing, build, nothing, "same"),
)  # fmt: skip


def main() -> None:
    wanted = sys.argv[1:]
    rows = []
    with tempfile.TemporaryDirectory(prefix="reditus-pairs-", dir="/var/tmp") as name:
        folder = Path(name)
        script = write_field_script(folder)
        for pair in PAIRS:
            if not wanted or pair.name in wanted:
                rows.append((pair.name, _compared(pair, folder, script)))
    show("The same load before and after one change, on this machine", rows)


def _compared(pair: RealPair, folder: Path, script: Path) -> str:
    files = [folder / f"{side}.txt" for side in ("reference", "window")]
    with ExitStack() as around:
        work = Path(around.enter_context(tempfile.TemporaryDirectory(dir=folder)))
        pair.before(around, work)
        for file, change in zip(files, (nothing, pair.change), strict=True):
            change(around, work)
            with ExitStack() as stack:
                pair.load(stack, work)
                time.sleep(SETTLE_S)
                with capturing(file, script):
                    time.sleep(RECORD_S)
    answer = of_files((files[1], None, None), (files[0], None, None))
    first = [row["measure"] for row in answer["differences"][:FIRST_ROWS]]
    right = answer["what"] == pair.what
    shown = not pair.shows or bool(set(first) & set(pair.shows))
    verdict = "right" if right and shown else "WRONG"
    return f"{verdict}: {answer['what']}, wanted {pair.what}; first {', '.join(first) or 'none'}; {answer['sentence']}"


if __name__ == "__main__":
    main()
