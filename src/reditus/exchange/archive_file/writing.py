"""An archive written as a file, part by part: a year takes no more memory than an hour."""

import json
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from hashlib import sha256
from itertools import groupby
from pathlib import Path
from tempfile import TemporaryFile
from typing import Any
from zipfile import ZIP_DEFLATED, ZIP_STORED, ZipFile, ZipInfo

import orjson

from reditus import __version__
from reditus.core.blocks import Block
from reditus.core.markers import as_batches
from reditus.core.types import Json
from reditus.core.window import Window
from reditus.exchange.archive_file.columns import write_columns
from reditus.exchange.archive_file.manifest import BLOCKS, FORMAT, PARQUET, VERSION, Manifest
from reditus.exchange.checked_zip import MANIFEST
from reditus.store.archives.transfer import ArchiveContents, ArchiveHead

PART_BYTES = 8 << 20
PARQUET_TICKS = 200_000
"""Of one schema in one file; larger ones are cut, so that each part can be checked in memory."""
_EPOCH = (1980, 1, 1, 0, 0, 0)
"""A zip knows no earlier time."""


@dataclass(frozen=True, slots=True)
class Written:
    """What was written."""

    ticks: int
    damaged: int
    parts: int


class _Parts:
    """Parts of a zip, with what the manifest says of them."""

    def __init__(self, files: ZipFile) -> None:
        self._files = files
        self.entries: list[Json] = []

    def add(self, name: str, media_type: str, data: bytes) -> None:
        self._files.writestr(_entry(name, ZIP_STORED), data)
        self.entries.append(
            {"name": name, "bytes": len(data), "sha256": sha256(data).hexdigest(), "media_type": media_type}
        )


def write_archive(
    path: Path,
    contents: ArchiveContents,
    made: str,
    *,
    window: Window | None = None,
    parquet: bool = False,
    check: Callable[[int], None] = lambda _: None,
) -> Written:
    """Write an archive to a file that is not there yet. `made` is the time, RFC 3339; `check` is called with the ticks
    so far, and may raise to end the work.
    """
    with ZipFile(path, "x", allowZip64=True) as files:
        parts = _Parts(files)
        for number, records in enumerate(_joined(_records(contents)), 1):
            parts.add(f"records/{number:05d}.blocks", BLOCKS, records)
        ticks = _write_parquet(parts, contents, check) if parquet else _write_blocks(parts, contents, check)
        manifest = manifest_of(contents, made, window, ticks, parts.entries)
        files.writestr(_entry(MANIFEST, ZIP_DEFLATED), orjson.dumps(manifest, option=orjson.OPT_INDENT_2))
    return Written(ticks, contents.damaged, len(parts.entries))


def _entry(name: str, how: int) -> ZipInfo:
    entry = ZipInfo(name, _EPOCH)
    entry.compress_type = how
    entry.external_attr = 0o600 << 16
    return entry


def _records(contents: ArchiveContents) -> Iterator[bytes]:
    for identities in contents.identities:
        yield identities.to_bytes()
    archive = contents.head.archive
    boot = contents.identities[0].boot if contents.identities else archive
    yield from as_batches(archive, boot, list(contents.markers))


def _joined(records: Iterator[bytes]) -> Iterator[bytes]:
    """Records together, some megabytes at a time: a log may have millions of lines."""
    held: list[bytes] = []
    for record in records:
        if held and sum(map(len, held)) + len(record) > PART_BYTES:
            yield b"".join(held)
            held = []
        held.append(record)
    if held:
        yield b"".join(held)


def _write_blocks(parts: _Parts, contents: ArchiveContents, check: Callable[[int], None]) -> int:
    ticks, size, held = 0, 0, list[bytes]()
    number = 1
    for block in contents.blocks:
        data = block.to_bytes()
        if held and size + len(data) > PART_BYTES:
            parts.add(f"blocks/{number:05d}.blocks", BLOCKS, b"".join(held))
            number, size, held = number + 1, 0, []
            check(ticks)
        held.append(data)
        size += len(data)
        ticks += block.ticks
    if held:
        parts.add(f"blocks/{number:05d}.blocks", BLOCKS, b"".join(held))
    return ticks


def _write_parquet(parts: _Parts, contents: ArchiveContents, check: Callable[[int], None]) -> int:
    schemas = {schema.digest: schema for schema in contents.head.schemas}
    about = json.dumps(_about(contents.head))
    ticks = number = 0
    for digest, blocks in groupby(contents.blocks, key=lambda block: block.schema):
        schema = schemas[digest]
        for some in _cut(blocks):
            number += 1
            with TemporaryFile() as held:
                ticks += write_columns(held, schema, some, about)
                held.seek(0)
                name = f"counters/{number:05d}-{_plain(schema.group)}.parquet"
                parts.add(name, PARQUET, held.read())
            check(ticks)
    return ticks


def _cut(blocks: Iterator[Block]) -> Iterator[list[Block]]:
    held: list[Block] = []
    ticks = 0
    for block in blocks:
        held.append(block)
        ticks += block.ticks
        if ticks >= PARQUET_TICKS:
            yield held
            held, ticks = [], 0
    if held:
        yield held


def _plain(group: str) -> str:
    """A group's name as part of a file's."""
    letters = "".join(letter if letter.isascii() and letter.isalnum() else " " for letter in group.lower())
    return "-".join(letters.split())[:60].strip("-") or "group"


def _about(head: ArchiveHead) -> dict[str, Any]:
    return {
        "host": {"id": str(head.host), "name": head.host_name},
        "archive": {
            "id": str(head.archive), "name": head.name, "source": head.source, "notes": head.notes,
            "created_ns": head.created_ns, "protected": head.protected,
        },
    }  # fmt: skip


def manifest_of(
    contents: ArchiveContents, made: str, window: Window | None, ticks: int, parts: list[Json]
) -> dict[str, Any]:
    """The manifest of an archive whose parts are written."""
    head = contents.head
    manifest = {
        "format": FORMAT,
        "version": VERSION,
        "reditus": __version__,
        "made": made,
        **_about(head),
        "start_ns": None if window is None else window.start_ns,
        "end_ns": None if window is None else window.end_ns,
        "ticks": ticks,
        "damaged": contents.damaged,
        "schemas": [schema.as_json() for schema in head.schemas],
        "facts": [{"since_ns": since_ns, "facts": facts.as_json()} for since_ns, facts in head.facts],
        "device_names": {kind: dict(names) for kind, names in head.device_names.items()},
        "parts": parts,
    }
    Manifest.model_validate(manifest)
    return manifest
