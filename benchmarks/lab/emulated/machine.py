"""The emulated machine: its disks, one of which is throttled as it asks, and what it says on its console."""

import json
import socket
import subprocess
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

MEMORY_MIB, CORES = 3_072, 2
DISK_SIZE, SWAP_SIZE = "1G", "1G"
DISK = "disk"


class _Monitor:
    """QMP, the emulator's documented protocol: JSON lines over a socket."""

    def __init__(self, path: Path) -> None:
        self._socket = socket.socket(socket.AF_UNIX)
        self._socket.connect(str(path))
        self._lines = self._socket.makefile("rw")
        self._lines.readline()  # its greeting
        self.run("qmp_capabilities")

    def run(self, command: str, **arguments: object) -> None:
        self._lines.write(json.dumps({"execute": command, "arguments": arguments}) + "\n")
        self._lines.flush()
        answer: dict[str, object] = {}
        while "return" not in answer:
            answer = json.loads(self._lines.readline())
            if "error" in answer:
                raise OSError(f"{command}: {answer['error']}")

    def throttle(self, requests_per_s: int) -> None:
        """0 is no limit."""
        limits = dict.fromkeys(("bps", "bps_rd", "bps_wr", "iops_rd", "iops_wr"), 0)
        self.run("block_set_io_throttle", device=DISK, iops=requests_per_s, **limits)


def run_machine(folder: Path, say: Callable[[str], None]) -> None:
    """Run until it ends by itself; `say` gets what it says."""
    with _started(folder) as (process, monitor):
        assert process.stdout is not None
        with (folder / "console.log").open("w") as log:
            for line in process.stdout:
                log.write(line)
                log.flush()
                word, _, rest = line.strip().partition(" ")
                if word == "@throttle":
                    monitor().throttle(int(rest))
                elif word == "@say":
                    say(rest)


@contextmanager
def _started(folder: Path) -> Iterator[tuple[subprocess.Popen[str], Callable[[], _Monitor]]]:
    for name, size in (("disk", DISK_SIZE), ("swap", SWAP_SIZE)):
        subprocess.run(["qemu-img", "create", "-q", "-f", "raw", folder / f"{name}.img", size], check=True)
    path = folder / "monitor"
    path.unlink(missing_ok=True)
    process = subprocess.Popen(
        [
            "qemu-system-x86_64", "-accel", "tcg,thread=multi", "-cpu", "max",
            "-smp", str(CORES), "-m", str(MEMORY_MIB),
            "-object", f"memory-backend-ram,id=m0,size={MEMORY_MIB // 2}M",
            "-object", f"memory-backend-ram,id=m1,size={MEMORY_MIB // 2}M",
            "-numa", "node,cpus=0,memdev=m0", "-numa", "node,cpus=1,memdev=m1",
            "-kernel", str(folder / "vmlinuz"), "-initrd", str(folder / "first.cpio"),
            "-append", "console=ttyS0 quiet panic=-1 psi=1",
            "-drive", f"file={folder}/root.img,format=raw,if=virtio,cache=unsafe",
            "-drive", f"file={folder}/disk.img,format=raw,if=virtio,cache=unsafe,id={DISK}",
            "-drive", f"file={folder}/swap.img,format=raw,if=virtio,cache=unsafe",
            "-qmp", f"unix:{path},server=on,wait=off", "-nic", "none", "-display", "none", "-serial", "stdio",
            "-no-reboot",
        ],
        stdin=subprocess.DEVNULL, stdout=subprocess.PIPE, text=True, errors="replace",
    )  # fmt: skip
    monitors: list[_Monitor] = []

    def monitor() -> _Monitor:
        if not monitors:
            monitors.append(_Monitor(path))
        return monitors[0]

    try:
        yield process, monitor
    finally:
        process.terminate()
        process.wait()
