"""One table of formats: what each is called, what it carries and loses, and which way it goes. It serves the command
line, the API, the page and the docs; what reads and writes them stands in `exchange.tables.writers` and
`exchange.incoming.readers`.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from enum import Enum


class Writes(Enum):
    """What is written in a format."""

    MEASURES = "measures"
    """Chosen measures over a window."""
    ARCHIVE = "archive"
    """Raw counters, whole or of a window."""


@dataclass(frozen=True, slots=True)
class Format:
    """A format that goes out, comes in, or both."""

    name: str
    title: str
    extensions: tuple[str, ...]
    """The first is what is written."""
    media_type: str
    carries: str
    loses: str
    writes: Writes | None
    reads: bool

    @property
    def extension(self) -> str:
        """What files in this format are written with."""
        return self.extensions[0]


_MEASURES, _ARCHIVE = Writes.MEASURES, Writes.ARCHIVE
FORMATS: Mapping[str, Format] = {
    each.name: each
    for each in (
        Format(
            "archive", "Archive file", (".archive.zip",), "application/vnd.reditus.archive+zip",
            "everything of an archive, to the bit: counters, processes, markers, facts, names of devices",
            "nothing", _ARCHIVE, reads=True,
        ),
        Format(
            "archive-parquet", "Archive file in Parquet", (".parquet.zip",), "application/vnd.reditus.archive+zip",
            "the same, with counters as Parquet that others read too", "nothing", _ARCHIVE, reads=True,
        ),
        Format(
            "csv", "CSV, wide (RFC 4180)", (".csv", ".tsv", ".txt"), "text/csv; charset=utf-8; header=present",
            "a row a tick, names and units in the first two rows",
            "titles; which device a name is of, but by its @; read: whatever the mapping leaves out",
            _MEASURES, reads=True,
        ),
        Format(
            "csv-long", "CSV, long (RFC 4180)", (".long.csv",), "text/csv; charset=utf-8; header=present",
            "a row a value, with measure, device and unit", "titles; that a value is unknown", _MEASURES, reads=True,
        ),
        Format(
            "jsonl", "JSON lines", (".jsonl", ".ndjson"), "application/jsonl",
            "an object a tick", "titles and units", _MEASURES, reads=True,
        ),
        Format(
            "arrow", "Arrow IPC stream", (".arrows",), "application/vnd.apache.arrow.stream",
            "everything, measures as doubles", "nothing; read: what is no number", _MEASURES, reads=True,
        ),
        Format(
            "parquet", "Parquet", (".parquet",), "application/vnd.apache.parquet",
            "everything, measures as doubles", "nothing; read: what is no number", _MEASURES, reads=True,
        ),
        Format(
            "openmetrics", "OpenMetrics text", (".om", ".openmetrics"),
            "application/openmetrics-text; version=1.0.0; charset=utf-8",
            "a sample a value, with its time to the millisecond", "that a value is unknown; nanoseconds",
            _MEASURES, reads=True,
        ),
        Format(
            "capture", "Field capture", (".capture", ".capture.gz"), "application/vnd.reditus.capture",
            "the kernel's own files as text, tick by tick (docs/field-captures.md)", "what the files do not say",
            None, reads=True,
        ),
    )
}  # fmt: skip
"""By name."""


PACKED_ENDINGS = (".gz", ".zst")
"""Of files that are read: whatever is text may be packed."""
_OWN_PACKED = tuple(
    ending for each in FORMATS.values() for ending in each.extensions if ending.endswith(PACKED_ENDINGS)
)


def by_ending(name: str, *, reads: bool = False) -> Format | None:
    """The format of a file by the ending of its name, the longest first; of those that are read, or written."""
    lower = name.lower()
    if reads and lower.endswith(PACKED_ENDINGS) and not lower.endswith(_OWN_PACKED):
        lower = lower.rsplit(".", 1)[0]
    fitting = [
        (len(ending), each)
        for each in FORMATS.values()
        if (each.reads if reads else each.writes is not None)
        for ending in each.extensions
        if lower.endswith(ending)
    ]
    return max(fitting, key=lambda pair: pair[0])[1] if fitting else None


def endings(*, reads: bool = False) -> list[str]:
    """Of the files that are read, or written."""
    chosen = [each for each in FORMATS.values() if (each.reads if reads else each.writes is not None)]
    return [ending for each in chosen for ending in each.extensions]


def formats_page() -> str:
    """Markdown: the table, for docs/formats.md."""
    rows = [
        f"| {each.title} | {' '.join(f'`{ending}`' for ending in each.extensions)} | `{each.media_type}` | "
        f"{_ways(each)} | {each.carries} | {each.loses} |\n"
        for each in FORMATS.values()
    ]
    return (
        "# Formats\n\nWhat goes out and comes in, and what each format carries and loses. Written from the code by "
        "`scripts/pages`; `GET /api/formats` and the page *Files* list the same. How to use them: "
        "[files.md](files.md). Whatever comes in, but archive files, may be packed in gzip or zstd (`.gz`, `.zst`).\n\n"
        "| format | endings | media type | goes | carries | loses |\n|---|---|---|---|---|---|\n" + "".join(rows)
    )


def _ways(each: Format) -> str:
    out = {None: [], _ARCHIVE: ["archives out"], _MEASURES: ["measures out"]}[each.writes]
    return ", ".join([*out, *(["in"] if each.reads else [])])
