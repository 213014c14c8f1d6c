"""Kill recorder, server and database many times at random, and count what was acknowledged against what is there.

Run: .venv/bin/python -m benchmarks.kills [KILLS, default 50] [SEED]          recorder, server and database, while
recording
     .venv/bin/python -m benchmarks.kills storm [KILLS, default 100] [SEED]   server and database, in the middle of
     append,
                                                                             seal, rollup, trim, copy and delete
     .venv/bin/python -m benchmarks.kills faults [FROZEN_S, default 60] [SIGNALS, default 300]
                                                                             a frozen server, a database that is
                                                                             restarted,
                                                                             killed recorders, clock steps, and signals
                                                                             right
                                                                             after a start
"""

import sys
import tempfile
from pathlib import Path

from benchmarks.table import show

sys.path.insert(0, str(Path(__file__).resolve().parent.parent / "tests" / "helpers"))


def main() -> None:
    if sys.argv[1:2] == ["storm"]:
        storm()
        return
    if sys.argv[1:2] == ["faults"]:
        faults()
        return
    from kills import run_kills

    kills = int(sys.argv[1]) if len(sys.argv) > 1 else 50
    seed = int(sys.argv[2]) if len(sys.argv) > 2 else 7
    with tempfile.TemporaryDirectory(prefix="reditus-kills-", ignore_cleanup_errors=True) as folder:
        Path(folder).chmod(0o755)
        count = run_kills(Path(folder) / "data", kills, seed)
    show(
        f"{count.kills} kills, each of recorder, server and database in turn",
        [
            ("readings acknowledged", f"{count.acknowledged:,}"),
            ("readings stored", f"{count.stored:,}"),
            ("acknowledged and lost", str(count.lost)),
            ("stored twice", str(count.twice)),
        ],
    )
    sys.exit(1 if count.lost or count.twice else 0)


def storm() -> None:
    from storms import run_storm

    kills = int(sys.argv[2]) if len(sys.argv) > 2 else 100
    seed = int(sys.argv[3]) if len(sys.argv) > 3 else 7
    with tempfile.TemporaryDirectory(prefix="reditus-storm-", ignore_cleanup_errors=True) as folder:
        Path(folder).chmod(0o755)
        count = run_storm(Path(folder) / "data", kills, seed)
    show(
        f"{count.kills} kills of server and database in turn",
        [
            ("done in between", ", ".join(f"{number} × {what}" for what, number in sorted(count.done.items()))),
            ("ticks acknowledged", f"{count.acknowledged:,}"),
            ("ticks compared, over all times", f"{count.counted:,}"),
            ("minutes of rollups compared with their ticks", f"{count.rolled:,}"),
            ("minutes of those that are unknown", f"{count.unknown:,}"),
            ("wrong", "; ".join(count.wrong[:5]) or "nothing"),
        ],
    )
    sys.exit(1 if count.wrong else 0)


def faults() -> None:
    from faults import FAULTS, run_fault, signals_right_after_the_start

    frozen_s = float(sys.argv[2]) if len(sys.argv) > 2 else 60.0
    signals = int(sys.argv[3]) if len(sys.argv) > 3 else 300
    rows: list[tuple[str, str]] = []
    wrong = 0
    for fault in [*FAULTS, "clock steps"]:
        with tempfile.TemporaryDirectory(prefix="reditus-faults-", ignore_cleanup_errors=True) as folder:
            more = {"for_s": frozen_s} if fault == "server frozen" else {}
            found = run_fault(Path(folder) / "data", fault, **more)
        wrong += not found.is_right
        counted = f"{found.acknowledged:,} acknowledged, {found.lost} lost, {found.twice} twice"
        rows.append((fault, f"{counted}; {found.unharmed} ticks of the other recorder since. {found.remarks}"))
    with tempfile.TemporaryDirectory(prefix="reditus-signals-") as folder:
        ended, longest_s = signals_right_after_the_start(Path(folder), signals)
    wrong += ended != signals
    rows.append((f"{signals} signals right after a start", f"{ended} ended, the slowest in {longest_s:.1f} s"))
    show("Faults under two recorders", rows)
    sys.exit(1 if wrong else 0)


if __name__ == "__main__":
    main()
