"""Logs of different makes, made up here in the shapes that open standards and common servers write."""

import contextlib

import pytest
from hypothesis import given
from hypothesis import strategies as st

from reditus.core.log_text import LogFormat, UnknownLog, read_log, recognise
from reditus.core.rfc3339 import parse_instant, spell_time

AT = "2026-11-12T09:00:00Z"
LATER = "2026-11-12T09:00:01.5Z"


def as_utc(local):
    return parse_instant(f"{local}Z")


def read(text, **more):
    raw = text if isinstance(text, bytes) else text.encode()
    return read_log(raw, recognise(raw), to_utc=as_utc, year=more.pop("year", 2026), **more)


# Of each make: two lines at AT and LATER, what is recognised, whether the guess is sure; source, text and severity of
# the first.
MAKES = {
    "RFC 3339": (
        "2026-11-12T09:00:00Z door[7]: opened\n2026-11-12T09:00:01.5Z door[7]: shut",
        LogFormat.ISO,
        True,
        "door[7]",
        "opened",
        "informational",
    ),
    "with an offset": (
        "2026-11-12T10:00:00+01:00 kiln: warm\n2026-11-12T10:00:01.500+0100 kiln: hot",
        LogFormat.ISO,
        True,
        "kiln",
        "warm",
        "informational",
    ),
    "a blank, a comma and a level": (
        "2026-11-12 09:00:00,000 WARN  presses - slow\n2026-11-12 09:00:01,500 INFO presses - ok",
        LogFormat.ISO,
        False,
        "",
        "WARN  presses - slow",
        "warning",
    ),
    "brackets around time and level": (
        "[2026-11-12 09:00:00] [error] press 9 jammed\n[2026-11-12 09:00:01.5] [info] ok",
        LogFormat.ISO,
        False,
        "",
        "[error] press 9 jammed",
        "error",
    ),
    "a level before the time": (
        "INFO: 2026-11-12 09:00:00 ready\nINFO: 2026-11-12 09:00:01.5 go",
        LogFormat.ISO,
        False,
        "",
        "INFO: ready",
        "informational",
    ),
    "slashes": (
        "2026/11/12 09:00:00 [crit] 12#0: disk full\n2026/11/12 09:00:01.5 [notice] 12#0: ok",
        LogFormat.ISO,
        False,
        "",
        "[crit] 12#0: disk full",
        "critical",
    ),
    "a database": (
        "2026-11-12 09:00:00.000 UTC [812] FATAL:  no room\n2026-11-12 09:00:01.500 UTC [812] LOG:  ok",
        LogFormat.ISO,
        True,
        "",
        "[812] FATAL:  no room",
        "critical",
    ),
    "pipes": (
        "2026-11-12 09:00:00 | DEBUG | look\n2026-11-12 09:00:01.5 | DEBUG | again",
        LogFormat.ISO,
        False,
        "",
        "| DEBUG | look",
        "debug",
    ),
    "an underscore": (
        "2026-11-12_09:00:00 run begins\n2026-11-12_09:00:01.5 run ends",
        LogFormat.ISO,
        False,
        "",
        "run begins",
        "informational",
    ),
    "RFC 3164": (
        "Nov 12 09:00:00 leafdb sshd[31]: Failed password\nNov 12 09:00:01.5 leafdb sshd[31]: bye",
        LogFormat.SYSLOG,
        False,
        "sshd[31]",
        "Failed password",
        "error",
    ),
    "RFC 3164 with a priority": (
        "<11>Nov 12 09:00:00 leafdb cron[5]: run\n<14>Nov 12 09:00:01.5 leafdb cron[5]: end",
        LogFormat.SYSLOG,
        False,
        "cron[5]",
        "run",
        "error",
    ),
    "a web server's accesses": (
        '192.0.2.7 - - [12/Nov/2026:09:00:00 +0000] "GET /a HTTP/1.1" 503 12\n'
        '192.0.2.7 - - [12/Nov/2026:09:00:01.5 +0000] "GET /b HTTP/1.1" 200 12',
        LogFormat.WEB,
        True,
        "",
        '192.0.2.7 "GET /a HTTP/1.1" 503 12',
        "error",
    ),
    "a proxy's accesses": (
        'Nov proxy 192.0.2.7:40 [12/Nov/2026:09:00:00] web "GET / HTTP/1.1" 404 0\n'
        'Nov proxy 192.0.2.7:40 [12/Nov/2026:09:00:01.5] web "GET / HTTP/1.1" 200 0',
        LogFormat.WEB,
        False,
        "",
        'Nov proxy 192.0.2.7:40 web "GET / HTTP/1.1" 404 0',
        "notice",
    ),
    "a web server's errors": (
        "[Thu Nov 12 09:00:00.000000 2026] [core:error] [pid 9] gone\n"
        "[Thu Nov 12 09:00:01.500000 2026] [core:notice] [pid 9] back",
        LogFormat.ASCTIME,
        False,
        "",
        "[core:error] [pid 9] gone",
        "error",
    ),
    "asctime": (
        "Thu Nov 12 09:00:00 UTC 2026 backup: begins\nThu Nov 12 09:00:01.5 UTC 2026 backup: ends",
        LogFormat.ASCTIME,
        True,
        "backup",
        "begins",
        "informational",
    ),
    "a date of one digit": (
        "Nov  2 09:00:00 h a: x\nNov  2 09:00:01.5 h a: y",
        LogFormat.SYSLOG,
        False,
        "a",
        "x",
        "informational",
    ),
    "the kernel": (
        "[    0.000000] Linux begins\n[    1.500000] usb 1-1: error -71",
        LogFormat.KERNEL,
        False,
        "",
        "Linux begins",
        "informational",
    ),
    "the kernel with priorities": (
        "<4>[    0.000000] slow\n<6>[    1.500000] ok",
        LogFormat.KERNEL,
        False,
        "",
        "slow",
        "warning",
    ),
    "the epoch": ("1794474000 begin\n1794474001.5 end", LogFormat.EPOCH, True, "", "begin", "informational"),
    "milliseconds since the epoch": (
        "1794474000000: panic in the press\n1794474001500: ok",
        LogFormat.EPOCH,
        True,
        "",
        "panic in the press",
        "emergency",
    ),
}


