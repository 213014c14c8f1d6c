"""Root no longer than needed, and what is needed of it is kept."""

import os
import subprocess
import sys

import pytest

from reditus.recorder.privileges import CAP_SYS_PTRACE, RECORDER_KEEPS, drop_root

pytestmark = pytest.mark.skipif(os.geteuid() != 0, reason="only root can drop it")

DROPPED = """
import os, sys
from pathlib import Path
from reditus.recorder.privileges import RECORDER_KEEPS, drop_root
keep = RECORDER_KEEPS if sys.argv[2] == "keep" else ()
stayed = drop_root(keep=keep, needs=[Path(sys.argv[3])], owned=[Path(sys.argv[1])])
status = dict(line.split(":", 1) for line in Path("/proc/self/status").read_text().splitlines())
print(stayed, os.geteuid(), os.getgroups(), int(status["CapEff"].strip(), 16))
if stayed is None:
    (Path(sys.argv[1]) / "spooled").write_text("x")
    print(bool(open(f"/proc/{os.getppid()}/io").read()) if keep else "")
    try:
        open("/etc/shadow", "a")
    except PermissionError as why:
        print(type(why).__name__)
"""


def dropped(folder, keep="keep", needs="/etc/hostname"):
    command = [sys.executable, "-c", DROPPED, str(folder), keep, str(needs)]
    return subprocess.run(command, capture_output=True, text=True, check=True).stdout.splitlines()


def test_the_recorder_goes_on_as_none_with_what_it_needs(tmp_path):
    (tmp_path / "old.batch").write_bytes(b"of an earlier recorder")
    tmp_path.chmod(0o700)
    first, reads, refused = dropped(tmp_path)
    bits = sum(1 << number for number in RECORDER_KEEPS)
    assert first == f"None 65534 [] {bits}"
    assert reads == "True"  # the I/O of a process of root
    assert refused == "PermissionError"
    assert {path.stat().st_uid for path in tmp_path.iterdir()} == {65534}
    assert bits & (1 << CAP_SYS_PTRACE)


def test_without_anything_to_keep_no_capability_is_left(tmp_path_factory):
    folder = tmp_path_factory.mktemp("open")
    for above in (folder, *list(folder.parents)[:3]):
        above.chmod(0o755)
    assert dropped(folder, "none")[0] == "None 65534 [] 0"


def test_what_is_closed_to_others_is_said_and_root_is_kept(tmp_path):
    closed = tmp_path / "closed"
    closed.mkdir(mode=0o700)
    (said,) = dropped(tmp_path, "none", closed)
    assert said.startswith(f"{closed} is closed to others 0 ")


def test_who_is_not_root_stays_as_they_are(monkeypatch):
    monkeypatch.setattr(os, "geteuid", lambda: 1000)
    assert drop_root() is None


ENDS = """
import ctypes, sys
from pathlib import Path
from reditus.recorder.privileges import _death_signal, drop_root
ctypes.CDLL(None).prctl(1, 15, 0, 0, 0)
drop_root(needs=[Path(sys.argv[1])])
print(_death_signal())
"""


@pytest.mark.parametrize("needs", ["/etc/hostname", "/root"], ids=["dropped", "kept"])
def test_it_still_ends_with_its_parent(needs):
    """The kernel forgets that whenever a process changes its user."""
    done = subprocess.run([sys.executable, "-c", ENDS, needs], capture_output=True, text=True, check=True)
    assert done.stdout == "15\n"
