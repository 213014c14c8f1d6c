"""Field captures: raw kernel text written where nothing may be installed, read by the recorder's own parsers.

The format is ours: UTF-8 text, plain or in gzip or zstd. An optional first line `# field capture 1 host=NAME`. For each
file that was read, a line `@ EPOCH_NANOSECONDS PATH` and then the file's bytes as they are; or, if it could not be
read, one line `@ EPOCH_NANOSECONDS PATH !REASON`. Each file has a time of its own, and its rates use that time.

Captures come from machines in trouble: cut off, joined, or written by two scripts at once. What is good is kept, what
is not is reported by line, and nothing raises but a file that is no capture at all.
"""

import hashlib
import re
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from itertools import pairwise
from pathlib import Path
from typing import BinaryIO
from uuid import UUID, uuid5

import numpy as np

from reditus.core.blocks import MAX_INTERVAL_NS, MIN_INTERVAL_NS
from reditus.core.facts import HostFacts
from reditus.core.frame import BlockSlice
from reditus.core.identities import Identity
from reditus.core.schema import Column
from reditus.core.types import NS_PER_S, IntArray
from reditus.exchange.errors import CaptureError
from reditus.exchange.field_clocks import UPTIME, paced, steady_ns, uptime_ns, usual_distance_ns
from reditus.exchange.field_processes import PATH, ProcessText, process_pieces
from reditus.exchange.packed import ERRORS, MOST_RATIO, most_bytes, opened
from reditus.exchange.recording import Recording
from reditus.recorder.kernel_text import KernelText
from reditus.recorder.sources import SOURCES, Source
from reditus.recorder.sources.source import headed

NAMESPACE = UUID("2b2f5a7e-6d0e-4c8d-93a7-7b6a1a9de1f4")
MAX_SECTION_BYTES = 4 << 20
"""Of one reading of one file: /proc/interrupts of 256 cores has not half of it."""
MOST_LEARNED_BYTES = 64 << 20
"""A file whose form changes from reading to reading is read line by line each time; so much of that, of one path."""
MAX_REMARKS = 200
EARLIEST_NS = 631_152_000 * NS_PER_S  # 1990
LATEST_NS = 7_258_118_400 * NS_PER_S  # 2200
BTIME_JITTER_S = 5
"""The kernel computes the boot time from the wall clock: small corrections of that clock are no restart."""

_TITLE = re.compile(rb"^# field capture (?P<version>\d+)(?: host=(?P<host>\S+))?\s*$")
_HEAD = re.compile(rb"^@ (?P<at>\d{1,20}) (?P<path>/\S*)(?: !(?P<reason>.*))?$")
_BTIME = re.compile(rb"^btime (\d{1,12})$", re.MULTILINE)


@dataclass(frozen=True, slots=True)
class Remark:
    """Something in the file that could not be used, or had to be put right."""

    line: int
    text: str


@dataclass(frozen=True)
class FieldCapture:
    """A capture as read, with what was wrong with it."""

    recording: Recording
    remarks: list[Remark]
    more_remarks: int
    """How many more there were than are kept."""


@dataclass(slots=True)
class _Section:
    """One file, read once."""

    path: str
    at_ns: int
    line: int
    text: bytes


@dataclass(slots=True)
class _Notes:
    remarks: list[Remark] = field(default_factory=list)
    more: int = 0

    def add(self, line: int, text: str) -> None:
        if len(self.remarks) < MAX_REMARKS:
            self.remarks.append(Remark(line, text))
        else:
            self.more += 1


def read_capture(path: Path, *, name: str | None = None) -> FieldCapture:
    """Read a field capture. Raise CaptureError where there is nothing to use, and OSError where there is no file."""
    notes = _Notes()
    digest = hashlib.sha256()
    with path.open("rb") as raw:
        for part in iter(lambda: raw.read(1 << 20), b""):
            digest.update(part)
    host_name = path.name.split(".")[0]
    sections: dict[str, list[_Section]] = {}
    with opened(path) as stream:
        for section in _sections(stream, notes, most_bytes(path)):
            if isinstance(section, str):
                host_name = section
            else:
                sections.setdefault(section.path, []).append(section)
    pieces = _pieces(sections, notes)
    processes, identities = _processes(sections, pieces)
    if not pieces:
        known = ", ".join(source.path for source in SOURCES[:3])
        raise CaptureError(
            f"{path.name} holds no kernel text that Reditus knows. A field capture has a line '@ EPOCH_NANOSECONDS "
            f"PATH' before each file's text, for paths such as {known}; `reditus field-script` writes one"
        )
    host = uuid5(NAMESPACE, host_name)
    recording = Recording(
        host=host,
        host_name=host_name,
        archive=uuid5(host, digest.hexdigest()),
        name=name or path.name.split(".")[0],
        source="imported",
        facts=_facts(pieces),
        pieces=[*pieces, *processes],
        identities=identities,
    )
    return FieldCapture(recording, sorted(notes.remarks, key=lambda remark: remark.line), notes.more)


