"""Log lines in the open formats, whole and broken."""

import struct

import pytest
from hypothesis import given
from hypothesis import strategies as st

from builders import ARCHIVE, BOOT
from reditus.core.batches import read_batch
from reditus.core.errors import BlockError
from reditus.core.log_lines import (
    JOURNAL,
    SYSLOG,
    at_least,
    format_of,
    kernel_record,
    parse_lines,
    whole_entries,
)
from reditus.core.markers import Marker, Markers, as_batches

S = 10**9
AT_NS = 1_794_474_000 * S
LINE = b'<11>1 2026-11-12T09:00:00.25Z leafdb labels 812 - [where@1 shelf="4 \\"b\\""] out of paper\n'


def test_a_syslog_line():
    (one,) = parse_lines(LINE, SYSLOG).markers
    assert (one.at_ns, one.source, one.severity, one.text) == (AT_NS + S // 4, "labels[812]", "error", "out of paper")


@pytest.mark.parametrize(
    ("line", "text", "source"),
    [
        (b"<165>1 2026-11-12T10:00:00+01:00 h - - - -", "", ""),
        (b"<14>1 2026-11-12T09:00:00Z h app - ID47 - \xef\xbb\xbfgr\xc3\xbc\xc3\x9fe", "grüße", "app"),
        (b'<14>1 2026-11-12T09:00:00Z h app - - [a b="]"][c d="e"] after two', "after two", "app"),
        (b"<14>1 2026-11-12T09:00:00Z h app 1 - - tab\tand \x1b[31m colour\r", "tab and  [31m colour", "app[1]"),
    ],
)
def test_what_rfc_5424_allows(line, text, source):
    found = parse_lines(line, SYSLOG)
    assert not found.problems
    assert [(marker.at_ns, marker.text, marker.source) for marker in found.markers] == [(AT_NS, text, source)]


def test_good_lines_are_kept_and_bad_ones_reported_by_line():
    text = LINE + b"Nov 12 09:00:01 leafdb labels: an older form\n\n<999>1 2026-11-12T09:00:00Z h a - - - x\n"
    text += b"<14>1 2026-02-30T09:00:00Z h a - - - no such day\n" + LINE.replace(b"paper", b"ink")
    found = parse_lines(text, SYSLOG)
    assert [marker.text for marker in found.markers] == ["out of paper", "out of ink"]
    assert [line for line, _ in found.problems] == [2, 4, 5]
    assert "priority of 999" in found.problems[1][1]


def test_the_same_words_twice_at_one_instant_are_two_lines():
    assert len({marker.ident for marker in parse_lines(LINE * 3, SYSLOG).markers}) == 3
    assert parse_lines(LINE * 3, SYSLOG).markers == parse_lines(LINE * 3, SYSLOG).markers


def test_the_journals_export_format():
    said = b"first\nsecond=3"
    text = b"__CURSOR=s=1\n__REALTIME_TIMESTAMP=%d\nPRIORITY=2\n_PID=31\nSYSLOG_IDENTIFIER=vault\n" % (AT_NS // 1000)
    text += b"MESSAGE\n" + struct.pack("<Q", len(said)) + said + b"\n\n"
    text += b"__REALTIME_TIMESTAMP=%d\nMESSAGE=plain\n\nMESSAGE=when?\n\n" % (AT_NS // 1000 + 5)
    assert format_of(text) == JOURNAL
    found = parse_lines(text, JOURNAL)
    assert [(marker.at_ns, marker.source, marker.severity, marker.text) for marker in found.markers] == [
        (AT_NS, "vault[31]", "critical", "first second=3"),
        (AT_NS + 5_000, "", "informational", "plain"),
    ]
    assert [why for _, why in found.problems] == [
        "an entry without __REALTIME_TIMESTAMP, in microseconds since the epoch"
    ]
    assert parse_lines(text[: text.index(b"second")], JOURNAL).problems[0][1] == "the field MESSAGE is cut off"


@given(st.binary(max_size=300), st.sampled_from([SYSLOG, JOURNAL]))
def test_no_bytes_are_a_traceback(raw, kind):
    for marker in parse_lines(raw, kind).markers:
        assert Marker.from_json({name: getattr(marker, name) for name in marker.__dataclass_fields__}) == marker


def test_formats_are_reported_apart():
    assert format_of(LINE) == SYSLOG
    assert format_of(b"_HOSTNAME=x\n") == JOURNAL
    assert format_of(b"Nov 12 09:00:01 leafdb x: y\n") is None
    assert whole_entries(LINE + b"<11>1 20", SYSLOG) == len(LINE)
    assert whole_entries(b"A=1\n\nB=", JOURNAL) == 5


def test_a_record_of_the_kernel():
    raw = b"3,339,5140900,-;sd 0:0:0:0: [vda] I/O error \\x5cdev\n SUBSYSTEM=scsi\n DEVICE=b8:0\n"
    one = kernel_record(raw, boot="b", boot_wall_ns=AT_NS)
    assert one == Marker(
        "kernel/b/339",
        AT_NS + 5_140_900_000,
        "log",
        "sd 0:0:0:0: [vda] I/O error \\dev",
        "kernel",
        "error",
        log="kernel",
    )
    assert at_least(one, "warning")
    assert not at_least(one, "critical")
    assert kernel_record(b"no record", boot="b", boot_wall_ns=0) is None


def test_markers_come_back_from_a_batch_as_they_went():
    one = Marker("gap/1", 5, "gap", "the spool was full", end_ns=9)
    assert read_batch(Markers(ARCHIVE, BOOT, (one,)).to_bytes()).markers == [Markers(ARCHIVE, BOOT, (one,))]
    many = [Marker(f"line/{at}", at, "log", "x" * 2_000) for at in range(1_000)]
    parts = [read_batch(raw).markers[0] for raw in as_batches(ARCHIVE, BOOT, many)]
    assert len(parts) > 1
    assert [marker for part in parts for marker in part.markers] == many


@pytest.mark.parametrize(
    "change", [{"kind": "guess"}, {"severity": "bad"}, {"end_ns": 1}, {"text": "a\0"}, {"at_ns": -1}]
)
def test_a_marker_that_makes_no_sense_is_refused(change):
    plain = {"ident": "a", "at_ns": 5, "kind": "log", "text": "t"}
    with pytest.raises(BlockError, match=r"is not one of ident|U\+0000"):
        read_batch(Markers(ARCHIVE, BOOT, (Marker(**{**plain, **change}),)).to_bytes())
