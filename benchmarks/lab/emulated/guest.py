"""What runs inside, as the first process: set the machine up, record the scenarios, and end it.

On Debian's Python and nothing else. Results lie in /results; what goes wrong with a scenario is written beside them.
"""

import os
import subprocess
import sys
import traceback
from pathlib import Path

from benchmarks.lab.emulated.scenarios import SCENARIOS
from benchmarks.lab.recording import record

PLACE, RESULTS = Path("/lab"), Path("/results")
MOUNTS = (
    ("proc", "/proc", ""),
    ("sysfs", "/sys", ""),
    ("devtmpfs", "/dev", ""),
    ("devpts", "/dev/pts", ""),
    ("tmpfs", "/dev/shm", ""),
    ("tmpfs", "/run", ""),
    ("cgroup2", "/sys/fs/cgroup", ""),
)


def main() -> None:
    _set_up()
    chosen = (PLACE / "names").read_text().split()
    for scenario in SCENARIOS:
        if chosen and scenario.name not in chosen:
            continue
        _say(f"recording {scenario.name}")
        try:
            record(scenario, RESULTS, PLACE / "field-script.sh")
            _say(f"done {scenario.name}")
        except (OSError, subprocess.SubprocessError) as why:
            (RESULTS / f"{scenario.name}.failed").write_text(traceback.format_exc())
            _say(f"failed {scenario.name}: {why}")
    _say("end")
    os.sync()
    Path("/proc/sysrq-trigger").write_text("o")


def _set_up() -> None:
    for kind, place, options in MOUNTS:
        Path(place).mkdir(parents=True, exist_ok=True)
        words = ["mount", "-t", kind, kind, place, *(["-o", options] if options else [])]
        subprocess.run(words, check=False, capture_output=True)
    os.environ.update(PATH="/usr/sbin:/usr/bin:/sbin:/bin", HOME="/root", LANG="C.UTF-8")
    for module in ("dm-delay", "sch_netem", "sch_tbf", "veth", "nft_numgen"):
        subprocess.run(["modprobe", module], check=False)
    Path("/sys/fs/cgroup/cgroup.subtree_control").write_text("+cpu +memory +io +pids")
    Path("/proc/sys/kernel/sched_schedstats").write_text("1")
    Path("/proc/sys/kernel/hostname").write_text("strange")
    subprocess.run(["ip", "link", "set", "lo", "up"], check=True)
    RESULTS.mkdir(exist_ok=True)


def _say(what: str) -> None:
    with Path("/dev/ttyS0").open("w") as console:
        console.write(f"\n@say {what}\n")


if __name__ == "__main__":
    try:
        main()
    except BaseException:
        traceback.print_exc(file=sys.stdout)
        os.sync()
        Path("/proc/sysrq-trigger").write_text("o")
        raise
