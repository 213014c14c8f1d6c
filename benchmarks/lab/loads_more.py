"""Loads of real applications, and of devices whose normal was never seen."""

import os
import shutil
import subprocess
import sys
import time
from contextlib import ExitStack
from pathlib import Path

from benchmarks.lab.loads import NAMESPACE, THERE, cable
from benchmarks.lab.tools import GROUPS, MIB, file_of, python, run, slow_disk, started, upper

POSTGRES = Path("/usr/lib/postgresql")

FLOOD = """
import socket, sys
out = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
out.connect((sys.argv[1], 9))
while True:
    for _ in range(1000):
        try: out.send(b"x" * 18)
        except ConnectionRefusedError: pass
"""
SMALL_FILES = """
import os, sys
at = 0
while True:
    at += 1
    name = os.path.join(sys.argv[1], f"{at % 20000}")
    with open(name, "wb") as file: file.write(b"x" * 3000)
    if at % 3 == 0: os.unlink(name)
"""


def fio(stack: ExitStack, file: str, *words: str) -> None:
    """Direct requests to a device or file until the stack is left."""
    started(
        stack, "fio", "--name=lab", f"--filename={file}", "--direct=1", "--thread", "--time_based",
        "--runtime=3600", "--output=/dev/null", *words,
    )  # fmt: skip


def idle_disk(stack: ExitStack, folder: Path) -> None:
    """A disk of 120 requests a second that is not used before the load."""
    slow_disk(stack, folder, read_iops=120, write_iops=120)


def quicker_disk(stack: ExitStack, folder: Path) -> None:
    """A disk of 400 requests a second that is not used before the load."""
    slow_disk(stack, folder, read_iops=400, write_iops=400)


def small_sync_writes(stack: ExitStack, folder: Path) -> None:
    """Three programs, each of which waits for its write."""
    fio(stack, upper(folder), "--rw=randwrite", "--bs=4k", "--ioengine=psync", "--numjobs=3", "--sync=1")


def sixteen_at_once(stack: ExitStack, folder: Path) -> None:
    """Requests by the asynchronous interface, for which no task waits."""
    fio(stack, upper(folder), "--rw=randread", "--bs=4k", "--ioengine=libaio", "--iodepth=16")


def always_two(stack: ExitStack, folder: Path) -> None:
    """Two readers on a disk of 60 requests a second that never lets go, the quiet parts too."""
    slow_disk(stack, folder, read_iops=60, write_iops=60)
    fio(stack, upper(folder), "--rw=randread", "--bs=4k", "--ioengine=psync", "--numjobs=2")
    time.sleep(2)


def postgres(stack: ExitStack, data: Path, clients: int) -> None:
    """A PostgreSQL in `data`, and its own load generator with so many clients that commit."""
    bins = sorted(POSTGRES.glob("*/bin"))[-1]
    socket = data.parent / "socket"
    socket.mkdir(mode=0o777, exist_ok=True)
    socket.chmod(0o777)
    data.mkdir(exist_ok=True)
    shutil.chown(data, "postgres")

    def as_postgres(*words: str) -> None:
        subprocess.run(["runuser", "-u", "postgres", "--", *words], check=True, capture_output=True, timeout=300)

    as_postgres(str(bins / "initdb"), "-D", str(data), "-A", "trust", "--no-sync")
    options = f"-c listen_addresses= -c unix_socket_directories={socket} -c port=54999"
    as_postgres(str(bins / "pg_ctl"), "-D", str(data), "-w", "-l", str(data / "log"), "-o", options, "start")
    stack.callback(
        subprocess.run,
        ["runuser", "-u", "postgres", "--", str(bins / "pg_ctl"), "-D", str(data), "-m", "immediate", "stop"],
        check=False, capture_output=True,
    )  # fmt: skip
    link = ["-h", str(socket), "-p", "54999", "-U", "postgres"]
    as_postgres(str(bins / "pgbench"), *link, "-i", "-s", "2", "-q", "postgres")
    (data.parent / "pgbench").write_text(" ".join(["runuser", "-u", "postgres", "--", str(bins / "pgbench"), *link,
        "-c", str(clients), "-j", "1", "-T", "3600", "postgres"]))  # fmt: skip


