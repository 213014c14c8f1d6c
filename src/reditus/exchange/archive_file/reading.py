"""An archive file read: every part and every block checked before anything is kept."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from io import BytesIO
from pathlib import Path
from zipfile import ZipFile, ZipInfo

import pyarrow as pa
import pyarrow.parquet as pq
from pydantic import ValidationError

from reditus.core.batches import Batch, read_batch
from reditus.core.blocks import Block
from reditus.core.errors import BlockError, SchemaError
from reditus.core.facts import FactsError, HostFacts
from reditus.core.rfc3339 import EARLIEST_NS
from reditus.core.schema import Schema
from reditus.exchange.archive_file.columns import blocks_in, schema_in
from reditus.exchange.archive_file.manifest import KIND, PARQUET, ArchiveFileError, Manifest, PartEntry
from reditus.exchange.checked_zip import check_parts, entries_of, manifest_in, opened_zip, read_part, what_is_wrong
from reditus.store.archives.transfer import ArchiveHead

LATEST_NS = 1 << 63
BATCH_BLOCKS = 64


@dataclass(frozen=True, slots=True)
class ArchiveFile:
    """An archive file whose every part was found as its manifest says."""

    path: Path
    manifest: Manifest
    head: ArchiveHead
    ticks: int

    def batches(self, check: Callable[[int], None] = lambda _: None) -> Iterator[Batch]:
        """What to keep, some blocks at a time. `check` is called with the ticks so far, and may raise. Raise
        ArchiveFileError where the file has changed since it was opened.
        """
        done = 0
        with opened_zip(self.path, KIND) as files:
            entries = entries_of(files, KIND)
            for part in self.manifest.parts:
                for batch in _batches(files, entries[part.name], part, self.head):
                    yield batch
                    done += sum(block.ticks for block in batch.blocks)
                    check(done)


def whose(path: Path) -> ArchiveHead:
    """What the manifest of a file says, without a look at its parts. Raise ArchiveFileError."""
    with opened_zip(path, KIND) as files:
        return _head(_manifest(files, entries_of(files, KIND)))


def open_archive(path: Path, check: Callable[[int], None] = lambda _: None) -> ArchiveFile:
    """Check a file from its first byte to its last, decoding every block; nothing is kept. `check` is called with the
    ticks so far, and may raise to end the work.

    Raise ArchiveFileError for what is no archive file, what is damaged, and what a later version wrote.
    """
    with opened_zip(path, KIND) as files:
        entries = entries_of(files, KIND)
        manifest = _manifest(files, entries)
        check_parts(entries, list(manifest.parts), KIND)
        head = _head(manifest)
        ticks = 0
        for part in manifest.parts:
            for batch in _batches(files, entries[part.name], part, head):
                _check_batch(batch, part.name)
                ticks += sum(block.ticks for block in batch.blocks)
                check(ticks)
        if ticks != manifest.ticks:
            raise ArchiveFileError(f"the file holds {ticks:,} ticks where its manifest says {manifest.ticks:,}")
        return ArchiveFile(path, manifest, head, ticks)


def _manifest(files: ZipFile, entries: dict[str, ZipInfo]) -> Manifest:
    given = manifest_in(files, entries, KIND)
    try:
        return Manifest.model_validate(given)
    except (ValidationError, RecursionError) as why:
        raise ArchiveFileError(f"the manifest is not as it should be: {what_is_wrong(why)}") from why


def _head(manifest: Manifest) -> ArchiveHead:
    try:
        return ArchiveHead(
            manifest.host.id, manifest.host.name, manifest.archive.id, manifest.archive.name, manifest.archive.source,
            manifest.archive.notes, manifest.archive.created_ns,
            [(item.since_ns, HostFacts.from_json(item.facts)) for item in manifest.facts],
            [Schema.from_json(given) for given in manifest.schemas],
            manifest.device_names, manifest.archive.protected,
        )  # fmt: skip
    except (SchemaError, FactsError) as why:
        raise ArchiveFileError(f"the manifest is not as it should be: {why}") from why


def _batches(files: ZipFile, entry: ZipInfo, part: PartEntry, head: ArchiveHead) -> Iterator[Batch]:
    data = read_part(files, entry, part, KIND)
    if part.media_type == PARQUET:
        for blocks in _some(_parquet_blocks(data, part.name, head)):
            yield Batch(blocks, [], [])
        return
    try:
        batch = read_batch(data)
    except BlockError as why:
        raise ArchiveFileError(f"the part {part.name!r} is not as it should be: {why}") from why
    widths = {schema.digest: len(schema.columns) for schema in head.schemas}
    for block in batch.blocks:
        if block.archive != head.archive or widths.get(block.schema) != block.columns:
            raise ArchiveFileError(
                f"the part {part.name!r} has a block of another archive, or with other columns than its schema"
            )
    owners = [item.archive for item in batch.identities] + [item.archive for item in batch.markers]
    if any(owner != head.archive for owner in owners):
        raise ArchiveFileError(f"the part {part.name!r} speaks of another archive")
    yield Batch([], batch.identities, batch.markers)
    for blocks in _some(iter(batch.blocks)):
        yield Batch(blocks, [], [])


def _some(blocks: Iterator[Block]) -> Iterator[list[Block]]:
    held: list[Block] = []
    for block in blocks:
        held.append(block)
        if len(held) == BATCH_BLOCKS:
            yield held
            held = []
    if held:
        yield held


def _parquet_blocks(data: bytes, name: str, head: ArchiveHead) -> Iterator[Block]:
    try:
        with pq.ParquetFile(BytesIO(data)) as file:
            schema = schema_in(file)
            if schema.digest not in {known.digest for known in head.schemas}:
                raise ArchiveFileError(f"the part {name!r} has columns that the manifest does not describe")
            yield from blocks_in(file, schema, head.archive)
    except (pa.ArrowException, OSError, ValueError) as why:
        if isinstance(why, ArchiveFileError):
            raise
        raise ArchiveFileError(f"the part {name!r} cannot be read as Parquet: {str(why)[:200]}") from why


def _check_batch(batch: Batch, name: str) -> None:
    """Whatever a server would refuse of a recorder is refused of a file."""
    try:
        for block in batch.blocks:
            if not EARLIEST_NS <= block.first_ns <= block.last_ns < LATEST_NS:
                raise BlockError("a block's times are no times that were recorded")
            block.check()
    except BlockError as why:
        raise ArchiveFileError(f"the part {name!r} is not as it should be: {why}") from why
