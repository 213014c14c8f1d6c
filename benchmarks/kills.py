"""Kill recorder, server and database many times at random, and count what was acknowledged against what is there.

Run: .venv/bin/python -m benchmarks.kills [KILLS, default 50] [SEED]          recorder, server and database, while recording
     .venv/bin/python -m benchmarks.kills storm [KILLS, default 100] [SEED]   server and database, in the middle of append,
                                                                             seal, rollup, trim, copy and delete
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


if __name__ == "__main__":
    main()
