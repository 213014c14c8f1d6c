"""A bundle opened: every part checked against the manifest before anything is kept."""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from hashlib import sha256
from pathlib import Path
from uuid import UUID, uuid5
from zipfile import ZipFile, ZipInfo

from pydantic import ValidationError

from reditus.core.batches import Batch, read_batch
from reditus.core.blocks import Block
from reditus.core.errors import BlockError, SchemaError, WindowError
from reditus.core.facts import FactsError, HostFacts
from reditus.core.identities import Identities
from reditus.core.outside import OutsideError, check_value, strict_json
from reditus.core.rfc3339 import EARLIEST_NS, TimeError
from reditus.core.schema import Schema
from reditus.exchange.bundle.contents import Content, checksum, frozen
from reditus.exchange.bundle.manifest import (
    FORMAT,
    MOST_BYTES,
    MOST_PART_BYTES,
    MOST_PARTS,
    VERSION,
    ArchiveEntry,
    BundleError,
    Manifest,
)
from reditus.exchange.checked_zip import (
    ZipKind,
    check_parts,
    entries_of,
    manifest_in,
    opened_zip,
    read_part,
    what_is_wrong,
)
from reditus.store.investigations.stretches import ArchiveStretch

KIND = ZipKind(
    "bundle", FORMAT, VERSION, BundleError, MOST_PARTS, MOST_BYTES, MOST_PART_BYTES, ", or ask for the report as HTML"
)
LATEST_NS = 1 << 62
OPENED = UUID("c9a0e6b4-5a0b-5f0e-9d0a-3a4c1f6f7b52")
"""Namespace of what came in bundles: the same bundle has the same ids wherever it is opened, and not the sender's."""


@dataclass(frozen=True, slots=True)
class OpenedExhibit:
    """An exhibit of a bundle."""

    id: UUID
    content: Content
    data: bytes
    pinned_ns: int


@dataclass(frozen=True, slots=True)
class Opened:
    """A bundle whose every part was found as the manifest says."""

    manifest: Manifest
    checksum: str
    """SHA-256 of the whole file."""
    exhibits: list[OpenedExhibit]
    stretches: list[ArchiveStretch]


def own_id(kind: str, original: UUID) -> UUID:
    """The id here of something that came in a bundle."""
    return uuid5(OPENED, f"{kind} {original}")


def open_bundle(path: Path) -> Opened:
    """Raise BundleError for what is no bundle, what is damaged, and what a later version wrote."""
    with opened_zip(path, KIND) as files:
        return _opened(files, path)


def _opened(files: ZipFile, path: Path) -> Opened:
    entries = entries_of(files, KIND)
    manifest = _manifest(files, entries)
    check_parts(entries, list(manifest.parts), KIND)
    parts = {part.name: part for part in manifest.parts}
    wanted = {entry.file for entry in manifest.exhibits} | {entry.file for entry in manifest.archives}
    if not wanted <= set(parts):
        raise BundleError(f"the manifest speaks of {sorted(wanted - set(parts))[0]!r}, which is none of its parts")
    data: dict[str, bytes] = {}
    for name, part in parts.items():
        found = read_part(files, entries[name], part, KIND)
        if name in wanted:
            data[name] = found
    return Opened(
        manifest,
        sha256(path.read_bytes()).hexdigest(),
        [
            OpenedExhibit(entry.id, *_content(data[entry.file], entry.file), entry.pinned_ns)
            for entry in manifest.exhibits
        ],
        [_stretch(entry, data[entry.file]) for entry in manifest.archives],
    )


def _manifest(files: ZipFile, entries: dict[str, ZipInfo]) -> Manifest:
    given = manifest_in(files, entries, KIND)
    try:
        manifest = Manifest.model_validate(given)
        manifest.investigation.fields.flat()
        return manifest
    except (TimeError, WindowError) as why:
        raise BundleError(f"the manifest is not as it should be: {why}") from why
    except (ValidationError, RecursionError) as why:
        raise BundleError(f"the manifest is not as it should be: {what_is_wrong(why)}") from why


def _content(data: bytes, name: str) -> tuple[Content, bytes]:
    try:
        given = strict_json(data)
        check_value(given)
        content = Content.model_validate(given)
    except (OutsideError, ValidationError, RecursionError) as why:
        raise BundleError(f"the exhibit {name!r} is not as it should be: {what_is_wrong(why)}") from why
    if checksum(frozen(content)) != checksum(data):
        raise BundleError(f"the exhibit {name!r} is not written as exhibits are; see docs/bundles.md")
    return content, data


def _stretch(entry: ArchiveEntry, data: bytes) -> ArchiveStretch:
    try:
        schemas = [Schema.from_json(given) for given in entry.schemas]
        facts = [(item.since_ns, HostFacts.from_json(item.facts)) for item in entry.facts]
        batch = read_batch(data) if data else Batch([], [], [])
        blocks = list(_blocks(entry, batch, {schema.digest: len(schema.columns) for schema in schemas}))
    except (SchemaError, FactsError, BlockError) as why:
        raise BundleError(f"the archive {entry.name!r} is not as it should be: {why}") from why
    archive = own_id("archive", entry.archive)
    return ArchiveStretch(
        host=own_id("host", entry.host),
        host_name=entry.host_name,
        archive=archive,
        name=entry.name,
        source="bundle",
        facts=facts,
        schemas=schemas,
        blocks=blocks,
        identities=[
            Identities(archive, item.boot, item.processes) for item in batch.identities if item.archive == entry.archive
        ],
        markers=[marker for item in batch.markers if item.archive == entry.archive for marker in item.markers],
        device_names=entry.device_names,
    )


def _blocks(entry: ArchiveEntry, batch: Batch, widths: dict[bytes, int]) -> Iterator[Block]:
    begun: set[tuple[bytes, int]] = set()
    for block in batch.blocks:
        if block.archive != entry.archive or widths.get(block.schema) != block.columns:
            raise BlockError("a block is of another archive, or has other columns than its schema")
        if not EARLIEST_NS <= block.first_ns <= block.last_ns < LATEST_NS:
            raise BlockError("a block's times are no times that were recorded")
        block.check()
        if (block.schema, block.first_ns) in begun:
            raise BlockError("two blocks of a schema begin at the same time")
        begun.add((block.schema, block.first_ns))
        yield replace(block, archive=own_id("archive", entry.archive))
