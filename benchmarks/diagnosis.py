"""Precision and recall of the diagnosis, kind by kind, over the library of made-up scenarios.

Run: .venv/bin/python -m benchmarks.diagnosis [SEED ...] [--only TEXT]

Over several seeds kinds are counted together: of one seed there are about ten cases of a kind, too few to tell 0.95 by.
"""

import argparse
import time

from benchmarks.table import show
from reditus.core.diagnosis import diagnose
from reditus.simulator.library import Score, cases, normal_days, score


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("seeds", nargs="*", type=int, metavar="SEED")
    parser.add_argument("--only", default="", help="cases whose names hold this")
    asked = parser.parse_args()
    seeds = asked.seeds or [1]
    told = Score()
    count, judging_s = 0, 0.0
    for case in (item for seed in seeds for item in (*cases(seed), *normal_days(seed))):
        if asked.only not in case.name:
            continue
        frame = case.frame()
        begun = time.perf_counter()
        diagnosis = diagnose(frame, case.window)
        judging_s += time.perf_counter() - begun
        score(case, diagnosis, told)
        count += 1
    for remark in told.remarks:
        print(remark)
    kinds = sorted({*told.found, *told.missed, *told.made_up})
    rows = [(kind, f"{_share(told.precision(kind))}   {_share(told.recall(kind))}   {told.found[kind]} of {told.found[kind] + told.missed[kind]}, {told.made_up[kind]} made up") for kind in kinds]  # fmt: skip
    which = f"seed{'s' if len(seeds) > 1 else ''} {', '.join(map(str, seeds))}"
    show(
        f"Diagnosis of {count} scenarios, {which}: precision, recall",
        [
            *rows,
            ("onsets within max(2 ticks, 2 s)", f"{told.onsets_good / max(told.onsets, 1):.0%} of {told.onsets}"),
            ("one cause told for one true cause", f"{told.single / max(told.causes, 1):.0%} of {told.causes}"),
            ("judging, a scenario", f"{judging_s / max(count, 1) * 1000:.0f} ms"),
        ],
    )


def _share(value: float | None) -> str:
    return "  – " if value is None else f"{value:.2f}"


if __name__ == "__main__":
    main()
