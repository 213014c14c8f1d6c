"""Space of filesystems, and mounts that never answer."""

import os
import threading
import time

import pytest

from reditus.core.types import NS_PER_S
from reditus.recorder import filesystems
from reditus.recorder.filesystems import Filesystems, Space, space_columns

ANSWER_S = 10


@pytest.fixture
def proc(tmp_path):
    (tmp_path / "proc/self").mkdir(parents=True)
    (tmp_path / "proc/filesystems").write_text("nodev\tproc\nnodev\ttmpfs\n\text4\n")
    (tmp_path / "proc/self/mounts").write_text(
        "/dev/vda / ext4 rw 0 0\nproc /proc proc rw 0 0\nserver:/x /far\\040away nfs4 rw 0 0\n/dev/vda / ext4 rw 0 0\n"
    )
    return tmp_path


def answered(probe, count, begin_s=0):
    """Ask until as many mounts have answered."""
    deadline_s = time.monotonic() + ANSWER_S
    at_ns = begin_s * NS_PER_S
    while True:
        columns, values = probe.read(at_ns)
        if len(columns) == count * len(space_columns("/")):
            return columns, values
        assert time.monotonic() < deadline_s
        time.sleep(0.01)


def test_space_is_reported_by_mount_point(proc, monkeypatch):
    spaces = {"/": Space(10, 20, 5, 3, 4), "/far away": Space(1, 2, 0, 0, 0, read_only=1)}
    monkeypatch.setattr(filesystems, "space_of", spaces.__getitem__)
    probe = Filesystems(str(proc))
    columns, values = answered(probe, 2)
    firsts = columns[:: len(space_columns("/"))]
    assert [column.attribute("system.filesystem.mountpoint") for column in firsts] == ["/", "/far away"]
    assert values.tolist() == [10, 20, 5, 3, 4, 0, 1, 2, 0, 0, 0, 1]
    # The columns are the same object until a mount comes or goes.
    assert probe.read(0)[0] is columns
    probe.close()


def test_a_mount_that_hangs_holds_up_nothing_and_is_left_out(proc, monkeypatch):
    """The thread of the far mount waits for ever, as it does when a file server is gone."""
    back = threading.Event()

    def requested(mount):
        if mount != "/":
            back.wait()
        return Space(1, 2, 3, 4, 5)

    monkeypatch.setattr(filesystems, "space_of", requested)
    probe = Filesystems(str(proc))
    probe.read(0)
    began_s = time.monotonic()
    for tick in range(1, 50):
        probe.read(tick * 5 * NS_PER_S)
    assert time.monotonic() - began_s < ANSWER_S, "reading waited for the mount that hangs"
    columns, _ = answered(probe, 1, begin_s=300)
    assert columns[0].attribute("system.filesystem.mountpoint") == "/"
    assert sum(thread.name == "space of /far away" for thread in threading.enumerate()) == 1
    back.set()
    answered(probe, 2, begin_s=600)
    probe.close()


@pytest.mark.kernel
def test_this_machines_root_is_reported_as_the_kernel_reports_it():
    probe = Filesystems()
    deadline_s = time.monotonic() + ANSWER_S
    while True:
        columns, values = probe.read(0)
        answer = dict(zip(columns, values.tolist(), strict=True))
        used = answer.get(space_columns("/")[0])
        if used is not None:
            break
        assert time.monotonic() < deadline_s
        time.sleep(0.01)
    probe.close()
    now = os.statvfs("/")
    assert used == pytest.approx((now.f_blocks - now.f_bfree) * now.f_frsize, rel=0.02)
