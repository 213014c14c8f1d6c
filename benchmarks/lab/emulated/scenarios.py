"""Scenarios for Debian's own kernel: control groups v2, netem, a delayed and a throttled disk, zram, hot-plugged cores.

Runs inside, on Debian's Python and nothing else.
"""

import os
import subprocess
import sys
import time
from contextlib import ExitStack
from pathlib import Path

from benchmarks.lab import loads
from benchmarks.lab import loads_more as more
from benchmarks.lab.scenarios import Scenario
from benchmarks.lab.tools import GROUPS, MIB, file_of, python, run, started

DISK, SWAP_DISK = "/dev/vdb", "/dev/vdc"
"""The first is throttled from outside, for everyone who uses it."""
DELAYED = "reditus-delayed"
DELAYED_DISK = "/dev/dm-0"
"""There is no device manager inside that would give it a name."""
SECOND_CORE = Path("/sys/devices/system/cpu/cpu1/online")


def throttled(stack: ExitStack, requests_per_s: int) -> None:
    """Ask the machine around this one for a disk of so many requests a second, until the stack is left."""

    def ask(limit: int) -> None:
        with Path("/dev/ttyS0").open("w") as console:
            console.write(f"\n@throttle {limit}\n")
        time.sleep(1)

    ask(requests_per_s)
    stack.callback(ask, 0)


def group(stack: ExitStack, **limits: str) -> Path:
    """A control group with limits; two underscores stand for the dot."""
    path = GROUPS / f"lab-{time.monotonic_ns()}"
    path.mkdir()
    stack.callback(path.rmdir)
    for name, value in limits.items():
        (path / name.replace("__", ".")).write_text(value)
    return path


def mounted(stack: ExitStack, folder: Path) -> Path:
    """A filesystem on the disk."""
    mount = folder / "mount"
    mount.mkdir()
    run("mkfs.ext4", "-q", "-F", DISK)
    run("mount", DISK, str(mount))
    stack.callback(subprocess.run, ["umount", str(mount)], check=False)
    return mount


def swapping(stack: ExitStack, device: str) -> None:
    run("mkswap", device)
    run("swapon", device)
    stack.callback(subprocess.run, ["swapoff", device], check=False)


def quota(stack: ExitStack, _: Path) -> None:
    limited = group(stack, cpu__max="35000 100000")
    for _program in range(2):
        python(stack, loads.BUSY, group=limited)


def kill(stack: ExitStack, _: Path) -> None:
    python(stack, loads.HOLD, str(400 * MIB), group=group(stack, memory__max=str(96 * MIB), memory__swap__max="0"))


def thrash(stack: ExitStack, _: Path) -> None:
    python(stack, loads.TOUCH, str(256 * MIB), group=group(stack, memory__max=str(128 * MIB)))


def occupy(stack: ExitStack, _: Path) -> None:
    """Parked in compressed memory, and not used again."""
    run("modprobe", "zram")
    Path("/sys/block/zram0/disksize").write_text(str(512 * MIB))
    stack.callback(Path("/sys/block/zram0/reset").write_text, "1")
    swapping(stack, "/dev/zram0")
    python(stack, loads.HOLD, str(300 * MIB), group=group(stack, memory__max=str(100 * MIB)))
    time.sleep(40)


def held_back(stack: ExitStack, _: Path) -> None:
    """What a group may ask of a disk ends above the disk."""
    number = os.stat(DISK).st_rdev
    limited = group(stack, io__max=f"{os.major(number)}:{os.minor(number)} riops=60")
    for _program in range(4):
        python(stack, loads.READER, DISK, "0", group=limited)


def quiet_reader(stack: ExitStack, _: Path) -> None:
    throttled(stack, 300)
    python(stack, loads.READER, DISK, "0.1")


def slow_down(stack: ExitStack, _: Path) -> None:
    throttled(stack, 12)
    for _program in range(2):
        python(stack, loads.READER, DISK, "0.04")


