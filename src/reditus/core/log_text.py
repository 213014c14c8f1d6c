"""Any text log: how its lines tell their time is recognised from some of them, and all are read by that.

Known ways: ISO 8601 (RFC 3339 and looser), RFC 3164, the common web-server format, the C library's asctime, the
kernel's seconds since it started, and seconds or milliseconds since the epoch. A line without a time goes on with the
one before it, as traces of calls do.
"""

import re
from collections import Counter
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from enum import Enum

from reditus.core.errors import CoreError
from reditus.core.log_lines import Lines, line_marker, with_ident
from reditus.core.markers import MAX_SOURCE, MAX_TEXT, SEVERITIES, Marker
from reditus.core.rfc3339 import parse_instant
from reditus.core.types import NS_PER_S

SAMPLE_LINES = 400
LONGEST_LINE = 16 * 1024
"""Of a longer line only the beginning is read."""
LEAST_SHARE, SURE_SHARE = 0.3, 0.9
HALF_A_YEAR = 6
NO_ZONE, NO_YEAR = "the times have no zone", "the times have no year"
MONTHS = ("jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec")
ToUtc = Callable[[str], int]
"""From a local time as `2026-11-12T09:00:00.5` to nanoseconds since the epoch."""


class LogFormat(Enum):
    """How lines tell their time; the value is how people call it."""

    ISO = "ISO 8601"
    SYSLOG = "RFC 3164"
    WEB = "the common web-server format"
    ASCTIME = "asctime"
    KERNEL = "seconds since the kernel started"
    EPOCH = "seconds since the epoch"


@dataclass(frozen=True, slots=True)
class LogGuess:
    """What a log's lines seem to tell their time by."""

    format: LogFormat
    share: float
    """Of the sampled lines, those that do."""
    has_zone: bool
    has_year: bool

    @property
    def doubts(self) -> list[str]:
        """What the guess cannot be sure of, in words; empty where it is sure."""
        out = []
        if self.share < SURE_SHARE:
            out.append(
                f"only {self.share * 100:.0f} % of the lines have such a time; the others go on with the one before"
            )
        if not self.has_zone and self.format is not LogFormat.KERNEL:
            out.append(NO_ZONE)
        if not self.has_year:
            out.append(NO_YEAR)
        if self.format is LogFormat.KERNEL:
            out.append("the times count from the start of the machine")
        return out


class UnknownLog(CoreError, ValueError):
    """A file whose lines tell no time that is known."""


_CLOCK = r"(?P<clock>\d{2}:\d{2}:\d{2})(?:[.,](?P<part>\d{1,9}))?"
_ZONE = r"(?:\s?(?P<zone>Z|UTC|[+-]\d{2}:?\d{2}))?"
_MONTH = r"(?P<month>[A-Z][a-z]{2})"
_WAYS: dict[LogFormat, re.Pattern[str]] = {
    # A head of up to some words may stand before an ISO time: a level, a bracket.
    LogFormat.ISO: re.compile(
        rf"^(?P<head>\W{{0,3}}(?:[A-Za-z]{{1,12}}\W{{1,3}})?)"
        rf"(?P<year>\d{{4}})[-/.](?P<number>\d{{2}})[-/.](?P<day>\d{{2}})[T _]{_CLOCK}{_ZONE}[\]\)]?[:,|]?\s*"
    ),
    LogFormat.SYSLOG: re.compile(rf"^(?:<(?P<priority>\d{{1,3}})>)?{_MONTH} +(?P<day>\d{{1,2}}) {_CLOCK}\s+"),
    LogFormat.WEB: re.compile(
        rf"^(?P<head>.{{0,200}}?)\[(?P<day>\d{{1,2}})/{_MONTH}/(?P<year>\d{{4}}):{_CLOCK}"
        r"(?: (?P<zone>[+-]\d{4}))?\]\s*"
    ),
    LogFormat.ASCTIME: re.compile(
        rf"^\[?(?:[A-Z][a-z]{{2}} )?{_MONTH} +(?P<day>\d{{1,2}}) {_CLOCK}(?: (?P<zone>UTC))? (?P<year>\d{{4}})\]?\s*"
    ),
    LogFormat.KERNEL: re.compile(r"^(?:<(?P<priority>\d{1,3})>)?\[\s*(?P<since>\d{1,9}\.\d{3,9})\]\s*"),
    LogFormat.EPOCH: re.compile(r"^\[?(?P<epoch>1\d{9})(?P<milli>\d{3})?(?:\.(?P<part>\d{1,9}))?(?!\d)\]?[:,]?\s*"),
}
_SOURCE = re.compile(r"^(?:[\w.-]+ )?(?P<source>[\w./-]{1,64}(?:\[\d{1,10}\])?):\s+")
_LEVEL = re.compile(
    r"\b(?:(?P<emergency>emerg(?:ency)?|panic)|(?P<critical>crit(?:ical)?|fatal)|(?P<error>err(?:or)?|fail(?:ed|ure)?|exception)"
    r"|(?P<warning>warn(?:ing)?)|(?P<notice>notice)|(?P<debug>debug|trace))\b",
    re.IGNORECASE,
)
_STATUS = re.compile(r'" (?P<status>[1-5]\d{2}) ')
LEVEL_WITHIN = 120
"""A word for a level stands near the beginning; further on it is what the line is about."""


