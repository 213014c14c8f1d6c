"""Debian's own kernel, and a root disk for it: made once in a folder, of Debian's packages."""

import re
import shutil
import subprocess
from pathlib import Path

from benchmarks.lab.packing import write_field_script

SUITE = "bookworm"
KERNEL = "linux-image-cloud-amd64"
HERE = ("debootstrap", "qemu-system-x86", "qemu-utils", "busybox-static", "e2fsprogs")
INSIDE = (
    "python3", "python3-venv", "fio", "stress-ng", "iperf3", "gcc", "libc6-dev", "postgresql", "iproute2", "nftables",
    "dmsetup", "kmod", "util-linux", "e2fsprogs", "mount",
)  # fmt: skip
DRIVERS = ("virtio_pci", "virtio_blk")
"""What the root disk is reached by."""
ROOT_SIZE = "4G"
PROJECT = Path(__file__).parents[3]
INIT = """#!/bin/busybox sh
/bin/busybox mount -t proc proc /proc
/bin/busybox mount -t devtmpfs dev /dev
for driver in {drivers}; do /bin/busybox insmod /drivers/$driver.ko; done
until [ -e /dev/vda ]; do /bin/busybox sleep 0.1; done
/bin/busybox mount -t ext4 /dev/vda /root
cd /lab 2>/dev/null
exec /bin/busybox switch_root /root /lab/init
"""
FIRST = """#!/bin/sh
export PYTHONPATH=/lab
exec /usr/bin/python3 -m benchmarks.lab.emulated.guest >/dev/console 2>&1
"""


def make_image(folder: Path, names: list[str]) -> None:
    """Kernel, first filesystem and root disk in the folder, with the lab as it is in this checkout."""
    folder.mkdir(parents=True, exist_ok=True)
    _install(*HERE)
    tree = folder / "tree"
    if not (folder / "made").exists():
        _debian(tree)
        _kernel(folder, tree)
        (folder / "made").touch()
    _lab(tree, names)
    root = folder / "root.img"
    root.unlink(missing_ok=True)
    _run("mke2fs", "-q", "-t", "ext4", "-d", str(tree), str(root), ROOT_SIZE)


def _install(*packages: str) -> None:
    missing = [
        name for name in packages if subprocess.run(["dpkg", "-s", name], capture_output=True, check=False).returncode
    ]
    if missing:
        _run("apt-get", "install", "-y", "-qq", "--no-install-recommends", *missing)


def _debian(tree: Path) -> None:
    shutil.rmtree(tree, ignore_errors=True)
    _run("debootstrap", "--variant=minbase", f"--include={','.join(INSIDE)}", SUITE, str(tree), _mirror())


def _mirror() -> str:
    """Where this machine has its packages from."""
    lists = [Path("/etc/apt/sources.list"), *Path("/etc/apt/sources.list.d").glob("*.sources")]
    text = "\n".join(path.read_text() for path in lists if path.exists())
    found = re.search(rf"^deb (?:\[.*?\] )?(\S+) {SUITE} ", text, re.MULTILINE) or re.search(
        r"^URIs: *(\S+)", text, re.MULTILINE
    )
    if found is None:
        raise SystemExit("no mirror of Debian's packages in /etc/apt: name one there")
    return found[1]


def _kernel(folder: Path, tree: Path) -> None:
    """Unpacked, not installed: this machine goes on with its own."""
    depends = subprocess.run(["apt-cache", "depends", KERNEL], check=True, capture_output=True, text=True).stdout
    named = re.search(r"Depends: (linux-image-\S+)", depends)
    if named is None:
        raise SystemExit(f"{KERNEL} names no kernel; is Debian {SUITE} in /etc/apt?")
    _run("apt-get", "download", named[1], cwd=folder)
    unpacked = folder / "kernel"
    _run("dpkg-deb", "-x", str(next(folder.glob("linux-image-*.deb"))), str(unpacked))
    shutil.copy(next((unpacked / "boot").glob("vmlinuz-*")), folder / "vmlinuz")
    modules = next((unpacked / "lib/modules").iterdir())
    shutil.copytree(modules, tree / "usr/lib/modules" / modules.name, symlinks=True, dirs_exist_ok=True)
    _run("chroot", str(tree), "depmod", modules.name)
    drivers = _drivers(tree / "usr/lib/modules" / modules.name)
    init = INIT.format(drivers=" ".join(path.stem for path in drivers))
    files = {"init": init.encode(), "bin/busybox": Path("/bin/busybox").read_bytes()}
    files |= {f"drivers/{path.name}": path.read_bytes() for path in drivers}
    (folder / "first.cpio").write_bytes(_cpio(files))


def _drivers(modules: Path) -> list[Path]:
    """The drivers and what they depend on, in the order in which they are loaded."""
    depends = dict(line.split(":", 1) for line in (modules / "modules.dep").read_text().splitlines())
    ordered: dict[str, None] = {}
    for driver in DRIVERS:
        path = next(path for path in depends if path.endswith(f"/{driver}.ko"))
        # Each line holds everything that is needed, the first needed last.
        ordered |= dict.fromkeys([*reversed(depends[path].split()), path])
    return [modules / path for path in ordered]


def _cpio(files: dict[str, bytes]) -> bytes:
    """An archive as the kernel unpacks it at boot (format `newc`), with the folders that it takes."""
    out = bytearray()

    def add(name: str, mode: int, content: bytes) -> None:
        head = name.encode() + b"\0"
        fields = (0, mode, 0, 0, 1, 0, len(content), 0, 0, 0, 0, len(head), 0)
        out.extend(b"070701" + b"".join(b"%08X" % field for field in fields) + head)
        for part in (b"", content):
            out.extend(part)
            out.extend(b"\0" * (-len(out) % 4))

    for folder in ("bin", "drivers", "dev", "proc", "root", "lab"):
        add(folder, 0o040755, b"")
    for name, content in files.items():
        add(name, 0o100755, content)
    add("TRAILER!!!", 0, b"")
    return bytes(out)


def _lab(tree: Path, names: list[str]) -> None:
    place = tree / "lab"
    shutil.rmtree(place, ignore_errors=True)
    shutil.rmtree(tree / "results", ignore_errors=True)
    for path in [PROJECT / "benchmarks/__init__.py", *(PROJECT / "benchmarks/lab").rglob("*.py")]:
        target = place / path.relative_to(PROJECT)
        target.parent.mkdir(parents=True, exist_ok=True)
        shutil.copy(path, target)
    write_field_script(place)
    (place / "names").write_text("\n".join(names))
    (place / "init").write_text(FIRST)
    (place / "init").chmod(0o755)


def _run(*words: str, cwd: Path | None = None) -> None:
    done = subprocess.run(words, check=False, capture_output=True, text=True, cwd=cwd)
    if done.returncode:
        raise SystemExit(f"{' '.join(words)}: {done.stderr.strip() or done.stdout.strip()}")
