"""Imports over the wire."""

from typing import Annotated, Literal
from uuid import UUID

from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from reditus.exchange.incoming.mapping import Meaning, TableMapping
from reditus.exchange.incoming.text_layout import TextLayout
from reditus.server.progress import Progress
from reditus.server.schemas import Out, Time
from reditus.store.imports.records import Import

FileName = Annotated[str, StringConstraints(min_length=1, max_length=255, pattern=r"^[^\x00-\x1f\x7f]+$")]


class ImportIn(BaseModel):
    """A file that is to come."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    name: FileName
    size_bytes: int = Field(ge=1, description="Of the whole file.")


class ImportOut(Out):
    """A file on its way into an archive."""

    id: UUID
    name: str
    size_bytes: int
    received_bytes: int = Field(description="The next part of the file begins there.")
    state: Literal["receiving", "received", "queued", "reading", "storing", "done", "failed", "cancelled"]
    done: int = Field(description="Rows or ticks so far, of what is being read or stored.")
    total: int = Field(description="Of how many; 0 where that is not known.")
    problem: str | None = Field(description="Why it failed. It may be started again, with other options.")
    remarks: list[str] = Field(description="What was guessed, and what was left out.")
    archive: UUID | None
    ticks: int = Field(description="That were stored.")
    created: Time
    changed: Time

    @classmethod
    def of(cls, item: Import, progress: Progress) -> "ImportOut":
        """From the store's, with how far it is."""
        done, total, _ = progress.of(item.id)
        return cls(
            id=item.id, name=item.name, size_bytes=item.size_bytes, received_bytes=item.received_bytes,
            state=item.state.value, done=done, total=total, problem=item.problem, remarks=list(item.remarks),
            archive=item.archive, ticks=item.ticks, created=item.created_ns, changed=item.changed_ns,
        )  # fmt: skip


class LookIn(BaseModel):
    """A look at a table, by a mapping of one's own."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    mapping: TableMapping | None = Field(default=None, description="Else it is guessed, or that of the last such file.")
    layout: TextLayout | None = Field(default=None, description="Of text that is printed at an interval.")


class LookColumnOut(Out):
    """A column of a file, as it would be read."""

    place: int
    name: str
    cells: list[str] = Field(description="Of the first rows, as they stand in the file.")
    values: list[float | None] = Field(description="The numbers of all rows of the sample, in the mapping's unit.")


class LookNameOut(Out):
    """What has a name in a table with a row a value, or in printed text."""

    name: str
    device: str = Field(description="What it is of; empty where that is not said.")
    cells: list[str] = Field(description="Its first values, as they stand in the file.")
    values: list[float | None] = Field(description="Its first numbers, in the unit that it means.")
    meaning: Meaning | None = Field(description="Said or guessed, whatever it is of; null where it is left out.")


class LookOut(Out):
    """What a file is taken for."""

    format: str
    title: str
    mapping: TableMapping | None = Field(description="null for what says itself what its numbers mean.")
    layout: TextLayout | None = Field(description="Of text that is printed at an interval, in place of a mapping.")
    doubts: list[str] = Field(description="What was guessed and may be wrong.")
    kept: bool = Field(description="Whether mapping or layout are those of the last such file.")
    problem: str | None = Field(description="Why it cannot be read so.")
    heads: list[list[str]] = Field(description="The rows above the data.")
    columns: list[LookColumnOut] = Field(description="None of printed text.")
    names: list[LookNameOut] = Field(description="Of a table with a row a value, and of printed text.")
    times: list[Time | None] = Field(description="Of the rows of the sample; null where one cannot be read.")
    rows: int = Field(description="How many rows the sample has.")
