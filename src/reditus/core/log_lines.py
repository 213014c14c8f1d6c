"""Lines of logs in the open formats: the kernel's records, syslog (RFC 5424), and the journal's export format.

The kernel's records: Documentation/ABI/testing/dev-kmsg. The export format: the fields of an entry a line each,
NAME=VALUE, or where a value holds line breaks NAME, a line break, its length as 64 bits little-endian, the value and a
line break; entries are parted by an empty line.
"""

import re
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from hashlib import sha256

from reditus.core.markers import MAX_SOURCE, MAX_TEXT, SEVERITIES, Marker
from reditus.core.rfc3339 import parse_instant

US = 1_000
LENGTH_BYTES = 8
MOST_DIGITS = 19
"""Of a time in microseconds; longer ones lie beyond every clock."""
SYSLOG, JOURNAL = "syslog", "journal"
_SYSLOG = re.compile(
    rb"^<(?P<priority>\d{1,3})>1 (?P<time>\S+) (?P<host>\S+) (?P<program>\S+) (?P<process>\S+) (?P<message_id>\S+) "
    rb"(?P<data>-|(?:\[(?:[^\]\\\"]|\\.|\"(?:[^\"\\]|\\.)*\")*\])+)(?: (?:\xef\xbb\xbf)?(?P<text>.*))?$",
    re.DOTALL,
)
_KERNEL = re.compile(rb"^(?P<priority>\d{1,9}),(?P<sequence>\d{1,20}),(?P<since_us>\d{1,15}),[^;]*;(?P<text>[^\n]*)")
_OLD_SYSLOG = re.compile(
    rb"^(?:<(?P<priority>\d{1,3})>)?(?:[A-Z][a-z]{2} [ \d]\d \d\d:\d\d:\d\d (?P<host>[^\s:]+) )?"
    rb"(?:(?P<program>[\w./-]{1,60}(?:\[\d{1,10}\])?): )?(?P<text>.*)$",
    re.DOTALL,
)
_INFORMATIONAL = SEVERITIES.index("informational")
MAX_HOST = 120
_ESCAPED = re.compile(rb"\\x([0-9a-f]{2})")
_NIL = b"-"


@dataclass
class Lines:
    """What was found, and what could not be understood: line and reason."""

    markers: list[Marker] = field(default_factory=list)
    problems: list[tuple[int, str]] = field(default_factory=list)


def at_least(marker: Marker, severity: str) -> bool:
    """Whether it is as bad as that, or worse. What tells no severity is taken for informational."""
    return SEVERITIES.index(marker.severity or "informational") <= SEVERITIES.index(severity)


def kernel_record(record: bytes, *, boot: str, boot_wall_ns: int) -> Marker | None:
    """A record of the kernel's log; None for one that is none. `boot_wall_ns` is the wall time of the clock's zero."""
    found = _KERNEL.match(record)
    if found is None:
        return None
    # The kernel writes single bytes so: of other alphabets, and of whatever a process put into its name.
    raw = _ESCAPED.sub(lambda code: bytes((int(code[1], 16),)), found["text"])
    text = _plain(raw, MAX_TEXT)
    return Marker(
        ident=f"kernel/{boot}/{int(found['sequence'])}",
        at_ns=boot_wall_ns + int(found["since_us"]) * US,
        kind="log",
        text=text,
        source="kernel",
        severity=SEVERITIES[int(found["priority"]) & 7],
        log="kernel",
    )


def kernel_sequence(record: bytes) -> int | None:
    """The number of a record of /dev/kmsg; None for what is no record."""
    found = _KERNEL.match(record)
    return int(found["sequence"]) if found else None


def format_of(text: bytes) -> str | None:
    """Which format a file's beginning has; None where it is neither."""
    start = text.lstrip()
    if re.match(rb"<\d{1,3}>1 ", start):
        return SYSLOG
    return JOURNAL if re.match(rb"_{0,2}[A-Z][A-Z0-9_]*[=\n]", start) else None


def parse_lines(text: bytes, kind: str, *, first_line: int = 1) -> Lines:
    """Whole lines, or whole entries, of a file. What is good is kept, what is not is reported by line."""
    out = Lines()
    seen: Counter[str] = Counter()
    for line, parsed in (_syslog if kind == SYSLOG else _journal)(text, first_line):
        if isinstance(parsed, str):
            out.problems.append((line, parsed))
            continue
        seen[parsed.ident] += 1
        again = seen[parsed.ident]
        # The same words at the same instant are two lines where they stand twice.
        out.markers.append(parsed if again == 1 else with_ident(parsed, f"{parsed.ident}/{again}"))
    return out


def whole_entries(text: bytes, kind: str) -> int:
    """How many bytes of a growing file are whole lines or entries."""
    end = text.rfind(b"\n" if kind == SYSLOG else b"\n\n")
    return 0 if end < 0 else end + (1 if kind == SYSLOG else 2)


