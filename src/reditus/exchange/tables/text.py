"""Tables as text: CSV after RFC 4180, wide and long, and JSON lines."""

import csv
import math
from collections.abc import Iterator
from io import StringIO
from itertools import islice

import orjson

from reditus.core.rfc3339 import spell_time
from reditus.exchange.tables.table import Piece, Table

FORMULA = ("=", "+", "-", "@", "\t", "\r")
"""What a spreadsheet takes for the beginning of a formula (OWASP, "CSV Injection")."""
TIME = "time"
ROWS_AT_ONCE = 4_096


def defused(text: str) -> str:
    """A text that no spreadsheet takes for a formula.

    >>> defused("=1+1"), defused("cpu.busy")
    ("'=1+1", 'cpu.busy')
    """
    return f"'{text}" if text.startswith(FORMULA) else text


def spelled(value: float) -> str:
    """A number with all of its digits, and nothing for what is unknown."""
    return "" if math.isnan(value) else repr(value)


def _rows(rows: Iterator[list[str]]) -> Iterator[bytes]:
    """RFC 4180: commas, quotes where they are needed, lines that end in CRLF. So many rows at a time."""
    while part := list(islice(rows, ROWS_AT_ONCE)):
        out = StringIO(newline="")
        csv.writer(out).writerows(part)
        yield out.getvalue().encode()


def write_wide(table: Table) -> Iterator[bytes]:
    """A row a tick; names in the first row, units in the second."""

    def rows() -> Iterator[list[str]]:
        yield [TIME, *(defused(head.name) for head in table.heads)]
        yield ["RFC 3339", *(defused(head.unit) for head in table.heads)]
        for piece in table.pieces:
            columns = [column.tolist() for column in piece.columns]
            for at, at_ns in enumerate(piece.times_ns.tolist()):
                yield [spell_time(at_ns), *(spelled(column[at]) for column in columns)]

    return _rows(rows())


def write_long(table: Table) -> Iterator[bytes]:
    """A row a value: time, measure, device, value, unit. What is unknown has no row."""

    def rows() -> Iterator[list[str]]:
        yield [TIME, "measure", "device", "value", "unit"]
        for piece in table.pieces:
            times = [spell_time(at_ns) for at_ns in piece.times_ns.tolist()]
            for head, column in zip(table.heads, piece.columns, strict=True):
                ends = [defused(head.measure), defused(head.device or "")]
                for at, value in enumerate(column.tolist()):
                    if not math.isnan(value):
                        yield [times[at], *ends, repr(value), defused(head.unit)]

    return _rows(rows())


def write_lines(table: Table) -> Iterator[bytes]:
    """A JSON object a tick: the time, and each measure by its name; null for what is unknown."""
    for piece in table.pieces:
        yield b"".join(_lines(table, piece))


def _lines(table: Table, piece: Piece) -> Iterator[bytes]:
    columns = [column.tolist() for column in piece.columns]
    for at, at_ns in enumerate(piece.times_ns.tolist()):
        values = {head.name: column[at] for head, column in zip(table.heads, columns, strict=True)}
        yield orjson.dumps({TIME: spell_time(at_ns)} | values, option=orjson.OPT_APPEND_NEWLINE)
