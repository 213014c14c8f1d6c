"""Processes: all are read at each tick, the heaviest are kept, and the rest is kept as a sum.

Cheap because it must be: each process's stat file stays open, and all texts are parsed in one go. I/O is asked for only
where stat changed, and for everyone in turn, so that what a sleeper moved shows a few ticks late but is not lost.
"""

import contextlib
import os
import pwd
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
import structlog

from reditus.core.identities import Identity
from reditus.core.layout import Column
from reditus.core.processes import AMOUNTS, GROUP, PLACES, SLOTS, STATES, slot_columns, whole_columns
from reditus.core.types import IntArray

log = structlog.get_logger()

MOST_PROCESSES = 8_192
MOST_OPEN = 512
"""Files kept open; beyond that a process's file is opened for each reading."""
EACH = 5
"""How many are kept by each way of being heavy."""
IO_TURN_TICKS = 10
STAT_BYTES = 2_048
# Places among the numbers after the state in /proc/PID/stat (proc(5) counts from 1 and the state is field 3).
PARENT, MINOR, MAJOR, USER, SYSTEM, THREADS, START, RSS, CORE, BLOCKED = (
    field_number - 4 for field_number in (4, 10, 12, 14, 15, 20, 22, 24, 39, 42)
)
FIELDS_NEEDED = BLOCKED + 1
STATE_CODES = np.array([ord(state) for state in STATES])


@dataclass(slots=True)
class _Known:
    """A process from reading to reading."""

    start: int
    totals: list[int]
    """utime, stime, major, minor, blocked"""
    io: tuple[int, int] | None = None
    io_closed: bool = False
    text: bytes = b""


@dataclass(slots=True)
class _Seen:
    """All processes of one reading, in parallel arrays."""

    pids: list[int]
    names: list[bytes]
    texts: list[bytes]
    states: IntArray
    numbers: IntArray
    """Shape (processes, fields)."""


@dataclass(slots=True)
class _Slot:
    pid: int = 0
    start: int = 0
    wanted_at: int = field(default=-1)


