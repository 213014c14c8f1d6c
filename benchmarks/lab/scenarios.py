"""The lab's scenarios: what is made, and what the right answer is."""

import os
import sys
from collections.abc import Callable
from contextlib import ExitStack
from dataclasses import dataclass
from pathlib import Path

from benchmarks.lab import loads
from benchmarks.lab import loads_more as more
from benchmarks.lab.tools import python, started


@dataclass(frozen=True)
class Scenario:
    """`load` runs while the stack is open; `kinds` are right answers, one of which has to be reported."""

    name: str
    cause: str
    load: Callable[[ExitStack, Path], object]
    kinds: tuple[str, ...]
    needs: tuple[str, ...] = ()
    before: Callable[[ExitStack, Path], object] | None = None
    """What is there all the time, the quiet parts too."""
    rules_out: tuple[str, ...] = ()
    is_whole: bool = False
    """Whether what is there all the time is the trouble itself."""
    may: tuple[str, ...] = ()
    """What may be reported as well, for it is true too."""


ONE_CORE = ("cpu.one_core",)

SCENARIOS = (
    Scenario(
        "cpu-all",
        "six workers on all cores",
        lambda stack, _: started(stack, "stress-ng", "--cpu", str(3 * (os.cpu_count() or 1)), "--timeout", "600"),
        ("cpu.saturated",),
        ("stress-ng",),
    ),
    Scenario(
        "cpu-one-core",
        "one program bound to one core",
        lambda stack, _: python(stack, loads.BUSY, cpu=max(os.sched_getaffinity(0))),
        ("cpu.one_core",),
    ),
    Scenario("cpu-quota", "two busy programs in a group that may use a third of a core", loads.quota, ("cpu.quota",)),
    Scenario(
        "cpu-nice",
        "low-priority work on all cores",
        lambda stack, _: [
            started(stack, "nice", "-n", "19", sys.executable, "-c", loads.BUSY) for _ in range(os.cpu_count() or 1)
        ],
        (),
        rules_out=("cpu.busy_unwaited",),
    ),
    Scenario(
        "disk-deep",
        "random reads and writes, 32 at a time, on a disk that does 600 a second",
        loads.saturate_disk,
        ("disk.saturated",),
        ("fio", "losetup"),
        loads.quiet_reader,
    ),
    Scenario(
        "disk-slow",
        "a disk that falls from 600 to 12 requests a second under three readers",
        loads.slow_down,
        ("disk.slow", "disk.saturated"),
        ("losetup",),
        loads.quiet_reader,
    ),
    Scenario("disk-busy", "one sequential reader, a request at a time", loads.busy_disk, (), ("fio",)),
    Scenario("page-cache", "a big file read again and again", loads.page_cache, ()),
    Scenario(
        "swap-thrash",
        "384 MiB touched at random in a group of 192 MiB, swap on the disk",
        loads.thrash,
        ("swap.thrashing",),
        ("mkswap",),
        loads.swap_file,
    ),
    Scenario("swap-occupied", "400 MiB parked in swap, unused", lambda *_: None, (), ("mkswap",), loads.occupy),
    Scenario(
        "leak", "a program that grows by 20 MiB a second", lambda stack, _: python(stack, loads.LEAK), ("memory.leak",)
    ),
    Scenario("oom-kill", "400 MiB in a group of 96 MiB, without swap", loads.kill, ("memory.oom_kill",)),
    Scenario(
        "link-full",
        "a sender without limit over a link shaped to 80 Mbit/s",
        loads.send,
        ("net.saturated",),
        ("iperf3", "ip", "tc"),
        loads.shaped,
    ),
    Scenario(
        "link-loss",
        "2.5 % of what is sent is dropped at the far end",
        loads.lose,
        ("net.loss",),
        ("iperf3", "ip", "nft"),
        loads.lossy,
    ),
    Scenario(
        "blocked",
        "six programs write to a frozen filesystem",
        loads.frozen,
        ("tasks.blocked",),
        ("fsfreeze", "mkfs.ext4", "losetup"),
    ),
    Scenario(
        "disk-commits",
        "a database of eight clients that commit, on a disk of 120 requests a second",
        more.commit,
        ("disk.saturated", "disk.slow"),
        ("losetup", "mkfs.ext4", "runuser"),
        more.database_on_slow_disk,
    ),
    Scenario(
        "disk-sync",
        "three programs that wait for each small write, on a disk of 120 requests a second",
        more.small_sync_writes,
        ("disk.saturated", "disk.slow"),
        ("fio", "losetup"),
        more.idle_disk,
    ),
    Scenario(
        "disk-async",
        "sixteen requests at once by the asynchronous interface, on a disk of 400 that was idle before",
        more.sixteen_at_once,
        ("disk.saturated",),
        ("fio", "losetup"),
        more.quicker_disk,
    ),
    Scenario(
        "disk-always",
        "two readers that never let go of a disk of 60 requests a second",
        lambda *_: None,
        ("disk.saturated", "disk.slow"),
        ("fio", "losetup"),
        more.always_two,
        is_whole=True,
    ),
    Scenario(
        "packets",
        "small datagrams, as fast as two programs can send them",
        more.flood,
        ("cpu.packets",),
        ("ip", "nft"),
        more.taken_in,
        may=("cpu.saturated",),
    ),
    # One compiler, one packer or one sort at a time fills a core for as long as the scheduler leaves it there: that is
    # so, and in a minute's recording a part of it, though it troubles no one.
    Scenario("ordinary-build", "one compiler at a time", more.build, (), ("gcc",), may=ONE_CORE),
    Scenario("ordinary-copy", "a tree of files copied again and again", more.copy_tree, ()),
    Scenario("ordinary-pack", "an archive packed and unpacked", more.pack_tree, (), may=ONE_CORE),
    Scenario("ordinary-sort", "a sort of more than it may hold", more.sort_much, (), may=ONE_CORE),
    Scenario("ordinary-files", "thousands of small files", more.small_files, ()),
    Scenario("ordinary-install", "a virtual environment made again and again", more.install, ()),
    Scenario(
        "ordinary-database",
        "a database with one client at a hundred transactions a second",
        more.moderately,
        (),
        ("runuser",),
        more.moderate_database,
    ),
)