def table(delay_ms: int) -> str:
    sectors = int(Path("/sys/block/vdb/size").read_text())
    return f"0 {sectors} delay {DISK} 0 {delay_ms}"


def delayed(stack: ExitStack, _: Path) -> None:
    """A disk behind a path that adds nothing yet."""
    run("dmsetup", "create", DELAYED, "--table", table(1))
    stack.callback(subprocess.run, ["dmsetup", "remove", "--retry", DELAYED], check=False)
    python(stack, loads.READER, DELAYED_DISK, "0.1")


def delay(stack: ExitStack, _: Path) -> None:
    run("dmsetup", "reload", DELAYED, "--table", table(120))
    run("dmsetup", "resume", DELAYED)
    for _program in range(2):
        python(stack, loads.READER, DELAYED_DISK, "0.04")


def commits(stack: ExitStack, folder: Path) -> None:
    """A database, made while the disk is quick."""
    place = mounted(stack, folder)
    for above in (folder, place):
        above.chmod(0o755)
    (place / "pg").mkdir()
    more.postgres(stack, place / "pg", 8)
    (place / "pgbench").rename(place / "pgbench.words")
    (folder / "pgbench").write_text((place / "pgbench.words").read_text())
    run("sync")
    throttled(stack, 12)


def lossy(stack: ExitStack, folder: Path) -> None:
    loads.cable(stack, folder)
    started(stack, "iperf3", "-c", loads.THERE, "-t", "600", "-b", "4M")


def lose(stack: ExitStack, _: Path) -> None:
    run("tc", "qdisc", "add", "dev", loads.NEAR, "root", "netem", "loss", "3%")
    stack.callback(subprocess.run, ["tc", "qdisc", "del", "dev", loads.NEAR, "root"], check=False, capture_output=True)


def far_away(stack: ExitStack, folder: Path) -> None:
    """A link on which everything takes 20 ms, and nothing is lost."""
    loads.cable(stack, folder)
    run("tc", "qdisc", "add", "dev", loads.NEAR, "root", "netem", "delay", "20ms", "limit", "10000")


def shaped(stack: ExitStack, folder: Path) -> None:
    loads.cable(stack, folder)
    run("tc", "qdisc", "add", "dev", loads.NEAR, "root", "tbf", "rate", "20mbit", "burst", "64kb", "latency", "50ms")


def freeze(stack: ExitStack, folder: Path) -> None:
    mount = mounted(stack, folder)
    run("fsfreeze", "-f", str(mount))
    for _program in range(6):
        python(stack, loads.WRITE, str(mount / "part"))
    # Thawed before its writers are ended: who hangs cannot be ended.
    stack.callback(subprocess.run, ["fsfreeze", "-u", str(mount)], check=False)


def read_again(stack: ExitStack, folder: Path) -> None:
    file = file_of(stack, folder, "big.bin", 256 * MIB)
    run("sh", "-c", "echo 3 > /proc/sys/vm/drop_caches")
    started(stack, "sh", "-c", f"while :; do cat {file} > /dev/null; sleep 2; done")


def one_reader(stack: ExitStack, _: Path) -> None:
    throttled(stack, 300)
    more.fio(stack, DISK, "--rw=read", "--bs=64k", "--ioengine=psync")


def plug(stack: ExitStack, folder: Path) -> None:
    """A core is taken away and comes back while one compiler works."""
    more.build(stack, folder)
    stack.callback(SECOND_CORE.write_text, "1")
    started(stack, "sh", "-c", f"sleep 12; echo 0 > {SECOND_CORE}; sleep 12; echo 1 > {SECOND_CORE}; sleep 600")


DISK_TROUBLE = ("disk.saturated", "disk.slow")

