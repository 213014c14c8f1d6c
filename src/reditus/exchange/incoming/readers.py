"""Any file that comes in: recognised by what it is, not by its name, and made into an archive file.

Nothing is stored here. What is read goes into an archive file of its own first, so that a file that turns out to be
unreadable in its last line leaves nothing behind.
"""

import zipfile
import zlib
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from hashlib import sha256
from pathlib import Path
from uuid import UUID, uuid5

from pydantic import BaseModel, ConfigDict, Field

from reditus.core.blocks import Block
from reditus.core.durations import counted
from reditus.core.facts import HostFacts
from reditus.core.outside import OutsideError, strict_json
from reditus.core.schema import Schema
from reditus.exchange.archive_file.reading import ArchiveFile, open_archive
from reditus.exchange.archive_file.writing import write_archive
from reditus.exchange.bundle.manifest import FORMAT as BUNDLE
from reditus.exchange.checked_zip import MANIFEST, MOST_MANIFEST_BYTES
from reditus.exchange.field_capture import read_capture
from reditus.exchange.formats import FORMATS, by_ending
from reditus.exchange.incoming.building import BlockBuilder
from reditus.exchange.incoming.guessing import guess
from reditus.exchange.incoming.lone_parquet import is_ours, read_lone
from reditus.exchange.incoming.mapping import MappingError, TableMapping, Text
from reditus.exchange.incoming.printed import HEAD, guess_printed, printed_mapping, write_rows
from reditus.exchange.incoming.rows import Sample, sample_of, text_of
from reditus.exchange.incoming.samples import samples_table
from reditus.exchange.incoming.table import TableReading, column_of, read_table
from reditus.exchange.incoming.text_layout import TextLayout
from reditus.exchange.incoming.typed import TypedTable, arrow_table, lines_table, parquet_table
from reditus.exchange.packed import PACKED, first_bytes, is_packed, unpack, without_ending
from reditus.store.archives.transfer import ArchiveContents, ArchiveHead

OF_ELSEWHERE = UUID("6f1d4a0e-3c7b-5e52-9a53-1f1d0a7b8c11")
"""Namespace of hosts and archives that came as tables: the same file read the same way is the same archive."""
HEAD_BYTES = 64 << 10
Check = Callable[[int], None]


