"""The loads that make a bottleneck: each takes down what it set up when its stack is left."""

import subprocess
import time
from contextlib import ExitStack
from pathlib import Path

from benchmarks.lab.tools import MIB, control_group, file_of, limited, python, run, slow_disk, started, upper

NAMESPACE, NEAR, FAR = "reditus-lab", "rlab0", "rlab1"
HERE, THERE = "10.203.78.1", "10.203.78.2"

READER = """
import mmap, os, random, sys, time
fd = os.open(sys.argv[1], os.O_RDONLY | os.O_DIRECT)
size = os.lseek(fd, 0, os.SEEK_END)
page = mmap.mmap(-1, 16384)
pause = float(sys.argv[2])
while True:
    os.preadv(fd, [page], random.randrange(size // 16384) * 16384)
    if pause: time.sleep(pause)
"""
BUSY = "while True: pass"
TOUCH = """
import mmap, random, sys
size = int(sys.argv[1])
held = mmap.mmap(-1, size)
for at in range(0, size, 4096): held[at] = 1
while True: held[random.randrange(size // 4096) * 4096] = 2
"""
HOLD = """
import mmap, sys, time
size = int(sys.argv[1])
held = mmap.mmap(-1, size)
for at in range(0, size, 4096): held[at] = 1
time.sleep(3600)
"""
LEAK = """
import mmap, sys, time
held = []
while True:
    part = mmap.mmap(-1, 4 << 20)
    for at in range(0, len(part), 4096): part[at] = 1
    held.append(part)
    time.sleep(0.2)
"""
WRITE = """
import os, sys, time
while True:
    with open(sys.argv[1] + str(time.time_ns()), "wb") as file: file.write(b"x" * 4096)
    time.sleep(0.05)
"""


def quiet_reader(stack: ExitStack, folder: Path) -> None:
    """A disk of its own, read a little all the time, so that its normal is known."""
    python(stack, READER, slow_disk(stack, folder, read_iops=600, write_iops=600), "0.04")


def saturate_disk(stack: ExitStack, folder: Path) -> None:
    started(
        stack,
        "fio",
        "--name=deep",
        f"--filename={upper(folder)}",
        "--rw=randrw",
        "--bs=4k",
        "--ioengine=libaio",
        "--iodepth=32",
        "--direct=1",
        "--thread",
        "--time_based",
        "--runtime=600",
        "--output=/dev/null",
    )


def slow_down(stack: ExitStack, folder: Path) -> None:
    lower = (folder / "lower").read_text()
    limited(lower, read_iops=12, write_iops=12)
    stack.callback(limited, lower, read_iops=600, write_iops=600)
    for _ in range(2):
        python(stack, READER, upper(folder), "0.04")


def busy_disk(stack: ExitStack, folder: Path) -> None:
    file = file_of(stack, folder, "sequence.bin", 512 * MIB)
    started(
        stack,
        "fio",
        "--name=stream",
        f"--filename={file}",
        "--rw=read",
        "--bs=256k",
        "--iodepth=1",
        "--direct=1",
        "--thread",
        "--ioengine=psync",
        "--time_based",
        "--runtime=600",
        "--output=/dev/null",
    )


def page_cache(stack: ExitStack, folder: Path) -> None:
    file = file_of(stack, folder, "big.bin", 3072 * MIB)
    run("sh", "-c", "echo 3 > /proc/sys/vm/drop_caches")
    started(stack, "sh", "-c", f"while :; do cat {file} > /dev/null; sleep 2; done")


def swap_file(stack: ExitStack, folder: Path) -> None:
    path = file_of(stack, folder, "swap.bin", 1024 * MIB)
    path.chmod(0o600)
    run("mkswap", str(path))
    run("swapon", str(path))
    stack.callback(subprocess.run, ["swapoff", str(path)], check=False)


def thrash(stack: ExitStack, _: Path) -> None:
    group = control_group(stack, "memory", memory__limit_in_bytes=192 * MIB)
    python(stack, TOUCH, str(384 * MIB), group=group)


def occupy(stack: ExitStack, folder: Path) -> None:
    swap_file(stack, folder)
    group = control_group(stack, "memory", memory__limit_in_bytes=128 * MIB)
    python(stack, HOLD, str(512 * MIB), group=group)
    time.sleep(12)


def kill(stack: ExitStack, _: Path) -> None:
    group = control_group(stack, "memory", memory__limit_in_bytes=96 * MIB)
    python(stack, HOLD, str(400 * MIB), group=group)


def quota(stack: ExitStack, __: Path) -> None:
    group = control_group(stack, "cpu", cpu__cfs_period_us=100_000, cpu__cfs_quota_us=35_000)
    for _ in range(2):
        python(stack, BUSY, group=group)


def cable(stack: ExitStack, _: Path) -> None:
    run("ip", "netns", "add", NAMESPACE)
    stack.callback(subprocess.run, ["ip", "netns", "delete", NAMESPACE], check=False, capture_output=True)
    # With its namespace a cable goes too, but only some time later.
    subprocess.run(["ip", "link", "delete", NEAR], check=False, capture_output=True)
    stack.callback(subprocess.run, ["ip", "link", "delete", NEAR], check=False, capture_output=True)
    run("ip", "link", "add", NEAR, "type", "veth", "peer", "name", FAR, "netns", NAMESPACE)
    run("ip", "address", "add", f"{HERE}/24", "dev", NEAR)
    run("ip", "link", "set", NEAR, "up")
    run("ip", "-n", NAMESPACE, "address", "add", f"{THERE}/24", "dev", FAR)
    run("ip", "-n", NAMESPACE, "link", "set", FAR, "up")
    started(stack, "ip", "netns", "exec", NAMESPACE, "iperf3", "-s")


def shaped(stack: ExitStack, folder: Path) -> None:
    cable(stack, folder)
    run("tc", "qdisc", "add", "dev", NEAR, "root", "tbf", "rate", "80mbit", "burst", "64kb", "latency", "50ms")


def lossy(stack: ExitStack, folder: Path) -> None:
    cable(stack, folder)
    started(stack, "iperf3", "-c", THERE, "-t", "600", "-b", "8M")


def send(stack: ExitStack, _: Path) -> None:
    started(stack, "iperf3", "-c", THERE, "-t", "600")


def lose(stack: ExitStack, _: Path) -> None:
    nft = ["ip", "netns", "exec", NAMESPACE, "nft"]
    run(*nft, "add table inet lab")
    stack.callback(subprocess.run, [*nft, "delete table inet lab"], check=False, capture_output=True)
    run(*nft, "add chain inet lab input { type filter hook input priority 0 ; }")
    run(*nft, "add rule inet lab input tcp dport 5201 numgen random mod 1000 < 25 drop")


def frozen(stack: ExitStack, folder: Path) -> None:
    device = slow_disk(stack, folder)
    mount = folder / "frozen"
    mount.mkdir(exist_ok=True)
    run("mkfs.ext4", "-q", device)
    run("mount", device, str(mount))
    stack.callback(subprocess.run, ["umount", str(mount)], check=False)
    run("fsfreeze", "-f", str(mount))
    for _ in range(6):
        python(stack, WRITE, str(mount / "part"))
    # Thawed before its writers are ended: who hangs cannot be ended.
    stack.callback(subprocess.run, ["fsfreeze", "-u", str(mount)], check=False)
