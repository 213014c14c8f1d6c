"""A bundle put together: its parts, what is inside, and the proof that no name is left that was to be replaced."""

import re
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from hashlib import sha256
from html import unescape
from io import BytesIO
from typing import Any
from uuid import UUID
from zipfile import ZIP_DEFLATED, ZIP_STORED, ZipFile, ZipInfo

import orjson

from reditus import __version__
from reditus.core.markers import as_batches
from reditus.core.types import Json
from reditus.core.window import Window
from reditus.exchange.archive_file.columns import PARQUET, table_of
from reditus.exchange.bundle.contents import Content, frozen
from reditus.exchange.bundle.fields import Fields
from reditus.exchange.bundle.manifest import FORMAT, MANIFEST, VERSION, BundleError, Manifest
from reditus.exchange.bundle.pseudonyms import Pseudonyms, found_in, leaves
from reditus.store.investigations.stretches import ArchiveStretch

BLOCKS = "application/vnd.reditus.blocks"
MOST_LEFT_NAMED = 5
_TAGS = re.compile(r"<style.*?</style>|<[^>]*>", re.DOTALL)
_LABELS = re.compile(r'(?:aria-label|title)="([^"]*)"')
_EPOCH = (1980, 1, 1, 0, 0, 0)
"""A zip knows no earlier time; two bundles of the same contents are the same bytes."""


@dataclass(frozen=True, slots=True)
class Part:
    """A file of the bundle."""

    name: str
    media_type: str
    data: bytes


@dataclass(frozen=True, slots=True)
class BundleExhibit:
    """An exhibit as it goes into a bundle."""

    id: UUID
    content: Content
    pinned_ns: int
    pictures: Sequence[str]


@dataclass(frozen=True, slots=True)
class Inside:
    """Everything that a bundle is made of."""

    investigation: UUID
    created_ns: int
    fields: Fields
    exhibits: Sequence[BundleExhibit]
    stretches: Sequence[tuple[ArchiveStretch, Window]]
    markdown: str
    html: str
    made: str
    names: Pseudonyms | None = None
    """Where names were replaced: by which substitutes."""
    parquet: bool = False


def parts_of(inside: Inside, progress: Callable[[int, int], None] = lambda _, __: None) -> list[Part]:
    """All parts, the manifest first. Raise BundleError where a name is left that was to be replaced."""
    total = len(inside.exhibits) + len(inside.stretches) + 1
    parts = [
        Part("report.html", "text/html", inside.html.encode()),
        Part("report.md", "text/markdown", inside.markdown.encode()),
    ]
    exhibits, archives = [], []
    for number, item in enumerate(inside.exhibits, 1):
        progress(number, total)
        file = f"exhibits/{number:03d}.json"
        parts.append(Part(file, "application/json", frozen(item.content)))
        parts += [
            Part(f"exhibits/{number:03d}-{place}.svg", "image/svg+xml", picture.encode())
            for place, picture in enumerate(item.pictures)
        ]
        exhibits.append({"id": str(item.id), "file": file, "pinned_ns": item.pinned_ns})
    for number, (stretch, window) in enumerate(inside.stretches, 1):
        progress(len(inside.exhibits) + number, total)
        file = f"archives/{number:03d}.blocks"
        parts.append(Part(file, BLOCKS, b"".join(_records(stretch))))
        if inside.parquet:
            for schema in stretch.schemas:
                blocks = [block for block in stretch.blocks if block.schema == schema.digest]
                name = f"archives/{number:03d}/{schema.digest.hex()[:16]}.parquet"
                parts.append(Part(name, PARQUET, table_of(schema, blocks)))
        archives.append(_archive(stretch, window, file))
    manifest = {
        "format": FORMAT,
        "version": VERSION,
        "reditus": __version__,
        "made": inside.made,
        "anonymised": inside.names is not None,
        "investigation": {
            "id": str(inside.investigation),
            "created_ns": inside.created_ns,
            "fields": inside.fields.model_dump(mode="json", exclude_unset=True),
        },
        "exhibits": exhibits,
        "archives": archives,
        "parts": [
            {"name": part.name, "bytes": len(part.data), "sha256": sha256(part.data).hexdigest(),
             "media_type": part.media_type}
            for part in parts
        ],
    }  # fmt: skip
    Manifest.model_validate(manifest)
    whole = [Part(MANIFEST, "application/json", orjson.dumps(manifest, option=orjson.OPT_INDENT_2)), *parts]
    if inside.names is not None:
        check_names(inside, whole, inside.names)
    progress(total, total)
    return whole


def _records(stretch: ArchiveStretch) -> Iterator[bytes]:
    for identities in stretch.identities:
        yield identities.to_bytes()
    boot = stretch.blocks[0].boot if stretch.blocks else stretch.archive
    yield from as_batches(stretch.archive, boot, list(stretch.markers))
    for block in stretch.blocks:
        yield block.to_bytes()


