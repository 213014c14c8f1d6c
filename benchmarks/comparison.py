"""Comparing: 24 h against 24 h of every second, 64 cores and 24 disks, beside decoding the same bins; and how often the
answer is right over many pairs of which the truth is known.

Run: .venv/bin/python -m benchmarks.comparison [PAIRS OF EACH KIND]
"""

import sys
import time
from collections import Counter

import numpy as np

from benchmarks.table import show
from reditus.core.binning import BinStats
from reditus.core.comparison import Comparison, Side, aligned_bin_ns, compare, side_of_frame
from reditus.core.comparison.roles import meaning_of
from reditus.core.comparison.samples import keys_of
from reditus.core.comparison.verdict import verdict_of
from reditus.core.facts import HostFacts
from reditus.core.frame import Frame
from reditus.core.frame_builder import assemble
from reditus.core.rollup import from_chunks, to_chunks
from reditus.core.types import NS_PER_S
from reditus.core.window import Window
from reditus.simulator.host import simulate
from reditus.simulator.library.cases import BEGIN_NS
from reditus.simulator.library.machines import LIBRARY, large, ordinary
from reditus.simulator.library.pairs import Pair, pairs, window_of
from reditus.simulator.scenario import Scenario

DAY_BINS = 1_440
FIRST_ROWS = 3


def main() -> None:
    each = int(sys.argv[1]) if len(sys.argv) > 1 else 10
    series, compare_s, decode_s = a_day_against_a_day()
    differing, first, worded, wrong, alike = many_pairs(each)
    show(
        "Comparing on this machine",
        [
            ("measures of 64 cores and 24 disks", str(series)),
            ("a day against a day, in means of a minute", f"{compare_s:.2f} s"),
            ("against decoding the bins of both", f"{compare_s / decode_s:.1f} times"),
            ("pairs in which nothing differs, called different", f"{wrong} of {alike}"),
            ("what differs, among the first three rows", f"{first} of {differing}"),
            ("more or slower work, in the right words", f"{worded} of {differing}"),
        ],
    )


def a_day_against_a_day() -> tuple[int, float, float]:
    """Bins as rollups hold them: of minutes, encoded; measured is from those to the ranked rows and the sentence."""
    rng = np.random.default_rng(1)
    machine = large(rng)
    scenario = Scenario(
        machine=machine, archive=LIBRARY, name="", begin_ns=BEGIN_NS, length_s=600, interval_s=1.0, seed=1,
        works=ordinary(machine, rng),
    )  # fmt: skip
    frame = Frame(assemble(list(simulate(scenario).pieces())), machine.facts)
    keys = [key for key in keys_of([frame]) if meaning_of(key.measure) is not None]
    short = side_of_frame("", frame, keys, window_of(scenario), 10 * NS_PER_S)
    window = Window(BEGIN_NS, BEGIN_NS + DAY_BINS * 60 * NS_PER_S)
    encoded = [{key: to_chunks(_day(stats, rng)) for key, stats in short.stats.items()} for _ in range(2)]
    begun = time.process_time()
    decoded = [{key: from_chunks(chunks, DAY_BINS) for key, chunks in side.items()} for side in encoded]
    decode_s = time.process_time() - begun
    sides = [Side("", HostFacts(), window, 60 * NS_PER_S, stats) for stats in decoded]
    begun = time.process_time()
    verdict_of(compare(sides[0], sides[1], keys))
    return len(decoded[0]), time.process_time() - begun, decode_s


def _day(stats: BinStats, rng: np.random.Generator) -> BinStats:
    """A day of minutes whose values are drawn from those of ten minutes."""
    places = rng.integers(len(stats), size=DAY_BINS)
    return BinStats(np.full(DAY_BINS, 60.0), stats.mean[places], stats.low[places], stats.high[places])


def many_pairs(each: int) -> tuple[int, int, int, int, int]:
    """How many differ, of those how many stand among the first rows and are worded right; how many of those that do not
    differ are called different, and how many of these there are.
    """
    counted: Counter[str] = Counter()
    for pair in pairs(29, alike=4 * each, each=each):
        found = _compared(pair)
        if not pair.change.shows_in:
            counted["alike"] += 1
            counted["wrong"] += bool(found.differences)
            continue
        counted["differing"] += 1
        counted["worded"] += verdict_of(found).what == pair.change.what
        counted["first"] += any(
            item.measure.name in pair.change.shows_in
            and (
                pair.change.device is None or item.device is None or pair.change.device in (item.device, *item.likewise)
            )
            for item in found.differences[:FIRST_ROWS]
        )
    return counted["differing"], counted["first"], counted["worded"], counted["wrong"], counted["alike"]


def _compared(pair: Pair) -> Comparison:
    frames = pair.frames()
    keys = keys_of(frames)
    windows = window_of(pair.window), window_of(pair.reference)
    bin_ns = aligned_bin_ns(windows, [round(pair.window.interval_s * NS_PER_S)] * 2)
    sides = [side_of_frame("", frame, keys, part, bin_ns) for frame, part in zip(frames, windows, strict=True)]
    return compare(sides[0], sides[1], keys)


if __name__ == "__main__":
    main()