def database_on_slow_disk(stack: ExitStack, folder: Path) -> None:
    """The disk is slow only once the database has been made."""
    device = slow_disk(stack, folder)
    mount = folder / "database"
    mount.mkdir(exist_ok=True)
    run("mkfs.ext4", "-q", device)
    run("mount", device, str(mount))
    stack.callback(subprocess.run, ["umount", str(mount)], check=False)
    for above in (folder, mount):
        above.chmod(0o755)
    (mount / "pg").mkdir()
    postgres(stack, mount / "pg", 8)
    shutil.move(mount / "pgbench", folder / "pgbench")
    run("sync")
    lower = (folder / "lower").read_text()
    number = os.stat(lower).st_rdev
    for name in ("read_iops", "write_iops"):
        (GROUPS / f"blkio/blkio.throttle.{name}_device").write_text(f"{os.major(number)}:{os.minor(number)} 120")


def commit(stack: ExitStack, folder: Path) -> None:
    """Eight clients, each of which waits for its commit."""
    started(stack, *(folder / "pgbench").read_text().split())


def moderate_database(stack: ExitStack, folder: Path) -> None:
    """A database on the machine's own disk."""
    folder.chmod(0o755)
    postgres(stack, folder / "pg", 1)


def moderately(stack: ExitStack, folder: Path, transactions_per_s: int = 100) -> None:
    """One client at so many transactions a second."""
    words = (folder / "pgbench").read_text().split()
    started(stack, *words[:-1], "-R", str(transactions_per_s), words[-1])


def flood(stack: ExitStack, __: Path) -> None:
    """Small datagrams as fast as they can be sent, to the other end of a cable."""
    for _ in range(2):
        python(stack, FLOOD, THERE)


def taken_in(stack: ExitStack, folder: Path) -> None:
    """A cable whose far end takes datagrams in and drops them without an answer."""
    cable(stack, folder)
    run("ip", "netns", "exec", NAMESPACE, "nft", "add table inet flood")
    run("ip", "netns", "exec", NAMESPACE, "nft", "add chain inet flood input { type filter hook input priority 0 ; }")
    run("ip", "netns", "exec", NAMESPACE, "nft", "add rule inet flood input udp dport 9 drop")


def build(stack: ExitStack, folder: Path) -> None:
    """One compiler at a time."""
    source = folder / "part.c"
    lines = "".join(
        f"double f{at}(double x) {{ for (int i = 0; i < {at}; i++) x = x * 1.1 + i; return x; }}\n" for at in range(900)
    )
    source.write_text(lines)
    started(stack, "sh", "-c", f"while :; do gcc -O2 -c {source} -o {folder}/part.o; done")


def copy_tree(stack: ExitStack, _: Path) -> None:
    """The interpreter's own library, copied again and again."""
    target = Path("/var/tmp/reditus-lab-copy")
    stack.callback(shutil.rmtree, target, ignore_errors=True)
    started(stack, "sh", "-c", f"while :; do rm -rf {target}; cp -a {Path(os.__file__).parent} {target}; sleep 1; done")


def pack_tree(stack: ExitStack, _: Path) -> None:
    """An archive packed and unpacked."""
    target = Path("/var/tmp/reditus-lab-pack")
    target.mkdir(exist_ok=True)
    stack.callback(shutil.rmtree, target, ignore_errors=True)
    library = Path(os.__file__).parent
    packed = target / "packed.tar.gz"
    started(
        stack, "sh", "-c",
        f"while :; do tar -C {library.parent} -czf {packed} {library.name}; tar -C {target} -xzf {packed}; done",
    )  # fmt: skip


def sort_much(stack: ExitStack, folder: Path) -> None:
    """More than `sort` may hold in memory."""
    file = file_of(stack, folder, "unsorted.bin", 96 * MIB)
    started(
        stack, "sh", "-c",
        f"while :; do base64 {file} | sort -S 16M --parallel=1 -T {folder} > /dev/null; done",
    )  # fmt: skip


def small_files(stack: ExitStack, _: Path) -> None:
    """Thousands of small files written and removed."""
    target = Path("/var/tmp/reditus-lab-small")
    target.mkdir(exist_ok=True)
    stack.callback(shutil.rmtree, target, ignore_errors=True)
    python(stack, SMALL_FILES, str(target))


def install(stack: ExitStack, folder: Path) -> None:
    """A virtual environment made again and again."""
    started(stack, "sh", "-c", f"while :; do {sys.executable} -m venv --clear {folder}/env; sleep 1; done")