def _lines(stream: BinaryIO, notes: _Notes, most_bytes: int) -> Iterator[tuple[int, bytes]]:
    """Lines with their numbers. A packed file that ends too early gives what could be unpacked; so does one that
    unpacks to more than `most_bytes`.
    """
    number = size = 0
    while True:
        try:
            line = stream.readline(MAX_SECTION_BYTES)
        except ERRORS as why:
            notes.add(number + 1, f"the packed file is damaged or cut off here: {why}")
            return
        if not line:
            return
        number += 1
        size += len(line)
        if size > most_bytes:
            notes.add(number, f"the packed file unpacks to more than {MOST_RATIO} times its size; the rest is left out")
            return
        yield number, line


def _sections(stream: BinaryIO, notes: _Notes, most_bytes: int) -> Iterator[_Section | str]:
    """Each file's text as a section, and the host's name where the first line tells it."""
    current: _Section | None = None
    text: list[bytes] = []
    size = 0
    ended = True
    for number, line in _lines(stream, notes, most_bytes):
        ended = line.endswith(b"\n")
        if not line.startswith((b"@", b"# field capture")):
            if current is None:
                notes.add(number, "text before the first '@' line belongs to no file; left out")
                continue
            size += len(line)
            if size <= MAX_SECTION_BYTES:
                text.append(line)
            continue
        bare = line.rstrip(b"\r\n")
        title = _TITLE.match(bare)
        if title:
            if title["version"] != b"1":
                notes.add(number, f"version {title['version'].decode()} of the format is newer than this Reditus knows")
            if title["host"]:
                yield title["host"].decode("utf-8", "replace")
            continue
        head = _HEAD.match(bare)
        if head is None:
            notes.add(number, f"not '@ EPOCH_NANOSECONDS PATH': {bare[:60].decode('utf-8', 'replace')!r}; left out")
            # What follows may belong to anything.
            if current is not None:
                yield _closed(current, text)
            current, text, size = None, [], 0
            continue
        if current is not None:
            yield _closed(current, text)
        current, text, size = _begun(head, number, notes), [], 0
    if current is None:
        return
    if not ended:
        # The last file was being written when the capture ended: its last line may be half a number.
        notes.add(current.line, f"the file ends in the middle of {current.path}; that reading is left out")
        return
    yield _closed(current, text)


def _begun(head: re.Match[bytes], number: int, notes: _Notes) -> _Section | None:
    at_ns, path = int(head["at"]), head["path"].decode("utf-8", "replace")
    if head["reason"] is not None:
        reason = head["reason"].decode("utf-8", "replace") or "no reason given"
        notes.add(number, f"{path} could not be read there: {reason}")
        return None
    if not EARLIEST_NS <= at_ns < LATEST_NS:
        notes.add(number, f"{at_ns} is no time in nanoseconds between 1990 and 2200; that reading is left out")
        return None
    return _Section(path, at_ns, number, b"")


def _closed(section: _Section, text: list[bytes]) -> _Section:
    section.text = b"".join(text)
    return section


def _pieces(sections: dict[str, list[_Section]], notes: _Notes) -> list[BlockSlice]:
    boots = _boots(sections.get("/proc/stat", []), notes)
    uptimes = {
        reading.at_ns: at_ns for reading in sections.get(UPTIME, []) if (at_ns := uptime_ns(reading.text)) is not None
    }
    out: list[BlockSlice] = []
    for source in SOURCES:
        if source.is_set:
            readings = _ticks_of_set({path: sections[path] for path in sections if source.covers(path)}, notes)
        else:
            readings = _in_order(sections.get(source.path, []), notes)
        if readings:
            out += _group_pieces(source, readings, boots, uptimes, notes)
    return out


def _processes(
    sections: dict[str, list[_Section]], pieces: list[BlockSlice]
) -> tuple[list[BlockSlice], tuple[Identity, ...]]:
    """The processes that the script followed, with the machine's counters as their whole."""
    texts = [
        ProcessText(int(found["pid"]), found["file"], reading.at_ns, reading.text)
        for path, readings in sections.items()
        if (found := PATH.match(path))
        for reading in readings
    ]
    if not texts or not pieces:
        return [], ()
    boots = _boots(sections.get("/proc/stat", []), _Notes())
    interval_ns = _usual_ns(sorted({item.at_ns for item in texts}))
    return process_pieces(texts, pieces, boots, interval_ns)


def _ticks_of_set(files: dict[str, list[_Section]], notes: _Notes) -> list[_Section]:
    """Many files read one after another, as one text a tick: a tick ends where a path comes round again."""
    every = sorted(
        (item for readings in files.values() for item in _in_order(readings, notes)), key=lambda item: item.at_ns
    )
    ticks: list[list[_Section]] = []
    seen: set[str] = set()
    for reading in every:
        if not ticks or reading.path in seen:
            ticks.append([])
            seen = set()
        ticks[-1].append(reading)
        seen.add(reading.path)
    return [
        _Section(tick[0].path, tick[0].at_ns, tick[0].line, b"".join(headed(item.path, item.text) for item in tick))
        for tick in ticks
    ]


