"""The machine's logs, line by line, as markers: the kernel's, and files that were named when the recorder was started.

Nothing of it is read unless a plan asks for it: log lines may tell of people and hold secrets.
"""

import contextlib
import errno
import json
import os
import time
from collections.abc import Sequence
from datetime import datetime
from pathlib import Path
from typing import Any

import structlog

from reditus.core.log_lines import (
    SYSLOG,
    Lines,
    at_least,
    format_of,
    kernel_record,
    kernel_sequence,
    parse_lines,
    whole_entries,
)
from reditus.core.log_text import LogFormat, LogGuess, UnknownLog, read_log, recognise
from reditus.core.markers import MAX_LOG, Marker, in_log
from reditus.core.types import NS_PER_S, Json

log = structlog.get_logger()

KERNEL_LOG = "/dev/kmsg"
RECORD_BYTES = 8_192
MOST_A_LOOK = 500
PART_BYTES = 256 << 10
DAY_NS = 86_400 * NS_PER_S
SAMPLE_BYTES = 64 << 10
"""Of a file's beginning, by which its form is recognised."""
RETRY_NS = 60 * NS_PER_S


class KernelLog:
    """The kernel's log, from where it was left; at a first start, all that the kernel still has of this boot."""

    def __init__(self, boot: str, left: Json, path: str = KERNEL_LOG) -> None:
        self._path, self._boot = path, boot
        self._last = int(left["sequence"]) if left.get("boot") == boot else -1
        self._descriptor: int | None = None
        self._retry_at_ns = 0
        self.unreadable: str | None = None
        """Why it could not be read, if it could not."""

    @property
    def left(self) -> Json:
        """How far the kernel's log was read: boot and sequence number."""
        return {"boot": self._boot, "sequence": self._last}

    def read(self, severity: str) -> list[Marker]:
        """The records since the last time that are as bad as `severity`, some hundred at most."""
        if self._descriptor is None and not self._open():
            return []
        boot_wall_ns = time.time_ns() - time.monotonic_ns()
        markers: list[Marker] = []
        for _ in range(MOST_A_LOOK):
            record = self._record()
            if not record:
                break
            sequence = kernel_sequence(record)
            marker = kernel_record(record, boot=self._boot, boot_wall_ns=boot_wall_ns)
            if sequence is None or marker is None or sequence <= self._last:
                continue
            if self._last >= 0 and sequence > self._last + 1:
                markers.append(self._lost_before(sequence, marker.at_ns))
            self._last = sequence
            if at_least(marker, severity):
                markers.append(marker)
        return markers

    def close(self) -> None:
        """Close the log, if it is open."""
        if self._descriptor is not None:
            os.close(self._descriptor)
            self._descriptor = None

    def _lost_before(self, sequence: int, at_ns: int) -> Marker:
        lost = sequence - self._last - 1
        return Marker(
            ident=f"kernel/{self._boot}/{self._last + 1}/lost",
            at_ns=at_ns,
            kind="log",
            text=f"{lost} lines of the kernel's log were overwritten before they could be read",
            source="recorder",
            severity="warning",
        )

    def _open(self) -> bool:
        now_ns = time.monotonic_ns()
        if now_ns < self._retry_at_ns:
            return False
        try:
            self._descriptor = os.open(self._path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
        except OSError as why:
            self._quarantine(why)
            return False
        self.unreadable = None
        return True

    def _record(self) -> bytes:
        while self._descriptor is not None:
            try:
                return os.read(self._descriptor, RECORD_BYTES)
            except BlockingIOError:
                return b""
            except OSError as why:
                # The ring went round: what follows is the oldest record that is still there.
                if why.errno != errno.EPIPE:
                    self._quarantine(why)
        return b""

    def _quarantine(self, why: OSError) -> None:
        self.close()
        self._retry_at_ns = time.monotonic_ns() + RETRY_NS
        reason = why.strerror or str(why)
        if reason != self.unreadable:
            log.warning("the kernel's log is not readable, left out", path=self._path, reason=reason)
        self.unreadable = reason


class LogFile:
    """A file that something appends lines to: any text whose lines tell their time, or the journal's export format.
    Turned-over files are followed by their name. Times without a zone are this machine's own.
    """

    def __init__(self, path: Path, left: Json, name: str) -> None:
        self.path, self._name = path, name
        self._guess: LogGuess | None = None
        self._last: Marker | None = None
        """The newest line: what follows without a time of its own goes on with it."""
        self._number = left.get("inode")
        self._at = int(left.get("at", 0))
        self._described: set[str] = set()

    @property
    def left(self) -> Json:
        """How far the file was read: inode and offset."""
        return {"inode": self._number, "at": self._at}

    def read(self, severity: str) -> list[Marker]:
        """Markers of the lines that were written since the last call, as bad as a severity or worse."""
        try:
            found = os.stat(self.path)
            if self._number is None:
                # Seen for the first time: from now on.
                self._number, self._at = found.st_ino, found.st_size
            elif found.st_ino != self._number or found.st_size < self._at:
                self._number, self._at = found.st_ino, 0
                self._guess = self._last = None
            if found.st_size == self._at:
                return []
            with self.path.open("rb") as file:
                head = file.read(SAMPLE_BYTES)
                file.seek(self._at)
                part = file.read(PART_BYTES)
        except OSError as why:
            self._say(f"not readable: {why.strerror}")
            return []
        kind = format_of(head)
        whole = whole_entries(part, kind or SYSLOG)
        if not whole and len(part) == PART_BYTES:
            whole = len(part)  # no line is that long
        try:
            lines = self._text(head, part[:whole]) if kind is None else parse_lines(part[:whole], kind)
        except UnknownLog as why:
            self._say(str(why))
            self._at += len(part)
            return []
        self._at += whole
        if lines.problems:
            self._say(f"{len(lines.problems)} lines not understood, the first one: {lines.problems[0][1]}")
        return in_log([marker for marker in lines.markers if at_least(marker, severity)], self._name)

    def _text(self, head: bytes, part: bytes) -> Lines:
        """Lines that tell their time in some way: it is recognised once, from the file's beginning."""
        if self._guess is None:
            self._guess = recognise(head)
        if self._guess.format is LogFormat.KERNEL:
            raise UnknownLog("these times count from the start of a machine, and nothing says when that was")
        year = time.localtime().tm_year
        lines = read_log(part, self._guess, to_utc=_own_clock, year=year, before=self._last)
        ahead_ns = time.time_ns() + DAY_NS
        if not self._guess.has_year and any(line.at_ns > ahead_ns for line in lines.markers):
            # Years are left out, and these lines were written before the last new year's eve.
            lines = read_log(part, self._guess, to_utc=_own_clock, year=year - 1, before=self._last)
        self._last = lines.markers[-1] if lines.markers else self._last
        return lines

    def _say(self, reason: str) -> None:
        if reason not in self._described:
            self._described.add(reason)
            log.warning("log file", path=str(self.path), reason=reason)


def _own_clock(local: str) -> int:
    """By this machine's own clock."""
    whole, _, part = local.partition(".")
    at_s = int(datetime.fromisoformat(whole).timestamp())
    return at_s * NS_PER_S + int(part[:9].ljust(9, "0"))


def _names_of(paths: Sequence[Path]) -> list[str]:
    """What logs are called: as their files, with the folder where two are called the same."""
    plain = [path.name for path in paths]
    return [
        (name if plain.count(name) == 1 else f"{path.parent.name}/{name}")[-MAX_LOG:]
        for path, name in zip(paths, plain, strict=True)
    ]


class Logs:
    """All that is followed, and where each was left, kept in the spool's folder from run to run."""

    def __init__(self, folder: Path, boot: str, files: Sequence[Path] = (), kernel_log: str = KERNEL_LOG) -> None:
        self._memory = folder / "log.json"
        left: dict[str, Any] = {}
        with contextlib.suppress(FileNotFoundError, ValueError):
            left = json.loads(self._memory.read_bytes())
        self._kernel = KernelLog(boot, left.get("kernel", {}), kernel_log)
        self._files = [
            LogFile(path, left.get("files", {}).get(str(path), {}), name)
            for path, name in zip(files, _names_of(files), strict=True)
        ]
        self._kept = left

    def read(self, kernel: str | None, files: str = "informational") -> list[Marker]:
        """What was logged since: of the kernel as bad as `kernel` (None: nothing), of the files as bad as `files`."""
        markers = [] if kernel is None else self._kernel.read(kernel)
        for file in self._files:
            markers += file.read(files)
        return markers

    @property
    def unreadable(self) -> dict[str, str]:
        """Log files that cannot be read, with the reason."""
        return {KERNEL_LOG: self._kernel.unreadable} if self._kernel.unreadable is not None else {}

    @property
    def left(self) -> Json:
        """Until where everything was read."""
        return {"kernel": self._kernel.left, "files": {str(file.path): file.left for file in self._files}}

    def remember(self, left: Json) -> None:
        """What was read until there is handed over. A crash before it has some lines read twice, which are
        kept once.
        """
        if left != self._kept:
            beside = self._memory.with_suffix(".part")
            beside.write_text(json.dumps(left))
            beside.rename(self._memory)
            self._kept = left

    def close(self) -> None:
        """Close all logs."""
        self._kernel.close()
