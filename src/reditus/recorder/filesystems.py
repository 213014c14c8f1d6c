"""Space and inodes by mount point, read by threads of their own.

A network mount whose server is gone makes statvfs wait for ever. So each mount point has a thread; a tick takes the
answers that are there, and a mount that does not answer is left out until it does.
"""

import os
import re
import threading
from collections.abc import Callable, Iterator
from dataclasses import astuple, dataclass
from pathlib import Path

import numpy as np
import structlog

from reditus.core.counters import FILESYSTEM_STATE, MOUNT
from reditus.core.kernel_columns import kernel_column
from reditus.core.schema import MAX_TEXT, Column
from reditus.core.types import NS_PER_S, IntArray
from reditus.recorder.sources.source import SLOW_S

log = structlog.get_logger()

MOST_MOUNTS = 64
LOOK_AGAIN_NS = 30 * NS_PER_S
# Filesystems without a block device that hold files all the same.
HOLDING = {"tmpfs", "overlay", "nfs", "nfs4", "cifs", "smb3", "zfs", "9p", "ceph", "virtiofs"}
_OCTAL = re.compile(r"\\([0-7]{3})")


@dataclass(frozen=True, slots=True)
class Space:
    """In bytes and inodes."""

    used: int
    free: int
    reserved: int
    inodes_used: int
    inodes_free: int
    read_only: int = 0
    """1 where nothing can be written."""


def space_of(path: str) -> Space:
    """Space and inodes of a mount. Raise OSError."""
    reported = os.statvfs(path)
    unit = reported.f_frsize or reported.f_bsize
    return Space(
        used=(reported.f_blocks - reported.f_bfree) * unit,
        free=reported.f_bavail * unit,
        reserved=max(reported.f_bfree - reported.f_bavail, 0) * unit,
        inodes_used=reported.f_files - reported.f_ffree,
        inodes_free=reported.f_ffree,
        read_only=int(bool(reported.f_flag & os.ST_RDONLY)),
    )


class _Asker:
    """One mount point's thread. It asks once per `ask`; while it waits for an answer, further asking does nothing."""

    def __init__(self, mount: str) -> None:
        self.mount = mount
        self.answer: Space | None = None
        self._requested_orders = threading.Event()
        self._ended = False
        self.waiting_since_ns: int | None = None
        self.reported = False
        threading.Thread(target=self._run, name=f"space of {mount}", daemon=True).start()

    def ask(self, now_ns: int) -> None:
        if self.waiting_since_ns is None:
            self.waiting_since_ns = now_ns
            self._requested_orders.set()

    def end(self) -> None:
        """The thread ends when it next has nothing to wait for; one that hangs does not hold up the process."""
        self._ended = True
        self._requested_orders.set()

    def _run(self) -> None:
        while True:
            self._requested_orders.wait()
            self._requested_orders.clear()
            if self._ended:
                return
            try:
                self.answer = space_of(self.mount)
            except OSError:
                self.answer = None
            self.waiting_since_ns = None


class Filesystems:
    """A probe (sampler.Probe). `root` holds the proc with the mounts; the mount points themselves are this
    machine's.
    """

    group = "filesystem"
    pace_s = SLOW_S

    def __init__(self, root: str = "/") -> None:
        self._takes: Callable[[Column], bool] | None = None
        self._root = Path(root)
        self._askers: dict[str, _Asker] = {}
        self._look_at_ns: int | None = None
        self._columns: tuple[Column, ...] = ()
        self._shown: tuple[str, ...] = ()

    def choose(self, takes: Callable[[Column], bool] | None) -> None:
        """Ask only the mount points whose column is wanted; None: all."""
        self._takes = takes
        self._look_at_ns = None

    def read(self, now_ns: int) -> tuple[tuple[Column, ...], IntArray]:
        """What the mounts answered to the asking before this one; nothing the first time."""
        if self._look_at_ns is None or now_ns >= self._look_at_ns:
            self._look()
            self._look_at_ns = now_ns + LOOK_AGAIN_NS
        answered = [(item, item.answer) for item in self._askers.values() if self._answers(item, now_ns)]
        for asker in self._askers.values():
            asker.ask(now_ns)
        known = [(item.mount, space) for item, space in answered if space is not None]
        shown = tuple(mount for mount, _ in known)
        if shown != self._shown:
            self._shown, self._columns = shown, tuple(column for mount in shown for column in space_columns(mount))
        values = [value for _, item in known for value in astuple(item)]
        return self._columns, np.array(values, dtype=np.int64)

    def close(self) -> None:
        """End the threads that ask mounts for their space."""
        for asker in self._askers.values():
            asker.end()
        self._askers.clear()

    def _answers(self, asker: _Asker, now_ns: int) -> bool:
        since_ns = asker.waiting_since_ns
        hung = since_ns is not None and now_ns - since_ns >= self.pace_s * NS_PER_S // 2
        if hung and not asker.reported:
            log.warning("a filesystem does not answer, left out", mount=asker.mount)
        elif asker.reported and not hung:
            log.info("the filesystem answers again", mount=asker.mount)
        asker.reported = hung
        return not hung

    def _look(self) -> None:
        wanted = list(dict.fromkeys(self._mounts()))[:MOST_MOUNTS]
        for gone in set(self._askers) - set(wanted):
            self._askers.pop(gone).end()
        self._askers = {mount: self._askers.get(mount) or _Asker(mount) for mount in wanted}

    def _mounts(self) -> Iterator[str]:
        for found in mounted(self._root):
            if self._takes is None or self._takes(space_columns(found.mount)[0]):
                yield found.mount


@dataclass(frozen=True, slots=True)
class Mounted:
    """A mount that holds files, as proc(5) lists it."""

    mount: str
    device: str
    kind: str
    options: str


def mounted(root: Path) -> Iterator[Mounted]:
    """The mounts that hold files, in the order in which they were made; what cannot be named is left out."""
    try:
        mounts = (root / "proc/self/mounts").read_text(errors="replace").splitlines()
        kinds = (root / "proc/filesystems").read_text(errors="replace").splitlines()
    except OSError:
        return
    on_devices = {line.strip() for line in kinds if not line.startswith("nodev")}
    for line in mounts:
        words = [_OCTAL.sub(lambda found: chr(int(found[1], 8)), word) for word in line.split(" ")]
        if len(words) < 4:
            continue
        device, mount, kind, options = words[:4]
        holds = kind in on_devices or kind in HOLDING or kind.startswith("fuse.")
        # What cannot be named is left out; what it stands on and how may be as long as it likes (layers of an overlay).
        if holds and mount.isprintable() and 0 < len(mount) <= MAX_TEXT:
            yield Mounted(mount, device, kind, options)


def space_columns(mount: str) -> list[Column]:
    """The columns of one mount point, in the order of Space."""
    return [
        *(
            kernel_column("system.filesystem.usage", {MOUNT: mount, FILESYSTEM_STATE: state})
            for state in ("used", "free", "reserved")
        ),
        *(
            kernel_column("system.filesystem.linux.inodes", {MOUNT: mount, FILESYSTEM_STATE: state})
            for state in ("used", "free")
        ),
        kernel_column("system.filesystem.linux.read_only", {MOUNT: mount}),
    ]
