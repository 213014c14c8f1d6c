"""One table of formats: what each is called, and what it carries and loses."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass

from reditus.exchange.tables.arrow import write_parquet, write_stream
from reditus.exchange.tables.table import Table
from reditus.exchange.tables.text import write_lines, write_long, write_wide


@dataclass(frozen=True, slots=True)
class Format:
    """A format that tables of measures are written in."""

    name: str
    title: str
    extension: str
    media_type: str
    carries: str
    loses: str
    write: Callable[[Table], Iterator[bytes]]


FORMATS = {
    each.name: each
    for each in (
        Format(
            "csv", "CSV, wide (RFC 4180)", ".csv", "text/csv; charset=utf-8; header=present",
            "a row a tick, names and units in the first two rows", "titles; which device a name is of, but by its @",
            write_wide,
        ),
        Format(
            "csv-long", "CSV, long (RFC 4180)", ".long.csv", "text/csv; charset=utf-8; header=present",
            "a row a value, with measure, device and unit", "titles; that a value is unknown", write_long,
        ),
        Format(
            "jsonl", "JSON lines", ".jsonl", "application/jsonl",
            "an object a tick", "titles and units", write_lines,
        ),
        Format(
            "arrow", "Arrow IPC stream", ".arrows", "application/vnd.apache.arrow.stream",
            "everything, measures as doubles", "nothing", write_stream,
        ),
        Format(
            "parquet", "Parquet", ".parquet", "application/vnd.apache.parquet",
            "everything, measures as doubles", "nothing", write_parquet,
        ),
    )
}  # fmt: skip
"""By name."""