def _syslog(text: bytes, first_line: int) -> Iterator[tuple[int, Marker | str]]:
    for line, raw in enumerate(text.split(b"\n"), first_line):
        if not raw.strip():
            continue
        found = _SYSLOG.match(raw.rstrip(b"\r"))
        if found is None:
            yield line, "not a line of RFC 5424: <PRIORITY>1 TIME HOST PROGRAM PROCESS MESSAGE-ID DATA TEXT"
            continue
        priority = int(found["priority"])
        if priority >= 24 * len(SEVERITIES):
            yield line, f"a priority of {priority}; there are 0 to 191"
            continue
        try:
            at_ns = parse_instant(found["time"].decode("ascii", "replace"))
        except ValueError as why:
            yield line, str(why)
            continue
        program, process = found["program"], found["process"]
        source = program if process == _NIL else program + b"[" + process + b"]"
        yield line, line_marker(at_ns, found["text"] or b"", b"" if program == _NIL else source, priority & 7)


def syslog_message(raw: bytes, received_ns: int) -> tuple[str, Marker]:
    """A message as it came over a socket, and the name of the host that it speaks of; empty where it names none.

    What is not of RFC 5424 is taken for the older way (RFC 3164), whose times have neither year nor zone: then the time
    at which it came stands for its own.
    """
    line = raw.strip(b"\r\n\0 ").replace(b"\n", b" ")
    found = _SYSLOG.match(line)
    if found is not None:
        (_, parsed), *_ = _syslog(line, 1)
        host = b"" if found["host"] == _NIL else found["host"]
        if not isinstance(parsed, str):
            return _plain(host, MAX_HOST), parsed
    old = _OLD_SYSLOG.match(line)
    if old is None:
        return "", line_marker(received_ns, line, b"", _INFORMATIONAL)
    severity = int(old["priority"]) & 7 if old["priority"] else _INFORMATIONAL
    source = (old["program"] or b"").strip()
    marker = line_marker(received_ns, old["text"], source, severity)
    return _plain(old["host"] or b"", MAX_HOST), marker


def _journal(text: bytes, first_line: int) -> Iterator[tuple[int, Marker | str]]:
    entry: dict[bytes, bytes] = {}
    at, line, begun = 0, first_line, first_line
    while at <= len(text):
        end = text.find(b"\n", at)
        end = len(text) if end < 0 else end
        raw = text[at:end]
        if not raw:
            if entry:
                yield begun, _journal_entry(entry)
            entry, begun = {}, line + 1
            at, line = end + 1, line + 1
            continue
        name, equals, value = raw.partition(b"=")
        at = end + 1
        if not equals:
            length = int.from_bytes(text[at : at + LENGTH_BYTES], "little")
            if at + LENGTH_BYTES + length > len(text):
                yield line, f"the field {_plain(name, 60)} is cut off"
                return
            value = text[at + LENGTH_BYTES : at + LENGTH_BYTES + length]
            at += LENGTH_BYTES + length + 1
            line += value.count(b"\n")
        entry[name] = value
        line += 1


def _journal_entry(entry: dict[bytes, bytes]) -> Marker | str:
    at_us, text = entry.get(b"__REALTIME_TIMESTAMP", b""), entry.get(b"MESSAGE")
    if not at_us.isdigit() or len(at_us) > MOST_DIGITS:
        return "an entry without __REALTIME_TIMESTAMP, in microseconds since the epoch"
    if int(at_us) * US >= 1 << 63:
        return f"an entry at {int(at_us)} microseconds, which no clock reaches"
    if text is None:
        return "an entry without MESSAGE"
    process = entry.get(b"_PID") or entry.get(b"SYSLOG_PID")
    source = entry.get(b"SYSLOG_IDENTIFIER") or entry.get(b"_COMM") or b""
    priority = entry.get(b"PRIORITY", b"6")
    return line_marker(
        int(at_us) * US,
        text,
        source + b"[" + process + b"]" if process and source else source,
        int(priority) if len(priority) == 1 and priority.isdigit() and int(priority) < len(SEVERITIES) else 6,
    )


def line_marker(at_ns: int, text: bytes, source: bytes, severity: int) -> Marker:
    """A line of a log, known by its instant and its words. `severity` is its place in SEVERITIES."""
    digest = sha256(b"\0".join((source, text))).hexdigest()[:24]
    return Marker(
        ident=f"line/{at_ns}/{digest}",
        at_ns=at_ns,
        kind="log",
        text=_plain(text, MAX_TEXT),
        source=_plain(source, MAX_SOURCE),
        severity=SEVERITIES[severity],
    )


def with_ident(marker: Marker, ident: str, text: str | None = None) -> Marker:
    """The same under another id, and with another text where one is given."""
    return replace(marker, ident=ident, text=marker.text if text is None else text)


def _plain(raw: bytes, longest: int) -> str:
    text = raw.decode("utf-8", "replace").rstrip()
    shown = "".join(letter if letter.isprintable() else " " for letter in text[:longest])
    return shown if len(text) <= longest else f"{shown[: longest - 1]}…"
