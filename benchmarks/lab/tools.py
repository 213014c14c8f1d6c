"""What the lab's loads stand on: processes, control groups, files and slow disks that are taken down again."""

import json
import os
import subprocess
import sys
import time
from contextlib import ExitStack, suppress
from pathlib import Path

GROUPS = Path("/sys/fs/cgroup")
MIB = 1 << 20


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


def upper(folder: Path) -> str:
    """The disk that stands on the limited one."""
    lower = (folder / "lower").read_text()
    listed = json.loads(subprocess.run(["losetup", "-J", "-l"], check=True, capture_output=True).stdout)["loopdevices"]
    return str(next(item["name"] for item in listed if item["back-file"] == lower))
