"""What stands first in a bundle: what it is, what is inside, and the checksum of every part."""

from typing import Annotated, Any, Literal
from uuid import UUID

from pydantic import Field

from reditus.exchange.bundle.contents import Frozen, Ns, Short, Text
from reditus.exchange.bundle.fields import Fields
from reditus.exchange.checked_zip import Digest, PartName
from reditus.exchange.errors import ExchangeError

FORMAT, VERSION = "reditus-bundle", 1
MANIFEST = "manifest.json"
MEDIA_TYPE = "application/vnd.reditus.bundle+zip"
MOST_PARTS = 2_000
MOST_ARCHIVES = 100
MOST_BYTES = 512 << 20
"""Of all parts together, unpacked."""
MOST_PART_BYTES = 256 << 20


class BundleError(ExchangeError, ValueError):
    """A bundle that cannot be opened, or must not leave."""


class PartEntry(Frozen):
    """A file of the bundle."""

    name: PartName
    bytes: int = Field(ge=0, le=MOST_PART_BYTES)
    sha256: Digest
    media_type: Short


class ExhibitEntry(Frozen):
    """An exhibit: which file holds it, as contents are frozen."""

    id: UUID
    file: PartName
    pinned_ns: Ns


class FactsEntry(Frozen):
    """What was known of a host from some time on, as docs/blocks.md has it."""

    since_ns: Ns
    facts: dict[str, Any]


class ArchiveEntry(Frozen):
    """A stretch of an archive: which file holds its blocks, and what stands beside them."""

    host: UUID
    host_name: Short
    archive: UUID
    name: Short
    start_ns: Ns
    end_ns: Ns
    file: PartName
    schemas: Annotated[list[dict[str, Any]], Field(max_length=2_000)]
    facts: Annotated[list[FactsEntry], Field(max_length=5_000)]
    device_names: dict[Short, dict[Short, Short]] = Field(default_factory=dict)


class InvestigationEntry(Frozen):
    """What people wrote."""

    id: UUID
    created_ns: Ns
    fields: Fields


class Manifest(Frozen):
    """The manifest of a bundle."""

    format: Literal["reditus-bundle"]
    version: int = Field(ge=1)
    reditus: Short
    made: Text = Field(description="RFC 3339.")
    anonymised: bool
    investigation: InvestigationEntry
    exhibits: Annotated[list[ExhibitEntry], Field(max_length=300)]
    archives: Annotated[list[ArchiveEntry], Field(max_length=MOST_ARCHIVES)]
    parts: Annotated[list[PartEntry], Field(max_length=MOST_PARTS)]
