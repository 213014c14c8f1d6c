"""Real bottlenecks on this machine's kernel: made with general load makers, captured by the field script, and judged.

Run: .venv/bin/python -m benchmarks.lab FOLDER [NAME ...]           make, record and judge (as root; about a minute
each)
     .venv/bin/python -m benchmarks.lab FOLDER --judge              judge what is there already

Each capture stands beside a label: what was done, from when to when, on which device, what the right answer is. Needs
Debian's fio, stress-ng, iperf3, nftables and iproute2; what is missing leaves its scenarios out, and is said.
Everything
that is set up is taken down again, whatever happens.
"""

import argparse
import json
import os
import shutil
import signal
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from contextlib import ExitStack, contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path

import zstandard

from benchmarks.table import show
from reditus.core.diagnosis import diagnose
from reditus.core.types import NS_PER_S
from reditus.exchange import field_script, read_capture

QUIET_S, LOUD_S = 14, 42
GROUPS = Path("/sys/fs/cgroup")
NAMESPACE, NEAR, FAR = "reditus-lab", "rlab0", "rlab1"
HERE, THERE = "10.203.78.1", "10.203.78.2"
MIB = 1 << 20


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


def run(*words: str, **more: object) -> None:
    subprocess.run(words, check=True, capture_output=True, timeout=60, **more)  # type: ignore[call-overload]


def started(
    stack: ExitStack, *words: str, group: Path | None = None, cpu: int | None = None
) -> subprocess.Popen[bytes]:
    """A process that ends with the stack, in a control group if one is given."""

    def prepare() -> None:
        os.setsid()
        if group is not None:
            (group / "cgroup.procs").write_text(str(os.getpid()))
        if cpu is not None:
            os.sched_setaffinity(0, {cpu})

    process = subprocess.Popen(words, preexec_fn=prepare, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)  # noqa: PLW1509

    def end() -> None:
        with suppress(ProcessLookupError):
            os.killpg(process.pid, 9)
        process.wait()

    stack.callback(end)
    return process


def python(stack: ExitStack, program: str, *words: str, **more: object) -> subprocess.Popen[bytes]:
    return started(stack, sys.executable, "-c", program, *words, **more)  # type: ignore[arg-type]


def control_group(stack: ExitStack, controller: str, **limits: str | int) -> Path:
    group = GROUPS / controller / f"reditus-lab-{os.getpid()}"
    group.mkdir(exist_ok=True)

    def remove() -> None:
        for _ in range(100):
            try:
                group.rmdir()
                return
            except OSError:
                time.sleep(0.1)

    stack.callback(remove)
    for name, value in limits.items():
        (group / name.replace("__", ".")).write_text(str(value))
    return group


def file_of(stack: ExitStack, folder: Path, name: str, size_bytes: int) -> Path:
    path = folder / name
    with path.open("wb") as file:
        for _ in range(size_bytes // MIB):
            file.write(os.urandom(1 << 12) * 256)
        os.fsync(file.fileno())
    stack.callback(path.unlink, missing_ok=True)
    return path


def slow_disk(stack: ExitStack, folder: Path, **limits: int) -> str:
    """A loop device on a loop device; limits are set on the lower one (`limited` changes them)."""
    image = file_of(stack, folder, "disk.img", 256 * MIB)
    devices: list[str] = []
    for backing in (str(image), ""):
        made = subprocess.run(
            ["losetup", "-f", "--show", "--direct-io=on", backing or devices[0]],
            check=True,
            capture_output=True,
            text=True,
        ).stdout.strip()
        devices.append(made)
        stack.callback(subprocess.run, ["losetup", "-d", made], check=False)
    stack.callback(limited, devices[0])
    limited(devices[0], **limits)
    (folder / "lower").write_text(devices[0])
    return devices[1]


def limited(device: str, **limits: int) -> None:
    """Limits on a block device, in the root's group; none means no limits."""
    number = os.stat(device).st_rdev
    for name in ("read_iops", "write_iops", "read_bps", "write_bps"):
        path = GROUPS / "blkio" / f"blkio.throttle.{name}_device"
        path.write_text(f"{os.major(number)}:{os.minor(number)} {limits.get(name, 0)}")


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


def upper(folder: Path) -> str:
    """The disk that stands on the limited one."""
    lower = (folder / "lower").read_text()
    listed = json.loads(subprocess.run(["losetup", "-J", "-l"], check=True, capture_output=True).stdout)["loopdevices"]
    return str(next(item["name"] for item in listed if item["back-file"] == lower))


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


def quota(stack: ExitStack, _: Path) -> None:
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
        lambda stack, _: python(stack, BUSY, cpu=max(os.sched_getaffinity(0))),
        ("cpu.one_core",),
    ),
    Scenario("cpu-quota", "two busy programs in a group that may use a third of a core", quota, ("cpu.quota",)),
    Scenario(
        "cpu-nice",
        "low-priority work on all cores",
        lambda stack, _: [
            started(stack, "nice", "-n", "19", sys.executable, "-c", BUSY) for _ in range(os.cpu_count() or 1)
        ],
        (),
        rules_out=("cpu.busy_unwaited",),
    ),
    Scenario(
        "disk-deep",
        "random reads and writes, 32 at a time, on a disk that does 600 a second",
        saturate_disk,
        ("disk.saturated",),
        ("fio", "losetup"),
        quiet_reader,
    ),
    Scenario(
        "disk-slow",
        "a disk that falls from 600 to 12 requests a second under three readers",
        slow_down,
        ("disk.slow", "disk.saturated"),
        ("losetup",),
        quiet_reader,
    ),
    Scenario("disk-busy", "one sequential reader, a request at a time", busy_disk, (), ("fio",)),
    Scenario("page-cache", "a big file read again and again", page_cache, ()),
    Scenario(
        "swap-thrash",
        "384 MiB touched at random in a group of 192 MiB, swap on the disk",
        thrash,
        ("swap.thrashing",),
        ("mkswap",),
        swap_file,
    ),
    Scenario("swap-occupied", "400 MiB parked in swap, unused", lambda *_: None, (), ("mkswap",), occupy),
    Scenario("leak", "a program that grows by 20 MiB a second", lambda stack, _: python(stack, LEAK), ("memory.leak",)),
    Scenario("oom-kill", "400 MiB in a group of 96 MiB, without swap", kill, ("memory.oom_kill",)),
    Scenario(
        "link-full",
        "a sender without limit over a link shaped to 80 Mbit/s",
        send,
        ("net.saturated",),
        ("iperf3", "ip", "tc"),
        shaped,
    ),
    Scenario(
        "link-loss",
        "2.5 % of what is sent is dropped at the far end",
        lose,
        ("net.loss",),
        ("iperf3", "ip", "nft"),
        lossy,
    ),
    Scenario(
        "blocked",
        "six programs write to a frozen filesystem",
        frozen,
        ("tasks.blocked",),
        ("fsfreeze", "mkfs.ext4", "losetup"),
    ),
)