@pytest.mark.parametrize("make", MAKES)
def test_twenty_makes_are_recognised_with_the_right_times(make):
    text, way, is_sure, source, words, severity = MAKES[make]
    guess = recognise(text.encode())
    assert (guess.format, not guess.doubts) == (way, is_sure)
    found = read(text, boot_ns=parse_instant(AT))
    assert not found.problems
    day = "02" if make == "a date of one digit" else "12"
    assert [spell_time(marker.at_ns) for marker in found.markers] == [
        AT.replace("-12T", f"-{day}T"), LATER.replace("-12T", f"-{day}T"),
    ]  # fmt: skip
    first = found.markers[0]
    assert (first.source, first.text.strip(), first.severity) == (source, words, severity)


def test_a_new_year_s_eve_is_passed_and_a_line_out_of_order_is_none():
    found = read("Dec 31 23:59:59 h a: old\nJan  1 00:00:01 h a: new\nJan  1 00:00:00 h a: late", year=2025)
    assert [spell_time(marker.at_ns) for marker in found.markers] == [
        "2025-12-31T23:59:59Z", "2026-01-01T00:00:01Z", "2026-01-01T00:00:00Z",
    ]  # fmt: skip


def test_each_line_has_the_zone_that_it_tells():
    found = read("2026-11-12T09:00:00Z a\n2026-11-12T10:00:00+01:00 b\n2026-11-12T04:00:00-0500 c")
    assert {marker.at_ns for marker in found.markers} == {parse_instant(AT)}


def test_a_trace_goes_on_with_its_line():
    text = "2026-11-12T09:00:00Z worker: exception\n  at press(9)\n  at main\n2026-11-12T09:00:01Z worker: on"
    found = read(text)
    assert [marker.text for marker in found.markers] == ["exception ⏎ at press(9) ⏎ at main", "on"]


def test_lines_of_ten_megabytes_are_cut_and_cost_no_others():
    long = b"2026-11-12T09:00:00Z worker: " + b"x" * 10_000_000 + b"\n2026-11-12T09:00:01Z worker: on\n"
    found = read(long)
    assert [len(marker.text) for marker in found.markers] == [2_000, 2]


def test_times_that_cannot_be_are_reported_by_line():
    found = read("2026-11-12T09:00:00Z a\n2026-02-30T09:00:00Z b\n2026-11-12T25:00:00Z c\n2026-11-12T09:00:01Z d")
    assert [marker.text for marker in found.markers] == ["a", "d"]
    assert [line for line, _ in found.problems] == [2, 3]


@pytest.mark.parametrize(
    "text",
    [b"", b"\n\n", b"\x7fELF\0\0\0\x01", b"once upon a time\nthere was a press\n" * 9, bytes(range(256)) * 40],
    ids=["nothing", "blank", "a program", "a tale", "rubbish"],
)
def test_what_tells_no_time_is_refused_with_what_is_known(text):
    with pytest.raises(UnknownLog, match=r"no time is recognised|no text"):
        recognise(text)


def test_the_kernels_times_need_a_beginning():
    with pytest.raises(UnknownLog, match="say when that was"):
        read("[    1.500000] usb 1-1: error -71")


def test_few_lines_with_a_time_are_a_doubt():
    text = "2026-11-12T09:00:00Z a\nmore\nmore\n"
    assert "only 33%" in recognise(text.encode()).doubts[0].replace(" %", "%")


@given(st.binary(max_size=600))
def test_no_bytes_make_it_raise_anything_else(text):
    with contextlib.suppress(UnknownLog):
        read(text, boot_ns=0)
