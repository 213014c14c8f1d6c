"""A zip with a manifest, read with distrust: nothing is unpacked to a disk, and what does not stand in the manifest,
is larger than it says, or does not have the checksum that it says, is refused with a sentence.
"""

import zlib
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass
from hashlib import sha256
from pathlib import Path
from struct import error as StructError
from typing import Annotated, Any, Protocol
from zipfile import BadZipFile, LargeZipFile, ZipFile, ZipInfo

from pydantic import StringConstraints, ValidationError

from reditus.core.outside import OutsideError, check_value, strict_json
from reditus.exchange.errors import ExchangeError

MANIFEST = "manifest.json"
MOST_MANIFEST_BYTES = 64 << 20
MOST_RATIO = 400
"""No part of ours is packed that well; what is, would fill the memory."""
SMALL_BYTES = 1 << 20
READ_BYTES = 1 << 20
ENCRYPTED = 0x1

PartName = Annotated[str, StringConstraints(max_length=120, pattern=r"^[a-z0-9]+([._/-][a-z0-9]+)*$")]
Digest = Annotated[str, StringConstraints(pattern=r"^[0-9a-f]{64}$")]


@dataclass(frozen=True, slots=True)
class ZipKind:
    """A format of ours that is a zip with a manifest."""

    what: str
    """As sentences call it, such as `bundle`."""
    format: str
    """What its manifest says of itself."""
    version: int
    """The newest that can be read."""
    error: type[ExchangeError]
    most_parts: int
    most_bytes: int
    """Of all parts together, unpacked."""
    most_part_bytes: int
    otherwise: str
    """What to do where a later version wrote it."""


class PartLike(Protocol):
    """What a manifest says of a part."""

    @property
    def name(self) -> str:
        """Its name in the zip."""

    @property
    def bytes(self) -> int:
        """Its size."""

    @property
    def sha256(self) -> str:
        """Its checksum, in hex."""


@contextmanager
def opened_zip(path: Path, kind: ZipKind) -> Iterator[ZipFile]:
    """Raise the kind's error for what is no zip, or becomes none while it is read."""
    try:
        with ZipFile(path) as files:
            yield files
    except (BadZipFile, LargeZipFile, zlib.error, StructError, NotImplementedError, EOFError, OSError) as why:
        raise kind.error(f"this is no {kind.what}, or only a part of one: it cannot be read as a zip ({why})") from why
    except (UnicodeDecodeError, RuntimeError) as why:
        raise kind.error(f"this is no {kind.what} of Reditus: its entries cannot be read ({why})") from why


def entries_of(files: ZipFile, kind: ZipKind) -> dict[str, ZipInfo]:
    """By name. Raise the kind's error for more, or larger ones, than are taken."""
    every = files.infolist()
    if len(every) > kind.most_parts + 1:
        raise kind.error(f"the {kind.what} has {len(every)} parts; at most {kind.most_parts} are taken")
    entries: dict[str, ZipInfo] = {}
    for entry in every:
        if entry.filename in entries:
            raise kind.error(f"the part {entry.filename[:80]!r} is in the {kind.what} twice")
        if entry.flag_bits & ENCRYPTED:
            raise kind.error(f"the {kind.what} is encrypted; have it decrypted by who sent it")
        if entry.file_size > SMALL_BYTES and entry.file_size > MOST_RATIO * max(entry.compress_size, 1):
            raise kind.error(
                f"the part {entry.filename[:80]!r} would unpack to {entry.file_size:,} bytes from "
                f"{entry.compress_size:,}; no {kind.what} of Reditus does"
            )
        entries[entry.filename] = entry
    total = sum(entry.file_size for entry in every)
    if total > kind.most_bytes:
        raise kind.error(f"the {kind.what} unpacks to {total:,} bytes; at most {kind.most_bytes:,} are taken")
    if MANIFEST not in entries:
        raise kind.error(f"this is no {kind.what} of Reditus: it has no {MANIFEST}")
    return entries


def manifest_in(files: ZipFile, entries: Mapping[str, ZipInfo], kind: ZipKind) -> dict[str, Any]:
    """The manifest as JSON. Raise the kind's error where it is not that of the kind, or of a later version."""
    data = read_entry(files, entries[MANIFEST], MOST_MANIFEST_BYTES)
    if len(data) > MOST_MANIFEST_BYTES:
        raise kind.error(f"the manifest is larger than {MOST_MANIFEST_BYTES:,} bytes")
    try:
        given = strict_json(data)
        check_value(given)
    except OutsideError as why:
        raise kind.error(f"the manifest cannot be read: {why}") from why
    if not isinstance(given, dict) or given.get("format") != kind.format:
        raise kind.error(f"this is no {kind.what} of Reditus: its manifest does not say {kind.format!r}")
    version = given.get("version")
    if isinstance(version, int) and version > kind.version:
        by = str(given.get("reditus", "a later Reditus"))[:40]
        raise kind.error(
            f"the {kind.what} has version {version}, made by Reditus {by}; this Reditus reads up to {kind.version}. "
            f"Update this one{kind.otherwise}"
        )
    return given


def check_parts(entries: Mapping[str, ZipInfo], parts: list[PartLike], kind: ZipKind) -> None:
    """Raise the kind's error unless the manifest names each part once, and each that it names is there."""
    named = {part.name for part in parts}
    unknown = sorted(set(entries) - named - {MANIFEST})
    missing = sorted(named - set(entries))
    if len(named) < len(parts):
        raise kind.error("the manifest names a part twice")
    if unknown or missing:
        what = f"{unknown[0]!r} is not in its manifest" if unknown else f"its part {missing[0]!r} is missing"
        raise kind.error(f"the {kind.what} is not whole: {what}. Ask the sender for it again")


def read_entry(files: ZipFile, entry: ZipInfo, most: int) -> bytes:
    """A part, and one byte more than it may have at most: what an entry says of its own size may be a lie."""
    with files.open(entry) as part:
        return part.read(most + 1)


def read_part(files: ZipFile, entry: ZipInfo, part: PartLike, kind: ZipKind) -> bytes:
    """A part whose checksum is that of the manifest."""
    found = read_entry(files, entry, min(part.bytes, kind.most_part_bytes))
    if len(found) != part.bytes or sha256(found).hexdigest() != part.sha256:
        raise kind.error(f"the part {part.name!r} is damaged: its checksum is not that of the manifest")
    return found


def what_is_wrong(why: Exception) -> str:
    """The first thing that a model did not like, and where."""
    if isinstance(why, ValidationError):
        error = why.errors()[0]
        place = "/".join(str(part)[:60] for part in error["loc"][:8])
        return f"{place}: {error['msg'][:200]}"
    return "it is nested too deeply"