@contextmanager
def capturing(path: Path, ticks: int) -> Iterator[subprocess.Popen[bytes]]:
    """The field script at work, packed as it comes."""
    script = path.with_suffix(".sh")
    script.write_text(field_script())
    raw = path.with_suffix(".raw")
    with raw.open("wb") as out:
        process = subprocess.Popen(["sh", str(script), "1", str(ticks)], stdout=out, stderr=subprocess.DEVNULL)
        try:
            yield process
        finally:
            process.terminate()
            process.wait()
    path.write_bytes(zstandard.ZstdCompressor(9).compress(raw.read_bytes()))
    raw.unlink()
    script.unlink()


def made(scenario: Scenario, folder: Path, quiet_s: float = QUIET_S, loud_s: float = LOUD_S) -> None:
    """Record a quiet while, the load, and a quiet while again; with its label beside it."""
    with ExitStack() as around:
        work = folder / f".{scenario.name}"
        work.mkdir(exist_ok=True)
        around.callback(shutil.rmtree, work, ignore_errors=True)
        if scenario.before:
            scenario.before(around, work)
        begun_s = time.time()
        with capturing(folder / f"{scenario.name}.txt.zst", 3_600):
            time.sleep(quiet_s)
            with ExitStack() as stack:
                scenario.load(stack, work)
                start_s = time.time()
                time.sleep(loud_s)
                end_s = time.time()
            time.sleep(quiet_s)
        label = {
            "scenario": scenario.name,
            "true_cause": scenario.cause,
            "is_problem": bool(scenario.kinds),
            "kinds": scenario.kinds,
            "rules_out": scenario.rules_out,
            "start": round(start_s, 3),
            "end": round(end_s, 3),
            "capture_start": round(begun_s, 3),
            "capture_end": round(time.time(), 3),
            "interval": 1.0,
        }
        (folder / f"{scenario.name}.json").write_text(json.dumps(label, indent=1) + "\n")


def judged(label: dict[str, object], capture: Path) -> tuple[str, str]:
    """Whether the diagnosis is true, and what it reported."""
    recording = read_capture(capture).recording
    answer = diagnose(recording.frame(), recording.window())
    causes = [finding for finding in answer.findings if not finding.caused_by]
    names = [f"{finding.kind}{f' {finding.device}' if finding.device else ''}" for finding in answer.findings]
    ruled = sorted({item.kind for item in answer.ruled_out})
    kinds = tuple(label.get("kinds") or ())  # type: ignore[arg-type]
    if not label["is_problem"]:
        right = not answer.findings and set(label.get("rules_out") or ()) <= set(ruled)  # type: ignore[call-overload]
    else:
        hit = [finding for finding in answer.findings if finding.kind in kinds] if kinds else list(answer.findings)
        right = bool(hit) and len(causes) == 1
        if hit:
            apart_s = abs(hit[0].onset.at_ns / NS_PER_S - float(label["start"]))  # type: ignore[arg-type]
            names.append(f"onset {apart_s:.1f} s from the truth")
    return ("right" if right else "WRONG"), ", ".join(names) or f"nothing; ruled out {', '.join(ruled) or 'nothing'}"


def main() -> None:
    # Ended from outside, everything is taken down as well.
    signal.signal(signal.SIGTERM, lambda *_: sys.exit(1))
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("folder", type=Path)
    parser.add_argument("names", nargs="*", default=[])
    parser.add_argument("--judge", action="store_true", help="judge what is there already")
    requested = parser.parse_intermixed_args()
    folder: Path = requested.folder.resolve()
    if not requested.judge:
        folder.mkdir(parents=True, exist_ok=True)
        for scenario in SCENARIOS:
            missing = [tool for tool in scenario.needs if shutil.which(tool) is None]
            if requested.names and scenario.name not in requested.names:
                continue
            if missing or os.geteuid():
                print(f"{scenario.name}: left out, {'needs root' if os.geteuid() else 'no ' + ', '.join(missing)}")
                continue
            made(scenario, folder)
            print(f"{scenario.name}: recorded", flush=True)
    rows = []
    for path in sorted(folder.glob("*.json")):
        capture = path.with_name(path.stem + ".txt.zst")
        if capture.exists() and (not requested.names or path.stem in requested.names):
            right, answer = judged(json.loads(path.read_text()), capture)
            rows.append((path.stem, f"{right}: {answer}"))
    show("Real bottlenecks, judged", rows)


if __name__ == "__main__":
    main()
