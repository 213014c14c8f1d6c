"""Measures as OpenMetrics text with times (OpenMetrics 1.0, "Text format"), and what that makes of names."""

import json
import math
import re
from collections.abc import Iterable, Iterator
from io import SEEK_END
from itertools import groupby, islice
from tempfile import TemporaryFile
from typing import BinaryIO

import numpy as np

from reditus.core.types import NS_PER_MS, NS_PER_S
from reditus.exchange.tables.table import Head, Piece, Table

SAMPLES_AT_ONCE = 4_096
WORD = 8
_NOT_IN_NAMES = re.compile(r"[^a-zA-Z0-9_]")
_UNITS = {
    "bytes": "bytes", "bytes/s": "bytes_per_second", "1/s": "per_second", "s": "seconds", "share": "ratio",
    "cores": "cores", "tasks": "tasks", "°C": "celsius", "1/min": "per_minute", "W": "watts", "Hz": "hertz",
    "bits/s": "bits_per_second",
}  # fmt: skip


def family_of(head: Head) -> str:
    """The name of a measure's metric family: with its unit at the end, as the format wants it.

    >>> family_of(Head("disk.read.rate@sda", "disk.read.rate", "sda", "", "bytes/s"))
    'reditus_disk_read_rate_bytes_per_second'
    """
    name = "reditus_" + _NOT_IN_NAMES.sub("_", head.measure)
    unit = _UNITS.get(head.unit)
    return name if unit is None or name.endswith(f"_{unit}") else f"{name}_{unit}"


def labels_of(head: Head, host: str) -> str:
    """Host and device, escaped."""
    device = "" if head.device is None else f",device={_quoted(head.device)}"
    return f"{{host={_quoted(host)}{device}}}"


def _quoted(text: str) -> str:
    escaped = text.replace("\\", "\\\\").replace('"', '\\"').replace("\n", "\\n")
    return f'"{escaped}"'


def described(head: Head) -> str:
    """The lines that stand before a family's samples."""
    family = family_of(head)
    unit = _UNITS.get(head.unit)
    said = "" if unit is None else f"# UNIT {family} {unit}\n"
    help_text = json.dumps(head.title, ensure_ascii=False)[1:-1]
    return f"# TYPE {family} gauge\n{said}# HELP {family} {help_text}\n"


def spell_value(value: float) -> str:
    """A number as the format has it."""
    if math.isinf(value):
        return "+Inf" if value > 0 else "-Inf"
    return repr(value)


def spell_time_s(at_ns: int) -> str:
    """Seconds since the epoch, to the millisecond.

    >>> spell_time_s(1_794_474_000_250_999_999)
    '1794474000.250'
    """
    return f"{at_ns // NS_PER_S}.{at_ns % NS_PER_S // NS_PER_MS:03d}"


def write_samples(table: Table) -> Iterator[bytes]:
    """All samples of a family together, as the format wants it: until the last piece is there they lie in a file."""
    with TemporaryFile() as held:
        pieces = [_put_down(held, piece) for piece in table.pieces]
        yield from _batched(_lines(table, held, pieces))
    yield b"# EOF\n"


def _put_down(held: BinaryIO, piece: Piece) -> tuple[int, int]:
    """Where it begins, and how many ticks it has: the times and then each column, 8 bytes a value."""
    start, ticks = held.seek(0, SEEK_END), len(piece.times_ns)
    held.write(np.ascontiguousarray(piece.times_ns, dtype=np.int64).tobytes())
    for column in piece.columns:
        held.write(np.ascontiguousarray(column, dtype=np.float64).tobytes())
    return start, ticks


def _taken_up(held: BinaryIO, start: int, ticks: int, place: int) -> bytes:
    held.seek(start + place * ticks * WORD)
    return held.read(ticks * WORD)


def _lines(table: Table, held: BinaryIO, pieces: list[tuple[int, int]]) -> Iterator[str]:
    heads = sorted(enumerate(table.heads, 1), key=lambda pair: family_of(pair[1]))
    for _, family in groupby(heads, key=lambda pair: family_of(pair[1])):
        for number, (place, head) in enumerate(family):
            if number == 0:
                yield described(head)
            name = f"{family_of(head)}{labels_of(head, table.host)}"
            for start, ticks in pieces:
                times_ns = np.frombuffer(_taken_up(held, start, ticks, 0), dtype=np.int64)
                values = np.frombuffer(_taken_up(held, start, ticks, place), dtype=np.float64)
                for at_ns, value in zip(times_ns.tolist(), values.tolist(), strict=True):
                    if not math.isnan(value):
                        yield f"{name} {spell_value(value)} {spell_time_s(at_ns)}\n"


def _batched(lines: Iterator[str]) -> Iterator[bytes]:
    while some := list(islice(lines, SAMPLES_AT_ONCE)):
        yield "".join(some).encode()


def newest_text(values: Iterable[tuple[str, Head, float, int]]) -> str:
    """One sample of each series: host, measure, value and time. Those of a family stand together."""
    ordered = sorted(values, key=lambda item: (family_of(item[1]), item[0], item[1].device or ""))
    out: list[str] = []
    for _, family in groupby(ordered, key=lambda item: family_of(item[1])):
        for number, (host, head, value, at_ns) in enumerate(family):
            if number == 0:
                out.append(described(head))
            out.append(f"{family_of(head)}{labels_of(head, host)} {spell_value(value)} {spell_time_s(at_ns)}\n")
    return "".join([*out, "# EOF\n"])
