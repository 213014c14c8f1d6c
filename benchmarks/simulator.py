"""The simulator: how long the lab's two days take, and a week of a large host every second, with the memory they need.

Run: .venv/bin/python -m benchmarks.simulator
"""

import resource
import time
from collections.abc import Iterable

from benchmarks.table import show
from reditus.simulator.fernhold import ARCHIVES
from reditus.simulator.host import Part, parts
from reditus.simulator.large import large_host
from reditus.simulator.thinning import thinned


def main() -> None:
    begun = time.monotonic()
    values = sum(
        drained(thinned(parts(answer.scenario), answer.by) if answer.by > 1 else parts(answer.scenario))
        for answer in ARCHIVES[:5]
    )
    lab_s = time.monotonic() - begun
    begun = time.monotonic()
    large = drained(parts(large_host()))
    large_s = time.monotonic() - begun
    peak_mib = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    show(
        "Simulator",
        [
            ("five hosts, two days every 5 s (one made every second)", f"{lab_s:.1f} s, {values / 1e6:.0f} M values"),
            ("a week every second, 64 cores, 24 disks, 16 interfaces", f"{large_s:.1f} s, {large / 1e6:.0f} M values"),
            ("values a second, large host", f"{large / large_s / 1e6:.0f} M"),
            ("resident memory at most", f"{peak_mib:.0f} MiB"),
        ],
    )


def drained(entries: Iterable[Part]) -> int:
    """How many values there are, none of them kept."""
    return sum(len(part.wall_ns) * sum(map(len, part.groups.values())) for part in entries)


if __name__ == "__main__":
    main()
