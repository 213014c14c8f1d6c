"""Logs as they grow, are turned over and overwritten."""

import json
import os
import socket
import time

import pytest

from reditus.core.rfc3339 import spell_time
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
    file = LogFile(path, {}, "log")
    assert file.read("debug") == []
    with path.open("ab") as out:
        out.write(lines(2) + lines(3)[:20])
    assert texts(file.read("debug")) == ["line 2"]
    with path.open("ab") as out:
        out.write(lines(3)[20:])
    again = LogFile(path, json.loads(json.dumps(file.left)), "log")
    assert texts(again.read("debug")) == ["line 3"]
    path.rename(tmp_path / "log.1")
    path.write_bytes(lines(4, 5) + b"nonsense\n" + lines(6, priority=15))
    assert texts(again.read("warning")) == ["line 4", "line 5"]
    path.unlink()
    assert again.read("debug") == []


def append(path, text):
    with path.open("a") as out:
        out.write(text)


def test_any_text_with_times_is_followed(tmp_path, monkeypatch):
    monkeypatch.setenv("TZ", "Europe/Berlin")
    time.tzset()
    path = tmp_path / "press.log"
    path.write_text("")
    file = LogFile(path, {}, "press.log")
    assert file.read("debug") == []
    append(path, "2026-11-12 10:00:00 ERROR press 9 jammed\n  at lever 3\n2026-11-12 10:00:01 ")
    (one,) = file.read("debug")
    assert (one.text, one.severity, one.log) == ("ERROR press 9 jammed ⏎ at lever 3", "error", "press.log")
    assert spell_time(one.at_ns) == "2026-11-12T09:00:00Z"
    # A line without a time goes on with the one before it, also where that was read earlier: it is sent again, longer.
    append(path, "INFO ok\n")
    assert texts(file.read("debug")) == ["INFO ok"]
    append(path, "  and well\n2026-11-12 10:00:02 INFO next\n")
    longer, after = file.read("debug")
    assert (longer.text, after.text) == ("INFO ok ⏎ and well", "INFO next")
    assert texts(file.read("debug")) == []
    monkeypatch.undo()
    time.tzset()


def test_a_year_that_is_left_out_is_the_last_one_where_the_line_would_lie_ahead(tmp_path):
    path = tmp_path / "old.log"
    path.write_text("")
    file = LogFile(path, {}, "old.log")
    file.read("debug")
    in_two_days = time.localtime(time.time() + 2 * 86_400)
    append(path, time.strftime("%b %d %H:%M:%S", in_two_days) + " host door[7]: shut\n")
    (one,) = file.read("debug")
    assert -366 * 86_400 <= one.at_ns / 1e9 - time.time() < 0


def test_logs_that_are_called_the_same_go_by_their_folders_too(tmp_path):
    paths = [tmp_path / "a" / "access.log", tmp_path / "b" / "access.log", tmp_path / "kiln.log"]
    for path in paths:
        path.parent.mkdir(exist_ok=True)
        path.write_text("")
    both = Logs(tmp_path, "boot", paths, kernel_log=str(tmp_path / "absent"))
    assert both.read(None) == []
    for path in paths:
        append(path, "2026-11-12T09:00:00Z door: open\n")
    assert [marker.log for marker in both.read(None, "debug")] == ["a/access.log", "b/access.log", "kiln.log"]
    both.close()


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
    early, one = kernel.read("warning")
    # At the first start the whole boot is fetched, as far as the kernel still has it.
    assert (early.text, early.log) == ("long ago", "kernel")
    assert abs(one.at_ns - early.at_ns - 4_000e9) < 1e9
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