SCENARIOS = (
    Scenario(
        "other-cpu-all",
        "six workers on two cores",
        lambda stack, _: started(stack, "stress-ng", "--cpu", "6", "--timeout", "600"),
        ("cpu.saturated",),
    ),
    Scenario(
        "other-cpu-one-core",
        "one program bound to one core",
        lambda stack, _: python(stack, loads.BUSY, cpu=1),
        ("cpu.one_core",),
    ),
    Scenario("other-cpu-quota", "two busy programs in a group that may use a third of a core", quota, ("cpu.quota",)),
    Scenario("other-oom-kill", "400 MiB in a group of 96 MiB, without swap", kill, ("memory.oom_kill",)),
    Scenario(
        "other-thrash",
        "256 MiB touched at random in a group of 128 MiB, swap on a disk",
        thrash,
        ("swap.thrashing",),
        before=lambda stack, _: swapping(stack, SWAP_DISK),
        may=("cpu.one_core",),
    ),
    Scenario(
        "other-leak",
        "a program that grows by 20 MiB a second",
        lambda stack, _: python(stack, loads.LEAK),
        ("memory.leak",),
    ),
    Scenario(
        "other-disk-async",
        "sixteen requests at once, on a disk of 400 a second that was idle before",
        lambda stack, _: more.fio(stack, DISK, "--rw=randread", "--bs=4k", "--ioengine=libaio", "--iodepth=16"),
        ("disk.saturated",),
        before=lambda stack, _: throttled(stack, 400),
    ),
    Scenario(
        "other-disk-slow",
        "a disk that falls from 300 to 12 requests a second under three readers",
        slow_down,
        DISK_TROUBLE,
        before=quiet_reader,
    ),
    Scenario("other-disk-delayed", "a path to a disk that begins to add 120 ms", delay, DISK_TROUBLE, before=delayed),
    Scenario(
        "other-disk-commits",
        "a database of eight clients that commit, on a disk of 12 requests a second",
        more.commit,
        DISK_TROUBLE,
        before=commits,
    ),
    Scenario("other-held-back", "four readers of a group that may read 60 times a second", held_back, ("io.limited",)),
    Scenario("other-link-loss", "3 % of what is sent is lost", lose, ("net.loss",), before=lossy),
    Scenario(
        "other-link-full",
        "a sender without limit over a link shaped to 20 Mbit/s",
        loads.send,
        ("net.saturated",),
        before=shaped,
    ),
    Scenario("other-blocked", "six programs write to a frozen filesystem", freeze, ("tasks.blocked",)),
    # On a slow machine one compiler, and one sort without threads, is long enough at work to fill a core by itself.
    Scenario("other-ordinary-build", "one compiler at a time", more.build, (), may=("cpu.one_core",)),
    Scenario("other-ordinary-copy", "a tree of files copied again and again", more.copy_tree, ()),
    Scenario("other-ordinary-pack", "an archive packed and unpacked", more.pack_tree, (), may=("cpu.one_core",)),
    Scenario("other-ordinary-sort", "a sort of more than it may hold", more.sort_much, (), may=("cpu.one_core",)),
    Scenario("other-ordinary-files", "thousands of small files", more.small_files, ()),
    Scenario(
        "other-ordinary-database",
        "a database with one client at twenty transactions a second",
        lambda stack, folder: more.moderately(stack, folder, 20),
        (),
        before=more.moderate_database,
    ),
    Scenario("other-page-cache", "a file read again and again", read_again, ()),
    Scenario("other-disk-busy", "one sequential reader, a request at a time", lambda *_: None, (), before=one_reader),
    Scenario(
        "other-nice",
        "low-priority work on both cores",
        lambda stack, _: [
            started(stack, "nice", "-n", "19", sys.executable, "-c", loads.BUSY) for _program in range(2)
        ],
        (),
        rules_out=("cpu.busy_unwaited",),
    ),
    Scenario(
        "other-far-away",
        "a link on which everything takes 20 ms longer",
        lambda stack, _: started(stack, "iperf3", "-c", loads.THERE, "-t", "600", "-b", "2M"),
        (),
        before=far_away,
    ),
    Scenario("other-zram", "200 MiB parked in compressed memory, unused", lambda *_: None, (), before=occupy),
    Scenario("other-hot-plug", "a core is taken away and comes back", plug, (), may=("cpu.one_core",)),
)
