"""Read a log whose form is not known: an open format where it is one, else any text whose lines tell their time."""

from dataclasses import dataclass
from datetime import datetime
from functools import lru_cache, partial
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from reditus.core.errors import CoreError
from reditus.core.log_lines import JOURNAL, SYSLOG, Lines, format_of, parse_lines
from reditus.core.log_text import NO_YEAR, NO_ZONE, LogGuess, read_log, recognise
from reditus.core.rfc3339 import EARLIEST_NS, LATEST_NS
from reditus.core.types import NS_PER_S

SAMPLE_BYTES = 256 * 1024
DAY_NS = 86_400 * NS_PER_S
_NAMES = {SYSLOG: "RFC 5424", JOURNAL: "the journal's export format"}


class ZoneError(CoreError, ValueError):
    """A name that is no zone of the time zone database."""


@dataclass(frozen=True, slots=True)
class LogTimes:
    """What a log may leave out of its times."""

    zone: ZoneInfo
    year: int | None = None
    """Of the first line; None: so that the last line is not later than the file."""
    boot_ns: int | None = None
    """When the machine started, for the kernel's own times."""


@dataclass(frozen=True, slots=True)
class LogRead:
    """What a log holds, and how its times were understood."""

    lines: Lines
    format: str
    doubts: tuple[str, ...]
    """What of the times is not sure, and what it was taken for; empty where all of it is sure."""
    year: int | None = None
    """Of the first line, where years are left out."""


def read_any(text: bytes, times: LogTimes, written_ns: int) -> LogRead:
    """Read a log that was last written at an instant. Raise UnknownLog where its times are not recognised, ValueError
    where they lie beyond every clock.
    """
    kind = format_of(text)
    if kind is not None:
        return LogRead(_of_our_years(parse_lines(text, kind)), _NAMES[kind], ())
    guess = recognise(text[:SAMPLE_BYTES])
    year = times.year or _year_of_first(text, guess, times, written_ns)
    lines = read_log(text, guess, to_utc=partial(local_to_utc, times.zone), year=year, boot_ns=times.boot_ns)
    taken = {NO_ZONE: f"taken for those of {times.zone.key}", NO_YEAR: f"the first line's is taken for {year}"}
    doubts = tuple(f"{doubt}; {taken[doubt]}" if doubt in taken else doubt for doubt in guess.doubts)
    return LogRead(_of_our_years(lines), guess.format.value, doubts, None if guess.has_year else year)


def _of_our_years(lines: Lines) -> Lines:
    """Lines at times that nothing else reaches are reported, not kept."""
    kept = [marker for marker in lines.markers if EARLIEST_NS <= marker.at_ns < LATEST_NS]
    beyond = len(lines.markers) - len(kept)
    problems = [*lines.problems, (0, f"{beyond} lines lie before 1970 or after 2199")] if beyond else lines.problems
    return Lines(kept, problems)


def _year_of_first(text: bytes, guess: LogGuess, times: LogTimes, written_ns: int) -> int:
    """So that the last line is not later than the file itself."""
    year = datetime.fromtimestamp(written_ns / NS_PER_S, times.zone).year
    if guess.has_year:
        return year
    read = read_log(text, guess, to_utc=partial(local_to_utc, times.zone), year=year).markers
    newest_ns = max((marker.at_ns for marker in read), default=written_ns)
    over = datetime.fromtimestamp(newest_ns / NS_PER_S, times.zone).year - year
    return year - over - int(over == 0 and newest_ns > written_ns + DAY_NS)


@lru_cache(maxsize=64)
def zone_named(name: str) -> ZoneInfo:
    """Raise ZoneError for what is no place of the time zone database."""
    try:
        return ZoneInfo(name)
    except (ZoneInfoNotFoundError, ValueError, OSError) as why:  # a folder of the database is none of its places
        raise ZoneError(f"{name!r} is no place of the time zone database, such as Europe/Berlin") from why


def local_to_utc(zone: ZoneInfo, local: str) -> int:
    """The earlier of two instants where the clock was put back; nanoseconds are kept."""
    whole, _, part = local.partition(".")
    try:
        at_s = int(datetime.fromisoformat(whole).replace(tzinfo=zone).timestamp())
    except OverflowError as why:
        raise ValueError(f"{local} lies beyond what clocks of {zone.key} can show") from why
    return at_s * NS_PER_S + int(part[:9].ljust(9, "0"))
