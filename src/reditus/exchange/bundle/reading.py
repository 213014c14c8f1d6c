"""A bundle opened: every part checked against the manifest before anything is kept.

Nothing is ever unpacked to a disk. What does not stand in the manifest, is larger than it says, or does not have the
checksum that it says, is refused with a sentence.
"""

import zlib
from collections.abc import Iterator
from dataclasses import dataclass, replace
from hashlib import sha256
from pathlib import Path
from struct import error as StructError
from uuid import UUID, uuid5
from zipfile import BadZipFile, LargeZipFile, ZipFile, ZipInfo

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
    MANIFEST,
    MOST_BYTES,
    MOST_PART_BYTES,
    MOST_PARTS,
    VERSION,
    ArchiveEntry,
    BundleError,
    Manifest,
)
from reditus.store.investigations.stretches import ArchiveStretch

MOST_MANIFEST_BYTES = 64 << 20
MOST_RATIO = 400
"""No part of ours is packed that well; what is, would fill the memory."""
SMALL_BYTES = 1 << 20
ENCRYPTED = 0x1
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
    try:
        with ZipFile(path) as files:
            return _opened(files, path)
    except (BadZipFile, LargeZipFile, zlib.error, StructError, NotImplementedError, EOFError, OSError) as why:
        raise BundleError(f"this is no bundle, or only a part of one: it cannot be read as a zip ({why})") from why
    except (UnicodeDecodeError, RuntimeError) as why:
        raise BundleError(f"this is no bundle of Reditus: its entries cannot be read ({why})") from why


def _opened(files: ZipFile, path: Path) -> Opened:
    entries = _entries(files)
    manifest = _manifest(files, entries)
    parts = {part.name: part for part in manifest.parts}
    unknown = sorted(set(entries) - set(parts) - {MANIFEST})
    missing = sorted(set(parts) - set(entries))
    if len(parts) < len(manifest.parts):
        raise BundleError("the manifest names a part twice")
    if unknown or missing:
        what = f"{unknown[0]!r} is not in its manifest" if unknown else f"its part {missing[0]!r} is missing"
        raise BundleError(f"the bundle is not whole: {what}. Ask the sender for it again")
    wanted = {entry.file for entry in manifest.exhibits} | {entry.file for entry in manifest.archives}
    if not wanted <= set(parts):
        raise BundleError(f"the manifest speaks of {sorted(wanted - set(parts))[0]!r}, which is none of its parts")
    data: dict[str, bytes] = {}
    for name, part in parts.items():
        found = _read(files, entries[name], part.bytes)
        if len(found) != part.bytes or sha256(found).hexdigest() != part.sha256:
            raise BundleError(f"the part {name!r} is damaged: its checksum is not that of the manifest")
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


def _entries(files: ZipFile) -> dict[str, ZipInfo]:
    every = files.infolist()
    if len(every) > MOST_PARTS + 1:
        raise BundleError(f"the bundle has {len(every)} parts; at most {MOST_PARTS} are taken")
    entries: dict[str, ZipInfo] = {}
    for entry in every:
        if entry.filename in entries:
            raise BundleError(f"the part {entry.filename[:80]!r} is in the bundle twice")
        if entry.flag_bits & ENCRYPTED:
            raise BundleError("the bundle is encrypted; have it decrypted by who sent it")
        if entry.file_size > SMALL_BYTES and entry.file_size > MOST_RATIO * max(entry.compress_size, 1):
            raise BundleError(
                f"the part {entry.filename[:80]!r} would unpack to {entry.file_size:,} bytes from "
                f"{entry.compress_size:,}; no bundle of Reditus does"
            )
        entries[entry.filename] = entry
    total = sum(entry.file_size for entry in every)
    if total > MOST_BYTES:
        raise BundleError(f"the bundle unpacks to {total:,} bytes; at most {MOST_BYTES:,} are taken")
    if MANIFEST not in entries:
        raise BundleError(f"this is no bundle of Reditus: it has no {MANIFEST}")
    return entries


def _read(files: ZipFile, entry: ZipInfo, most: int) -> bytes:
    """A part, and not a byte more of it than may be: what an entry says of its own size may be a lie."""
    with files.open(entry) as part:
        return part.read(min(most, MOST_PART_BYTES) + 1)


def _manifest(files: ZipFile, entries: dict[str, ZipInfo]) -> Manifest:
    data = _read(files, entries[MANIFEST], MOST_MANIFEST_BYTES)
    if len(data) > MOST_MANIFEST_BYTES:
        raise BundleError(f"the manifest is larger than {MOST_MANIFEST_BYTES:,} bytes")
    try:
        given = strict_json(data)
        check_value(given)
    except OutsideError as why:
        raise BundleError(f"the manifest cannot be read: {why}") from why
    if not isinstance(given, dict) or given.get("format") != FORMAT:
        raise BundleError(f"this is no bundle of Reditus: its manifest does not say {FORMAT!r}")
    version = given.get("version")
    if isinstance(version, int) and version > VERSION:
        by = str(given.get("reditus", "a later Reditus"))[:40]
        raise BundleError(
            f"the bundle has version {version}, made by Reditus {by}; this Reditus reads up to {VERSION}. Update this "
            "one, or ask for the report as HTML"
        )
    try:
        manifest = Manifest.model_validate(given)
        manifest.investigation.fields.flat()
        return manifest
    except (TimeError, WindowError) as why:
        raise BundleError(f"the manifest is not as it should be: {why}") from why
    except (ValidationError, RecursionError) as why:
        raise BundleError(f"the manifest is not as it should be: {_first(why)}") from why


def _first(why: Exception) -> str:
    if isinstance(why, ValidationError):
        error = why.errors()[0]
        place = "/".join(str(part)[:60] for part in error["loc"][:8])
        return f"{place}: {error['msg'][:200]}"
    return "it is nested too deeply"


def _content(data: bytes, name: str) -> tuple[Content, bytes]:
    try:
        given = strict_json(data)
        check_value(given)
        content = Content.model_validate(given)
    except (OutsideError, ValidationError, RecursionError) as why:
        raise BundleError(f"the exhibit {name!r} is not as it should be: {_first(why)}") from why
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