class ImportOptions(BaseModel):
    """How a file is to be read."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    host: Text | None = Field(default=None, description="Whose it is, where the file does not say; else its name.")
    name: Text | None = Field(default=None, description="What the archive is called, where the file does not say.")
    mapping: TableMapping | None = Field(default=None, description="For text tables; else it is guessed.")
    layout: TextLayout | None = Field(default=None, description="For text that is printed at an interval.")


@dataclass(frozen=True, slots=True)
class Incoming:
    """A file that was read, ready to be stored."""

    file: ArchiveFile
    remarks: Sequence[str]


def recognised(path: Path, name: str) -> str:
    """The name of a file's format, by its contents. Raise MappingError for what is none, and for a file whose name says
    that it is something else.
    """
    head = first_bytes(path, HEAD_BYTES)
    if is_packed(path) and head.startswith((b"PK", *PACKED)):
        raise MappingError("what is packed in this file is packed once more; unpack it once")
    found = _by_content(path, head)
    named = by_ending(name, reads=True)
    if named is not None and named.name not in _ALIKE.get(found, (found,)):
        raise MappingError(
            f"{name} is called like {named.title}, but its contents are {FORMATS[found].title}. Rename it, if that is "
            "what it is; else it was damaged on its way"
        )
    return found


_TEXT = ("csv", "csv-long")
_ALIKE = {
    "archive": ("archive", "archive-parquet"), "archive-parquet": ("archive", "archive-parquet"), "csv": _TEXT,
    "capture": ("capture", "csv", "csv-long"), "openmetrics": ("openmetrics", *_TEXT), "jsonl": ("jsonl", *_TEXT),
}  # fmt: skip
"""What a file of a format may be called like: a text may be called .txt, whatever is in it."""


_MAGIC = (
    (b"PAR1", "parquet"), (b"\xff\xff\xff\xff", "arrow"),
    (b"# field capture", "capture"), (b"@", "capture"), (b"# TYPE ", "openmetrics"), (b"# HELP ", "openmetrics"),
    (b"# UNIT ", "openmetrics"), (b"{", "jsonl"),
)  # fmt: skip
"""What files begin with, or what is packed in them."""
_UTF_16 = (b"\xff\xfe", b"\xfe\xff")


def _by_content(path: Path, head: bytes) -> str:
    if not head:
        raise MappingError("the file is empty")
    if head.startswith(b"PK"):
        return _zip(path)
    for magic, form in _MAGIC:
        if head.startswith(magic):
            return form
    if b"\0" in head and not head.startswith(_UTF_16):
        raise MappingError(f"this is no file that can be read: it begins with {head[:8].hex(' ')}; {_KNOWN}")
    return "csv"


_KNOWN = f"formats that are read are {', '.join(each.title for each in FORMATS.values() if each.reads)}"


def _zip(path: Path) -> str:
    try:
        with zipfile.ZipFile(path) as files, files.open(MANIFEST) as part:
            given = strict_json(part.read(MOST_MANIFEST_BYTES))
    except KeyError as why:
        raise MappingError(f"this is a zip without a {MANIFEST}, so none of Reditus; {_KNOWN}") from why
    except (
        zipfile.BadZipFile,
        zlib.error,
        OSError,
        OutsideError,
        RuntimeError,
        NotImplementedError,
        EOFError,
        ValueError,
    ) as why:
        raise MappingError(f"this is a damaged zip, or only a part of one ({why})") from why
    if isinstance(given, dict) and given.get("format") == BUNDLE:
        raise MappingError("this is a bundle of an investigation: open it under Investigations, or with "
                           "`reditus investigation import`")  # fmt: skip
    return "archive"


def read_incoming(path: Path, name: str, options: ImportOptions, target: Path, made: str, check: Check) -> Incoming:
    """Read a file of any format. What is no archive file already is written to `target` as one. `check` is called with
    ticks or rows so far, and may raise to end the work. Raise ExchangeError for what cannot be read.
    """
    form = recognised(path, name)
    if form == "capture":
        return _capture(path, options, target, made, check)
    if not is_packed(path):
        return _read(form, path, name, options, target, made, check)
    plain = target.with_name(f"{target.name}.plain")
    unpack(path, plain, lambda: check(0))
    try:
        return _read(form, plain, without_ending(name), options, target, made, check)
    finally:
        plain.unlink()


def _read(form: str, path: Path, name: str, options: ImportOptions, target: Path, made: str, check: Check) -> Incoming:
    if form in ("archive", "archive-parquet"):
        return Incoming(open_archive(path, check), ())
    if form == "parquet" and is_ours(path):
        return _written(target, made, check, *read_lone(path))
    if form in _TYPED:
        return _typed(_TYPED[form](path), path, name, options, target, made, check)
    return _table(path, name, options, target, made, check)


_TYPED: dict[str, Callable[[Path], TypedTable]] = {
    "parquet": parquet_table, "arrow": arrow_table, "jsonl": lines_table, "openmetrics": samples_table,
}  # fmt: skip


def _capture(path: Path, options: ImportOptions, target: Path, made: str, check: Check) -> Incoming:
    capture = read_capture(path, name=options.name)
    recording = capture.recording
    head = ArchiveHead(
        recording.host, recording.host_name, recording.archive, recording.name, "imported", "", 0,
        [(0, recording.facts)], recording.schemas(),
    )  # fmt: skip
    batches = list(recording.batches())
    identities = [item for _, item in batches if item is not None]
    contents = ArchiveContents(
        head, identities, recording.markers(), (block for blocks, _ in batches for block in blocks)
    )
    remarks = [f"line {remark.line:,}: {remark.text}" for remark in capture.remarks]
    if capture.more_remarks:
        remarks.append(f"and {capture.more_remarks:,} more")
    write_archive(target, contents, made, check=check)
    return Incoming(open_archive(target, check), remarks)


def _written(target: Path, made: str, check: Check, head: ArchiveHead, blocks: Iterable[Block]) -> Incoming:
    write_archive(target, ArchiveContents(head, [], [], iter(blocks)), made, check=check)
    return Incoming(open_archive(target, check), ())


def head_of(path: Path, name: str, options: ImportOptions) -> ArchiveHead:
    """Whose a table is: by its options, else by its name."""
    stem = name.rsplit("/", 1)[-1].split(".", 1)[0] or "table"
    host_name = options.host or stem
    digest = sha256(options.model_dump_json(exclude_defaults=True).encode())
    with path.open("rb") as file:
        while part := file.read(1 << 20):
            digest.update(part)
    host = uuid5(OF_ELSEWHERE, f"host {host_name}")
    archive = uuid5(host, digest.hexdigest())
    return ArchiveHead(host, host_name, archive, options.name or name[:120], "imported", "", 0, [(0, HostFacts())], [])


def _typed(
    table: TypedTable, path: Path, name: str, options: ImportOptions, target: Path, made: str, check: Check
) -> Incoming:
    head = head_of(path, name, options)
    builder = BlockBuilder(head.archive, head.archive, "table", [column_of(item) for item in table.columns])

    def blocks() -> Iterator[Block]:
        done = 0
        for times_ns, values in table.chunks:
            yield from builder.add(times_ns, values)
            done += len(times_ns)
            check(done)
        yield from builder.end()

    contents = ArchiveContents(replace(head, schemas=builder.schemas), [], [], iter(()))

    def known() -> Iterator[Block]:
        yield from blocks()
        contents.head = replace(contents.head, facts=[(0, builder.facts())])

    contents.blocks = known()
    write_archive(target, contents, made, check=check)
    return Incoming(open_archive(target, check), [*table.remarks, *_left(builder)])


def _left(builder: BlockBuilder) -> list[str]:
    left = builder.left
    return [
        f"{counted(count, 'row')} {why} left out"
        for count, why in ((left.backwards, "that go back in time"), (left.twice, "of a time that was there already"))
        if count
    ]


def _table(path: Path, name: str, options: ImportOptions, target: Path, made: str, check: Check) -> Incoming:
    mapping = options.mapping
    if options.layout is not None:
        return read_printed(path, head_of(path, name, options), options.layout, target, made, check)
    sample = sample_of(path, mapping.delimiter if mapping else None, mapping.encoding if mapping else None)
    doubts: list[str] = []
    if mapping is None:
        try:
            guessed = guess(sample)
        except MappingError:
            layout = guess_printed(text_of(path))
            if layout is None:
                raise
            return read_printed(path, head_of(path, name, options), layout, target, made, check)
        mapping, doubts = guessed.mapping, [f"guessed: {doubt}" for doubt in guessed.doubts]
    head = head_of(path, name, options)
    reading = TableReading(mapping, head.archive, head.archive)
    contents = ArchiveContents(head, [], [], iter(()))
    contents.blocks = _described(contents, reading, read_table(path, sample, reading, check))
    write_archive(target, contents, made)
    return Incoming(open_archive(target, check), [*doubts, *reading.remarks()])


def read_printed(path: Path, head: ArchiveHead, layout: TextLayout, target: Path, made: str, check: Check) -> Incoming:
    """Text that is printed at an interval: by its layout it becomes a table with a row a value, and is read as that."""
    rows = target.with_name(f"{target.name}.rows")
    try:
        write_rows(path, rows, layout, check)
        reading = TableReading(printed_mapping(layout), head.archive, head.archive)
        contents = ArchiveContents(head, [], [], iter(()))
        contents.blocks = _described(
            contents, reading, read_table(rows, Sample([list(HEAD)], ",", "utf-8"), reading, check)
        )
        write_archive(target, contents, made)
    finally:
        rows.unlink(missing_ok=True)
    return Incoming(open_archive(target, check), reading.remarks())


def _described(contents: ArchiveContents, reading: TableReading, blocks: Iterator[Block]) -> Iterator[Block]:
    """Blocks as they are; behind the last one the head knows what columns they had."""
    yield from blocks
    every: dict[bytes, Schema] = {schema.digest: schema for schema in reading.schemas}
    contents.head = replace(contents.head, schemas=list(every.values()), facts=[(0, reading.facts)])
