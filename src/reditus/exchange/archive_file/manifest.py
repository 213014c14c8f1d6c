"""What stands in an archive file beside its counters: whose they are, what they mean, and the checksum of each part."""

from typing import Annotated, Any, Literal
from uuid import UUID

from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from reditus.exchange.checked_zip import Digest, PartName, ZipKind
from reditus.exchange.errors import ExchangeError

FORMAT, VERSION = "reditus-archive", 1
MEDIA_TYPE = "application/vnd.reditus.archive+zip"
BLOCKS = "application/vnd.reditus.blocks"
PARQUET = "application/vnd.apache.parquet"
MOST_PARTS = 20_000
MOST_BYTES = 256 << 30
MOST_PART_BYTES = 256 << 20
MOST_SCHEMAS = 20_000

Ns = Annotated[int, Field(ge=0, lt=1 << 63)]
Short = Annotated[str, StringConstraints(max_length=300)]


class ArchiveFileError(ExchangeError, ValueError):
    """A file that is no archive file, or not all of one."""


KIND = ZipKind("archive file", FORMAT, VERSION, ArchiveFileError, MOST_PARTS, MOST_BYTES, MOST_PART_BYTES, "")


class Entry(BaseModel):
    """Base: what is not described is refused."""

    model_config = ConfigDict(extra="forbid", frozen=True)


class PartEntry(Entry):
    """A part: records as docs/blocks.md has them, or the counters of one schema as Parquet."""

    name: PartName
    bytes: int = Field(ge=0, le=MOST_PART_BYTES)
    sha256: Digest
    media_type: Literal["application/vnd.reditus.blocks", "application/vnd.apache.parquet"]


class HostEntry(Entry):
    """Whose archive it is."""

    id: UUID
    name: Short


class ArchiveEntry(Entry):
    """The archive."""

    id: UUID
    name: Short
    source: Literal["recorded", "imported", "simulated", "bundle"]
    notes: Annotated[str, StringConstraints(max_length=20_000)] = ""
    created_ns: Ns
    protected: bool = False


class FactsEntry(Entry):
    """What was known of the host from some time on, as docs/blocks.md has it."""

    since_ns: Ns
    facts: dict[str, Any]


class Manifest(Entry):
    """The manifest of an archive file."""

    format: Literal["reditus-archive"]
    version: int = Field(ge=1)
    reditus: Short
    made: Short = Field(description="RFC 3339.")
    host: HostEntry
    archive: ArchiveEntry
    start_ns: Ns | None = Field(description="Where it is of a window: its beginning; null for a whole archive.")
    end_ns: Ns | None
    ticks: int = Field(ge=0, description="Of all schemas together.")
    damaged: int = Field(ge=0, description="Blocks that could not be read when it was made, and are not in it.")
    schemas: Annotated[list[dict[str, Any]], Field(max_length=MOST_SCHEMAS)]
    facts: Annotated[list[FactsEntry], Field(max_length=20_000)]
    device_names: dict[Short, dict[Short, Short]] = Field(default_factory=dict)
    parts: Annotated[list[PartEntry], Field(max_length=MOST_PARTS)]
