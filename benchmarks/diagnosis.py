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
    requested = parser.parse_args()
    seeds = requested.seeds or [1]
    answer = Score()
    count, judging_s = 0, 0.0
    for case in (item for seed in seeds for item in (*cases(seed), *normal_days(seed))):
        if requested.only not in case.name:
            continue
        frame = case.frame()
        begun = time.perf_counter()
        diagnosis = diagnose(frame, case.window)
        judging_s += time.perf_counter() - begun
        score(case, diagnosis, answer)
        count += 1
    for remark in answer.remarks:
        print(remark)
    kinds = sorted({*answer.found, *answer.missed, *answer.simulated})
    rows = [
        (
            kind,
            f"{_share(answer.precision(kind))}   {_share(answer.recall(kind))}   {answer.found[kind]} of "
            f"{answer.found[kind] + answer.missed[kind]}, {answer.simulated[kind]} made up",
        )
        for kind in kinds
    ]
    which = f"seed{'s' if len(seeds) > 1 else ''} {', '.join(map(str, seeds))}"
    show(
        f"Diagnosis of {count} scenarios, {which}: precision, recall",
        [
            *rows,
            ("onsets within max(2 ticks, 2 s)", f"{answer.onsets_good / max(answer.onsets, 1):.0%} of {answer.onsets}"),
            ("one cause given for one true cause", f"{answer.single / max(answer.causes, 1):.0%} of {answer.causes}"),
            ("judging, a scenario", f"{judging_s / max(count, 1) * 1000:.0f} ms"),
        ],
    )


def _share(value: float | None) -> str:
    return "  – " if value is None else f"{value:.2f}"


if __name__ == "__main__":
    main()