def _in_order(readings: list[_Section], notes: _Notes) -> list[_Section]:
    """By time, each time once."""
    ordered: list[_Section] = []
    for reading in sorted(readings, key=lambda item: item.at_ns):
        if ordered and reading.at_ns == ordered[-1].at_ns:
            notes.add(reading.line, f"{reading.path} was read twice at the same time; the second is left out")
            continue
        ordered.append(reading)
    late = sum(1 for before, after in pairwise(readings) if after.at_ns < before.at_ns)
    if late:
        notes.add(readings[0].line, f"readings of {readings[0].path} were out of order {late} times; put in order")
    return ordered


def _boots(stats: list[_Section], notes: _Notes) -> list[tuple[int, bytes]]:
    """From when on which boot, reported by the boot time in /proc/stat."""
    boots: list[tuple[int, bytes]] = []
    known = -(10**9)
    for reading in sorted(stats, key=lambda item: item.at_ns):
        found = _BTIME.search(reading.text)
        if found and abs(int(found[1]) - known) > BTIME_JITTER_S:
            if boots:
                notes.add(reading.line, "the machine was restarted before this reading")
            known = int(found[1])
            boots.append((reading.at_ns, uuid5(NAMESPACE, f"boot {known}").bytes))
    return boots or [(0, uuid5(NAMESPACE, "boot unknown").bytes)]


def _boot_at(boots: list[tuple[int, bytes]], at_ns: int) -> bytes:
    # Files of one tick are read within moments of each other, /proc/stat usually first.
    current = boots[0][1]
    for since_ns, boot in boots:
        if since_ns <= at_ns + NS_PER_S // 20:
            current = boot
    return current


@dataclass(slots=True)
class _Run:
    """Readings of one boot with the same columns."""

    boot: bytes
    columns: tuple[Column, ...]
    at_ns: list[int] = field(default_factory=list)
    values: list[IntArray] = field(default_factory=list)


def _group_pieces(
    source: Source,
    readings: list[_Section],
    boots: list[tuple[int, bytes]],
    uptimes: Mapping[int, int],
    notes: _Notes,
) -> Iterable[BlockSlice]:
    parser = KernelText(source.learn)
    runs: list[_Run] = []
    widest = learned_bytes = 0
    known: object = None
    for reading in readings:
        text = source.text_of(reading.text)
        if parser.memory is not known:
            known, learned_bytes = parser.memory, learned_bytes + len(text)
        if learned_bytes > MOST_LEARNED_BYTES:
            notes.add(reading.line, f"{reading.path} has another form at every reading; what follows of it is left out")
            break
        if source.empty is not None and text.startswith(source.empty) and text.count(b"\n") == 1:
            continue
        values = parser.parse(text) if text.strip() else np.zeros(0, dtype=np.int64)
        columns = parser.columns
        if not len(values) or len(values) != len(columns) or (len(values) * 2 < widest):
            notes.add(reading.line, f"{reading.path} is empty, cut off or not what the kernel writes; left out")
            continue
        widest = max(widest, len(values))
        boot = _boot_at(boots, reading.at_ns)
        if not runs or runs[-1].boot != boot or runs[-1].columns != columns:
            runs.append(_Run(boot, columns))
        runs[-1].at_ns.append(reading.at_ns)
        runs[-1].values.append(values)
    usual_ns = _usual_ns([reading.at_ns for reading in readings])
    for run in runs:
        at_ns = np.array(run.at_ns, dtype=np.int64)
        steady = steady_ns(at_ns, uptimes)
        values = np.stack(run.values)
        for part, interval_ns in paced(steady, usual_ns):
            yield BlockSlice(
                source.group,
                run.boot,
                interval_ns,
                at_ns[part],
                steady[part],
                {column: values[part, at] for at, column in enumerate(run.columns)},
            )


def _usual_ns(at_ns: list[int]) -> int:
    return usual_distance_ns(at_ns, MIN_INTERVAL_NS, MAX_INTERVAL_NS)


def _facts(pieces: list[BlockSlice]) -> HostFacts:
    """What the counters themselves tell of the host."""
    cores: Counter[str] = Counter()
    memory_bytes = None
    for piece in pieces:
        for column, values in piece.columns.items():
            number = column.attribute("cpu.logical_number")
            if column.counter == "system.cpu.time" and number is not None:
                cores[number] += 1
            if column.attribute("linux.memory.field") == "MemTotal":
                memory_bytes = int(np.asarray(values)[-1]) * 1024
    return HostFacts(cores=len(cores) or None, memory_bytes=memory_bytes)