def _archive(stretch: ArchiveStretch, window: Window, file: str) -> Json:
    return {
        "host": str(stretch.host),
        "host_name": stretch.host_name,
        "archive": str(stretch.archive),
        "name": stretch.name,
        "start_ns": window.start_ns,
        "end_ns": window.end_ns,
        "file": file,
        "schemas": [schema.as_json() for schema in stretch.schemas],
        "facts": [{"since_ns": since_ns, "facts": facts.as_json()} for since_ns, facts in stretch.facts],
        "device_names": {kind: dict(names) for kind, names in stretch.device_names.items()},
    }


def check_names(inside: Inside, parts: Iterable[Part], names: Pseudonyms) -> None:
    """Search every text of a bundle for every name that was to be replaced. Raise BundleError where one is left."""
    left = sorted(set(found_in(_texts(inside, parts), names.words())))
    if left:
        shown = "; ".join(f"{name!r} in {place}" for place, name in left[:MOST_LEFT_NAMED])
        more = f" and {len(left) - MOST_LEFT_NAMED} more" if len(left) > MOST_LEFT_NAMED else ""
        raise BundleError(
            f"names are left that were to be replaced: {shown}{more}. The bundle was not made; reword what you wrote, "
            "or leave the exhibit out"
        )


def _texts(inside: Inside, parts: Iterable[Part]) -> Iterator[tuple[str, str]]:
    """Every text that can hold a name. The words of the format itself are none: a program may be called like one."""
    for part in parts:
        if part.name == MANIFEST:
            manifest = orjson.loads(part.data)
            yield from leaves(manifest["investigation"]["fields"], MANIFEST)
            for archive in manifest["archives"]:
                yield from _archive_texts(archive)
        elif part.media_type == "application/json":
            yield from _content_texts(orjson.loads(part.data), part.name)
        elif part.media_type in ("text/html", "image/svg+xml"):
            text = part.data.decode()
            yield part.name, unescape(_TAGS.sub(" ", text))
            yield from ((part.name, unescape(label)) for label in _LABELS.findall(text))
        elif part.media_type == "text/markdown":
            yield part.name, part.data.decode().replace("\\", "")
    for stretch, _ in inside.stretches:
        for identities in stretch.identities:
            for item in identities.processes:
                yield from leaves([item.name, item.user, item.group, item.arguments or ""], "processes")
        for marker in stretch.markers:
            yield from leaves([marker.text, marker.source, marker.log], "markers")


def _archive_texts(archive: Mapping[str, Any]) -> Iterator[tuple[str, str]]:
    yield from leaves([archive["host_name"], archive["name"], archive["device_names"]], MANIFEST)
    for schema in archive["schemas"]:
        for column in schema["columns"]:
            yield from leaves(list(column["attributes"].values()), MANIFEST)
    for entry in archive["facts"]:
        facts = entry["facts"]
        yield from leaves(list(facts["mounts"]), f"{MANIFEST}, mounts")
        yield from leaves([mount["device"] or "" for mount in facts["mounts"].values()], f"{MANIFEST}, mounts")
        yield from leaves(list(facts["groups"]), f"{MANIFEST}, groups")
        yield from leaves([link["addresses"] for link in facts["links"].values()], f"{MANIFEST}, addresses")
        for item in facts["listening"] or []:
            yield from leaves([item["address"], item["program"] or "", item["user"] or ""], f"{MANIFEST}, ports")


def _content_texts(content: Mapping[str, Any], place: str) -> Iterator[tuple[str, str]]:
    yield from leaves([content["title"], content["view"], content["source"]["host_name"]], place)
    yield from leaves([content["source"]["archive_name"]], place)
    for part in content["parts"]:
        if part["part"] == "table":
            yield from leaves([part["title"], part["rows"]], place)
        elif part["part"] == "sentences":
            yield from leaves([part["title"], part["lines"]], place)
        elif part["part"] == "chart":
            yield from leaves([part["title"], part["about"], [line["label"] for line in part["lines"]]], place)
            yield from leaves([line["names"] for line in part["lines"]], place)


def zipped(parts: Iterable[Part]) -> bytes:
    """The parts as a zip. What is compressed already is stored as it is."""
    whole = BytesIO()
    with ZipFile(whole, "w") as files:
        for part in parts:
            entry = ZipInfo(part.name, _EPOCH)
            entry.compress_type = ZIP_STORED if part.media_type in (BLOCKS, PARQUET) else ZIP_DEFLATED
            entry.external_attr = 0o644 << 16
            files.writestr(entry, part.data)
    return whole.getvalue()
