"""The rows of a delimited text, some megabytes at a time: memory does not grow with the file."""

import csv
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from io import StringIO
from itertools import islice
from pathlib import Path

import pyarrow as pa
import pyarrow.csv as pc

from reditus.exchange.incoming.mapping import MOST_COLUMNS, MappingError, TableMapping

SAMPLE_BYTES = 4 << 20
SAMPLE_ROWS = 200
TEXT_BYTES = 256 << 10
MOST_LINE = 64 << 10
BLOCK_BYTES, WIDE_BLOCK_BYTES = 1 << 20, 8 << 20
"""Read at a time; some thirty of them are read ahead. A row has to fit: 10,000 columns of 400 letters do in the larger,
which is taken for tables with many columns.
"""
MANY_COLUMNS = 500
ENCODINGS = {"utf-8": "utf8", "latin-1": "latin1", "utf-16": "utf16"}
DELIMITERS = (",", ";", "\t", "|")


@dataclass(frozen=True, slots=True)
class Sample:
    """The beginning of a file, as text."""

    rows: list[list[str]]
    delimiter: str
    encoding: str


@dataclass(slots=True)
class Ragged:
    """Rows that do not have as many cells as the others, and are left out."""

    count: int = 0
    first: int | None = None
    """The first of them, counted from 1."""


def sample_of(path: Path, delimiter: str | None = None, encoding: str | None = None) -> Sample:
    """The first rows of a file. Raise MappingError for what is no text."""
    with path.open("rb") as file:
        data = file.read(SAMPLE_BYTES)
    whole = len(data) < SAMPLE_BYTES
    encoding = encoding or _encoding(data)
    try:
        text = data.decode(encoding, errors="strict" if whole else "ignore").removeprefix("\ufeff")
    except UnicodeDecodeError as why:
        raise MappingError(f"the file is no text in {encoding}: byte {why.start} does not fit") from why
    if "\0" in text:
        raise MappingError("the file is no text: it holds the character U+0000")
    # A row that was cut off would have too few cells.
    if not whole:
        text = text[: text.rfind("\n") + 1]
    delimiter = delimiter or _delimiter(text)
    try:
        rows = list(islice(csv.reader(StringIO(text, newline=""), delimiter=delimiter), SAMPLE_ROWS))
    except csv.Error as why:
        raise MappingError(f"the file cannot be read as rows of cells: {why}") from why
    if not any(rows):
        raise MappingError("the file is empty" if not data else "no row of it fits into the first megabytes")
    if max(map(len, rows)) > MOST_COLUMNS:
        raise MappingError(f"a row has {max(map(len, rows)):,} cells; at most {MOST_COLUMNS:,} are taken")
    return Sample(rows, delimiter, encoding)


def usual_width(rows: Sequence[Sequence[str]]) -> int:
    """How many cells most rows have; 0 where there are none."""
    counts = [len(row) for row in rows if row]
    return max(set(counts), key=lambda count: (counts.count(count), count)) if counts else 0


def text_of(path: Path) -> str:
    """The beginning of a text, in whole lines."""
    with path.open("rb") as file:
        data = file.read(TEXT_BYTES)
    text = data.decode(_encoding(data), errors="replace").removeprefix("\ufeff")
    return text if len(data) < TEXT_BYTES else text[: text.rfind("\n") + 1]


def lines_of(path: Path) -> Iterator[str]:
    """The lines of a text, one by one. Raise MappingError for one that is too long to be any."""
    with path.open("rb") as file:
        encoding = _encoding(file.read(TEXT_BYTES))
    with path.open(encoding=encoding, errors="replace") as text:
        while line := text.readline(MOST_LINE):
            if len(line) == MOST_LINE:
                raise MappingError(f"a line has over {MOST_LINE:,} letters")
            yield line


def _encoding(data: bytes) -> str:
    if data.startswith((b"\xff\xfe", b"\xfe\xff")):
        return "utf-16"
    try:
        data[: len(data) - 3].decode()
    except UnicodeDecodeError as why:
        # The end may be in the middle of a letter.
        return "utf-8" if why.start > len(data) - 8 else "latin-1"
    return "utf-8"


def _delimiter(text: str) -> str:
    """The one that cuts most of the first lines into the same number of cells, and into more than one."""
    lines = [line for line in text.splitlines()[:50] if line.strip()]
    best, most = ",", (0, 0)
    for delimiter in DELIMITERS:
        counts = [len(row) for row in csv.reader(lines, delimiter=delimiter)]
        usual = max(set(counts), key=counts.count)
        score = counts.count(usual) if usual > 1 else 0, usual
        if score > most:
            best, most = delimiter, score
    return best


def chunks_of(
    path: Path, mapping: TableMapping, width: int, wanted: set[int], ragged: Ragged, *, broken: bool
) -> Iterator[pa.RecordBatch]:
    """The data rows as columns of text, only those that are wanted, named by their places. `broken`: lines may be
    broken within a cell. Raise MappingError.
    """
    names = [str(place) for place in range(width)]

    def left_out(row: pc.InvalidRow) -> str:
        ragged.count += 1
        if ragged.first is None:
            ragged.first = row.number
        return "skip"

    try:
        reader = pc.open_csv(
            path,
            read_options=pc.ReadOptions(
                block_size=BLOCK_BYTES if width < MANY_COLUMNS else WIDE_BLOCK_BYTES, column_names=names,
                skip_rows=mapping.first_row, encoding=ENCODINGS[mapping.encoding], use_threads=False,
            ),
            parse_options=pc.ParseOptions(
                delimiter=mapping.delimiter, newlines_in_values=broken, invalid_row_handler=left_out
            ),
            convert_options=pc.ConvertOptions(
                column_types={name: pa.string() for name in names}, strings_can_be_null=False, check_utf8=True,
                include_columns=[str(place) for place in sorted(wanted)],
            ),
        )  # fmt: skip
        with reader:
            yield from reader
    except (pa.ArrowInvalid, pa.ArrowKeyError) as why:
        raise MappingError(f"the file cannot be read as rows of cells: {str(why)[:300]}") from why
