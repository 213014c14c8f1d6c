"""Counters of one schema as a Parquet file by itself, taken out of an archive file in Parquet."""

import json
from collections.abc import Iterator
from pathlib import Path
from uuid import UUID

import pyarrow as pa
import pyarrow.parquet as pq
from pydantic import BaseModel, ValidationError

from reditus.core.blocks import Block
from reditus.core.facts import HostFacts
from reditus.exchange.archive_file.columns import ABOUT_KEY, MOST_ABOUT_BYTES, SCHEMA_KEY, blocks_in, schema_in
from reditus.exchange.archive_file.manifest import ArchiveEntry, ArchiveFileError, HostEntry
from reditus.exchange.checked_zip import what_is_wrong
from reditus.store.archives.transfer import ArchiveHead


class About(BaseModel):
    """Whose counters they are."""

    host: HostEntry
    archive: ArchiveEntry


def is_ours(path: Path) -> bool:
    """Whether a Parquet file holds counters of Reditus."""
    try:
        return SCHEMA_KEY in (pq.read_schema(path).metadata or {})
    except (pa.ArrowException, OSError):
        return False


def read_lone(path: Path) -> tuple[ArchiveHead, Iterator[Block]]:
    """Whose it is, and its blocks. Raise ArchiveFileError."""
    with pq.ParquetFile(path) as file:
        schema = schema_in(file)
        given = (file.schema_arrow.metadata or {}).get(ABOUT_KEY)
    if given is None or len(given) > MOST_ABOUT_BYTES:
        raise ArchiveFileError("the Parquet file does not say whose counters it has: 'reditus.archive' is missing")
    try:
        about = About.model_validate(json.loads(given))
    except (ValueError, ValidationError) as why:
        raise ArchiveFileError(f"its 'reditus.archive' is not as it should be: {what_is_wrong(why)}") from why
    archive = about.archive
    head = ArchiveHead(
        about.host.id, about.host.name, archive.id, archive.name, archive.source, archive.notes, archive.created_ns,
        [(0, HostFacts())], [schema],
    )  # fmt: skip
    return head, _blocks(path, archive.id)


def _blocks(path: Path, archive: UUID) -> Iterator[Block]:
    try:
        with pq.ParquetFile(path) as file:
            yield from blocks_in(file, schema_in(file), archive)
    except (pa.ArrowException, OSError) as why:
        raise ArchiveFileError(f"the file cannot be read as Parquet: {str(why)[:200]}") from why