class Processes:
    """A probe (sampler.Probe)."""

    group = GROUP
    pace_s = 0

    def __init__(
        self, root: str = "/", *, arguments: bool = False, boot_clock_s: Callable[[], float] | None = None
    ) -> None:
        self._proc = str(Path(root, "proc"))
        self.arguments = arguments
        """Whether command lines are told."""
        self._boot_clock_s = boot_clock_s or (lambda: time.clock_gettime(time.CLOCK_BOOTTIME))
        self._ticks_per_s = os.sysconf("SC_CLK_TCK")
        self._open: dict[int, int] = {}
        self._known: dict[int, _Known] = {}
        self._slots = [_Slot() for _ in range(SLOTS)]
        self._columns: tuple[Column, ...] = (
            *whole_columns(),
            *(column for slot in range(SLOTS) for column in slot_columns(slot)),
        )
        self._told: dict[tuple[int, int], bytes] = {}
        self._new: list[Identity] = []
        self._readings = 0
        self._last_s: float | None = None
        self._io_readable = True
        self._crowded = False

    def read(self, now_ns: int) -> tuple[tuple[Column, ...], IntArray]:
        del now_ns  # starts of processes are told on the clock that goes on while the machine sleeps
        now_s = self._boot_clock_s()
        seen = self._look()
        if seen is None:
            return (), np.zeros(0, dtype=np.int64)
        amounts = self._amounts(seen)
        chosen = _heaviest(amounts, seen.states)
        self._assign(seen, chosen)
        self._readings += 1
        self._last_s = now_s
        return self._columns, self._values(seen, amounts)

    def take_identities(self) -> list[Identity]:
        """Those that were not told yet."""
        new, self._new = self._new, []
        return new

    def close(self) -> None:
        for descriptor in self._open.values():
            os.close(descriptor)
        self._open.clear()

    # Reading

    def _look(self) -> _Seen | None:
        try:
            pids = [int(entry) for entry in os.listdir(self._proc) if entry.isdecimal()]
        except OSError:
            return None
        if len(pids) > MOST_PROCESSES:
            if not self._crowded:
                log.warning("too many processes, only the youngest are read", processes=len(pids), most=MOST_PROCESSES)
                self._crowded = True
            # The youngest are the ones most likely to be at work; all are in the machine's own counters.
            pids = sorted(pids)[-MOST_PROCESSES:]
        there, names, texts, states = [], [], [], []
        tails = []
        for pid in pids:
            text = self._stat(pid)
            end = text.rfind(b")")
            if end < 0:
                continue
            there.append(pid)
            texts.append(text)
            names.append(text[text.find(b"(") + 1 : end])
            states.append(text[end + 2])
            tails.append(text[end + 4 :])
        for gone in set(self._known) - set(there):
            del self._known[gone]
            self._shut(gone)
        if not there:
            return None
        numbers = np.fromstring(b" ".join(tails), dtype=np.int64, sep=" ").reshape(len(there), -1)
        if numbers.shape[1] < FIELDS_NEEDED:
            return None
        return _Seen(there, names, texts, np.array(states, dtype=np.int64), numbers)

    def _stat(self, pid: int) -> bytes:
        """Its stat text, or nothing where it ended meanwhile."""
        for _ in range(2):
            descriptor = self._open.get(pid)
            kept = descriptor is not None
            try:
                if descriptor is None:
                    descriptor = os.open(f"{self._proc}/{pid}/stat", os.O_RDONLY | os.O_CLOEXEC)
                    if len(self._open) < MOST_OPEN:
                        self._open[pid] = descriptor
                text = os.pread(descriptor, STAT_BYTES, 0)
                if pid not in self._open:
                    os.close(descriptor)
                if not text:
                    raise ProcessLookupError(pid)
                return text
            except OSError:
                # The process ended. Where a file was kept, another one may have got its number.
                self._shut(pid)
                if not kept:
                    return b""
        return b""

    def _shut(self, pid: int) -> None:
        descriptor = self._open.pop(pid, None)
        if descriptor is not None:
            os.close(descriptor)

    # Amounts over the interval

    def _amounts(self, seen: _Seen) -> IntArray:
        """Shape (processes, AMOUNTS): what each used since the reading before, and what it holds."""
        numbers = seen.numbers
        totals = numbers[:, [USER, SYSTEM, MAJOR, MINOR, BLOCKED]]
        before: list[list[int]] = []
        moved: list[tuple[int, int]] = []
        # Plain lists: a NumPy row a process would cost more than reading its file.
        for pid, start, now, text in zip(
            seen.pids, numbers[:, START].tolist(), totals.tolist(), seen.texts, strict=True
        ):
            known = self._known.get(pid)
            if known is None or known.start != start:
                before.append([0] * len(now) if self._is_new(start) else now)
                known = self._known[pid] = _Known(start, now)
            else:
                before.append(known.totals)
                known.totals = now
            moved.append(self._moved(pid, known, text))
        used = np.maximum(totals - np.array(before, dtype=np.int64), 0)
        io = np.array(moved, dtype=np.int64)
        return np.stack(
            [
                used[:, 0], used[:, 1], numbers[:, RSS], io[:, 0], io[:, 1], used[:, 2], used[:, 3], used[:, 4],
                numbers[:, THREADS],
            ],
            axis=1,
        )  # fmt: skip

    def _is_new(self, start: int) -> bool:
        """Whether it began after the last reading, so that all it ever used is of this interval."""
        return self._last_s is not None and start / self._ticks_per_s >= self._last_s - 1 / self._ticks_per_s

    def _moved(self, pid: int, known: _Known, text: bytes) -> tuple[int, int]:
        """Bytes read from and written to storage since it was last asked."""
        turn = (self._readings + pid) % IO_TURN_TICKS == 0
        if known.io_closed or (text == known.text and not turn):
            return 0, 0
        known.text = text
        io = self._io(pid)
        if io is None:
            known.io_closed = True
            return 0, 0
        before = known.io if known.io is not None else ((0, 0) if self._is_new(known.start) else io)
        known.io = io
        return max(io[0] - before[0], 0), max(io[1] - before[1], 0)

    def _io(self, pid: int) -> tuple[int, int] | None:
        try:
            lines = self._text(f"{pid}/io").split()
            return int(lines[lines.index(b"read_bytes:") + 1]), int(lines[lines.index(b"write_bytes:") + 1])
        except PermissionError:
            if self._io_readable:
                log.info("I/O of other users' processes may not be read", pid=pid)
                self._io_readable = False
            return None
        except (OSError, ValueError):
            return None

    def _text(self, path: str) -> bytes:
        descriptor = os.open(f"{self._proc}/{path}", os.O_RDONLY | os.O_CLOEXEC)
        try:
            return os.pread(descriptor, 2 * STAT_BYTES, 0)
        finally:
            os.close(descriptor)

    # Slots

    def _assign(self, seen: _Seen, chosen: list[int]) -> None:
        rows = {pid: row for row, pid in enumerate(seen.pids)}
        for slot in self._slots:
            row = rows.get(slot.pid)
            if row is None or int(seen.numbers[row, START]) != slot.start:
                slot.pid = slot.start = 0
                slot.wanted_at = -1
        held = {slot.pid: slot for slot in self._slots if slot.pid}
        for row in chosen:
            if seen.pids[row] in held:
                held[seen.pids[row]].wanted_at = self._readings
        for row in chosen:
            if seen.pids[row] not in held:
                # The one that has been among the heaviest least recently gives way.
                slot = min(self._slots, key=lambda one: one.wanted_at)
                slot.pid, slot.start = seen.pids[row], int(seen.numbers[row, START])
                slot.wanted_at = self._readings
        for slot in self._slots:
            if slot.pid:
                self._tell(slot, seen, rows[slot.pid])

    def _tell(self, slot: _Slot, seen: _Seen, row: int) -> None:
        key = (slot.pid, slot.start)
        if self._told.get(key) == seen.names[row]:
            return
        if len(self._told) > 4 * MOST_PROCESSES:
            self._told.clear()
        self._told[key] = seen.names[row]
        self._new.append(
            Identity(
                pid=slot.pid,
                start=slot.start,
                name=_plain(seen.names[row]),
                user=self._user(slot.pid),
                group=self._group(slot.pid),
                parent=int(seen.numbers[row, PARENT]),
                arguments=self._arguments_of(slot.pid) if self.arguments else None,
            )
        )

    def _user(self, pid: int) -> str:
        try:
            number = os.stat(f"{self._proc}/{pid}").st_uid
        except OSError:
            return ""
        with contextlib.suppress(KeyError):
            return pwd.getpwuid(number).pw_name
        return str(number)

    def _group(self, pid: int) -> str:
        try:
            lines = self._text(f"{pid}/cgroup").splitlines()
        except OSError:
            return ""
        paths = [line.split(b":", 2)[2] for line in lines if line.count(b":") >= 2]
        # With version 1 each controller has a path; the longest says most.
        return _plain(max(paths, key=len, default=b""))

    def _arguments_of(self, pid: int) -> str | None:
        try:
            return _plain(self._text(f"{pid}/cmdline").replace(b"\0", b" ").strip())
        except OSError:
            return None

    def _values(self, seen: _Seen, amounts: IntArray) -> IntArray:
        counts = (seen.states[:, None] == STATE_CODES[None, :]).sum(axis=0)
        counts[STATES.index("T")] += len(seen.pids) - counts.sum()
        rows = {pid: row for row, pid in enumerate(seen.pids)}
        slots = np.zeros((SLOTS, len(PLACES) + len(AMOUNTS)), dtype=np.int64)
        taken = [(number, slot, rows[slot.pid]) for number, slot in enumerate(self._slots) if slot.pid]
        numbers, at = [number for number, _, _ in taken], [row for _, _, row in taken]
        slots[numbers, 0] = [slot.pid for _, slot, _ in taken]
        slots[numbers, 1] = [slot.start for _, slot, _ in taken]
        slots[numbers, 2] = seen.states[at]
        slots[numbers, 3] = seen.numbers[at, CORE]
        slots[numbers, len(PLACES) :] = amounts[at]
        return np.concatenate([amounts.sum(axis=0), counts, slots.ravel()])


def _heaviest(amounts: IntArray, states: IntArray) -> list[int]:
    """Rows of the heaviest by processor, memory, I/O and blocked time; those that used nothing are none of them."""
    blocked = amounts[:, 7] * 2 + (states == ord("D"))
    ways = (amounts[:, 0] + amounts[:, 1], amounts[:, 2], amounts[:, 3] + amounts[:, 4], blocked)
    chosen = dict.fromkeys(row for weights in ways for row in _top(weights))
    return list(chosen)


def _top(weights: IntArray) -> Iterator[int]:
    most = min(EACH, len(weights))
    for row in np.argpartition(weights, -most)[-most:].tolist():
        if weights[row] > 0:
            yield row


def _plain(raw: bytes) -> str:
    """As text that can be shown and kept: control characters are replaced, and its length has a limit."""
    text = raw.decode("utf-8", "replace")[:200]
    return "".join(letter if letter.isprintable() else "\N{REPLACEMENT CHARACTER}" for letter in text)