def recognise(sample: bytes) -> LogGuess:
    """Guess from a file's beginning. Raise UnknownLog, saying what is known, where no way fits."""
    lines = [line for line in _lines(sample) if line.strip()][:SAMPLE_LINES]
    if b"\0" in sample or not lines:
        raise UnknownLog("this is no text: it has no lines, or bytes of 0")
    counted = Counter(way for line in lines for way in LogFormat if _found(line, way))
    if not counted:
        raise UnknownLog(_no_times(lines[0]))
    way, count = max(counted.items(), key=lambda item: item[1])
    share = count / len(lines)
    if share < LEAST_SHARE and count < 3:
        raise UnknownLog(_no_times(lines[0]))
    named = [found for line in lines if (found := _found(line, way))]
    return LogGuess(
        way,
        share,
        has_zone=way is LogFormat.EPOCH or all(found.get("zone") for found in named),
        has_year=way in (LogFormat.EPOCH, LogFormat.KERNEL) or all(found.get("year") for found in named),
    )


def _no_times(line: str) -> str:
    known = ", ".join(way.value for way in LogFormat)
    return f"no time is recognised in lines such as {line[:60]!r}; known are {known}"


def _found(line: str, way: LogFormat) -> dict[str, str | None] | None:
    """The parts of a line's time, and as `rest` what stands behind it; None where it has none."""
    found = _WAYS[way].match(line)
    if found is None:
        return None
    named = found.groupdict()
    month = named.get("month")
    return None if month is not None and month.lower() not in MONTHS else {**named, "rest": line[found.end() :]}


def read_log(
    text: bytes,
    guess: LogGuess,
    *,
    to_utc: ToUtc,
    year: int,
    boot_ns: int | None = None,
    before: Marker | None = None,
) -> Lines:
    """Read a whole log, or what was appended to one after the line `before`. `to_utc` is for times without a zone,
    `year` that of the first line where years are left out, `boot_ns` when the machine started, for the kernel's own
    times. Raise UnknownLog where that is needed and missing.
    """
    if guess.format is LogFormat.KERNEL and boot_ns is None:
        raise UnknownLog("these times count from the start of the machine; say when that was")
    out = Lines()
    seen: Counter[str] = Counter()
    month = 0
    if before is not None:
        out.markers.append(before)
    for number, line in enumerate(_lines(text), 1):
        if not line.strip():
            continue
        named = _found(line, guess.format)
        if named is None:
            _go_on(out, number, line)
            continue
        now = _month(named)
        # Sorted lines whose month falls by half a year have passed a new year's eve.
        year += int(named.get("year") is None and month - now >= HALF_A_YEAR)
        month = now
        try:
            at_ns = _instant(named, to_utc, year, boot_ns)
        except ValueError as why:
            out.problems.append((number, str(why)))
            continue
        marker = line_marker(at_ns, *_described(named, line))
        seen[marker.ident] += 1
        again = seen[marker.ident]
        out.markers.append(marker if again == 1 else with_ident(marker, f"{marker.ident}/{again}"))
    if before is not None and out.markers[0] == before:
        del out.markers[0]  # nothing was added to it
    return out


def _lines(text: bytes) -> Iterator[str]:
    for raw in text.split(b"\n"):
        yield raw[:LONGEST_LINE].rstrip(b"\r").decode("utf-8", "replace")


def _go_on(out: Lines, number: int, line: str) -> None:
    if not out.markers:
        out.problems.append((number, "a line without a time, before any that has one"))
        return
    last = out.markers[-1]
    if len(last.text) < MAX_TEXT:
        more = "".join(letter if letter.isprintable() else " " for letter in line)
        out.markers[-1] = with_ident(last, last.ident, f"{last.text} ⏎ {more.strip()}"[:MAX_TEXT])


def _month(named: dict[str, str | None]) -> int:
    word = named.get("month")
    return MONTHS.index(word.lower()) + 1 if word else int(named.get("number") or 0)


def _instant(named: dict[str, str | None], to_utc: ToUtc, year: int, boot_ns: int | None) -> int:
    if since := named.get("since"):
        whole, part = since.split(".")
        return (boot_ns or 0) + int(whole) * NS_PER_S + int(part.ljust(9, "0"))
    part = named.get("part") or ""
    if epoch := named.get("epoch"):
        fraction = (named.get("milli") or "") + part
        return int(epoch) * NS_PER_S + int(fraction[:9].ljust(9, "0"))
    day = int(named.get("day") or 0)
    local = (
        f"{int(named.get('year') or year):04}-{_month(named):02}-{day:02}T{named['clock']}{f'.{part}' if part else ''}"
    )
    zone = named.get("zone")
    if zone is None:
        return to_utc(local)
    if zone in ("Z", "UTC"):
        return parse_instant(f"{local}Z")
    return parse_instant(f"{local}{zone[:3]}:{zone[-2:]}")


def _described(named: dict[str, str | None], line: str) -> tuple[bytes, bytes, int]:
    """Text, source and severity of a line."""
    rest = named["rest"] or ""
    source = _SOURCE.match(rest)
    text = rest[source.end() :] if source else rest
    head = (named.get("head") or "").strip(" -[]()")
    if head and len(head) > 1:
        text = f"{head} {text}"
    who = source["source"] if source else ""
    return text.encode(), who.encode()[:MAX_SOURCE], _severity(named, line)


def _severity(named: dict[str, str | None], line: str) -> int:
    if (priority := named.get("priority")) is not None and int(priority) < 24 * len(SEVERITIES):
        return int(priority) & 7
    status = _STATUS.search(line)
    if status:
        return SEVERITIES.index({"5": "error", "4": "notice"}.get(status["status"][0], "informational"))
    level = _LEVEL.search(line[:LEVEL_WITHIN])
    return SEVERITIES.index(str(level.lastgroup)) if level else SEVERITIES.index("informational")
