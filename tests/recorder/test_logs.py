"""Logs as they grow, are turned over and overwritten."""

import json
import os
import socket
import time

import pytest

from reditus.recorder import logs
from reditus.recorder.logs import KernelLog, LogFile, Logs

LINE = b"<%d>1 2026-11-12T09:00:%02dZ h app - - - line %d\n"


def lines(*numbers, priority=12):
    return b"".join(LINE % (priority, number, number) for number in numbers)


def texts(markers):
    return [marker.text for marker in markers]


def test_a_file_is_followed_from_now_on_and_over_its_turning(tmp_path):
    path = tmp_path / "log"
    path.write_bytes(lines(1))
    file = LogFile(path, {})
    assert file.read("debug") == []
    with path.open("ab") as out:
        out.write(lines(2) + lines(3)[:20])
    assert texts(file.read("debug")) == ["line 2"]
    with path.open("ab") as out:
        out.write(lines(3)[20:])
    again = LogFile(path, json.loads(json.dumps(file.left)))
    assert texts(again.read("debug")) == ["line 3"]
    path.rename(tmp_path / "log.1")
    path.write_bytes(lines(4, 5) + b"nonsense\n" + lines(6, priority=15))
    assert texts(again.read("warning")) == ["line 4", "line 5"]
    path.unlink()
    assert again.read("debug") == []


class Records:
    """A kernel log that hands out a record a reading, as the kernel does."""

    def __init__(self, monkeypatch):
        self.writer, self.reader = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
        self.reader.setblocking(False)
        real = os.open
        monkeypatch.setattr(
            os, "open", lambda path, *more: os.dup(self.reader.fileno()) if path == "kmsg" else real(path, *more)
        )

    def put(self, sequence, text, *, priority=4, age_s=0.0):
        since_us = int((time.monotonic() - age_s) * 1e6)
        self.writer.send(b"%d,%d,%d,-;%s\n" % (priority, sequence, since_us, text.encode()))


@pytest.fixture
def records(monkeypatch):
    made = Records(monkeypatch)
    yield made
    made.writer.close()
    made.reader.close()


def test_the_kernels_log_from_where_it_was_left(records):
    records.put(7, "long ago", age_s=4_000)
    records.put(8, "just before")
    kernel = KernelLog("boot", {}, "kmsg")
    (one,) = kernel.read("warning")
    assert (one.text, one.ident) == ("just before", "kernel/boot/8")
    assert abs(one.at_ns - time.time_ns()) < 5e9
    records.put(9, "quiet", priority=6)
    records.put(12, "after a loss")
    later = KernelLog("boot", json.loads(json.dumps(kernel.left)), "kmsg")
    found = later.read("warning")
    assert texts(found) == ["2 lines of the kernel's log were overwritten before they could be read", "after a loss"]
    assert later.read("warning") == []
    other = KernelLog("another boot", later.left, "kmsg")
    records.put(1, "a new boot")
    assert texts(other.read("warning")) == ["a new boot"]
    for item in (kernel, later, other):
        item.close()


def test_a_flood_is_taken_in_parts(records, monkeypatch):
    monkeypatch.setattr(logs, "MOST_A_LOOK", 3)
    kernel = KernelLog("boot", {}, "kmsg")
    for sequence in range(5):
        records.put(sequence, f"line {sequence}")
    assert len(kernel.read("debug")) == 3
    assert len(kernel.read("debug")) == 2
    kernel.close()


def test_a_closed_log_is_left_alone(tmp_path):
    both = Logs(tmp_path, "boot", [tmp_path / "absent"], kernel_log=str(tmp_path / "absent too"))
    assert both.read("debug") == []
    both.remember(both.left)
    assert json.loads((tmp_path / "log.json").read_text())["kernel"]["boot"] == "boot"
    both.close()


def _read_to_the_end(kernel):
    """A look reads some hundred lines only, and this kernel's log may hold thousands."""
    left = None
    while kernel.left != left:
        left = kernel.left
        kernel.read("debug")


@pytest.mark.kernel
def test_a_line_written_to_this_kernels_log_is_found():
    try:
        with open("/dev/kmsg", "wb", buffering=0) as log:
            kernel = KernelLog("boot", {})
            _read_to_the_end(kernel)
            log.write(b"<3>reditus test: a line of its own\n")
    except OSError:
        pytest.skip("the kernel's log may not be written here")
    found = [item for item in kernel.read("warning") if "a line of its own" in item.text]
    assert [(match.severity, match.source) for match in found] == [("error", "kernel")]
    kernel.close()
