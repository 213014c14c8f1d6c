"""What goes over the wire of investigations and exhibits."""

from collections.abc import Mapping, Sequence
from typing import Any, Literal
from uuid import UUID

from pydantic import BaseModel, Field

from reditus.analysis.report.clock import Clock
from reditus.analysis.report.dossier import Numbered
from reditus.analysis.report.spelled import spell_cell, spell_versions, spell_where, table_cells
from reditus.exchange.bundle.contents import Chart, Content, Sentences, Shapes
from reditus.exchange.bundle.fields import Fields
from reditus.server.schemas import Out, Time
from reditus.store.investigations.records import Investigation
from reditus.store.records import ArchiveInfo

MOST_ROWS_SENT = 200


class ChangesIn(BaseModel):
    """Fields to set."""

    version: int = Field(ge=0, le=1 << 30, description="The version that they were read in.")
    fields: Fields


class KeepsIn(BaseModel):
    """Whether archives keep what the exhibits stand on."""

    keeps: bool


class OriginOut(Out):
    """Of what came in a bundle: from where."""

    made: str = Field(description="When the bundle was made.")
    reditus: str = Field(description="By which version.")
    anonymised: bool
    checksum: str = Field(description="SHA-256 of the bundle.")


class InvestigationOut(Out):
    """An investigation."""

    id: UUID
    version: int
    fields: Fields
    keeps: bool = Field(description="Archives keep what the exhibits stand on, whatever their plan says.")
    origin: OriginOut | None = Field(description="Of what came in a bundle, which is not changed; else null.")
    created: Time
    changed: Time
    exhibits: int

    @classmethod
    def of(cls, record: Investigation) -> "InvestigationOut":
        """From the store's record."""
        return cls(
            id=record.id,
            version=record.version,
            fields=Fields.of(record.fields),
            keeps=record.keeps,
            origin=None if record.origin is None else _origin(record.origin),
            created=record.created_ns,
            changed=record.changed_ns,
            exhibits=record.exhibits,
        )


def _origin(origin: Mapping[str, Any]) -> OriginOut:
    return OriginOut(
        made=origin["made"],
        reditus=origin["reditus"],
        anonymised=origin["anonymised"],
        checksum=origin["checksum"],
    )


class FigureOut(Out):
    """A number beside an exhibit, spelled with its unit."""

    label: str
    value: str


class CellHeadOut(Out):
    """A column of a table."""

    title: str
    numeric: bool


class ShownPartOut(Out):
    """A part of an exhibit as it is shown."""

    part: Literal["picture", "table", "sentences"]
    title: str
    heads: list[CellHeadOut]
    rows: list[list[str]]
    lines: list[str]
    picture: int | None = Field(default=None, description="Which of the exhibit's pictures; of pictures alone.")
    more: int = Field(default=0, description="Rows that are kept and not sent here.")


class ExhibitOut(Out):
    """An exhibit, spelled by the clock that it was frozen with. GET /exhibits/ID gives the numbers themselves."""

    id: UUID
    number: int
    kind: str
    title: str
    caption: str
    host: str
    archive: str
    start: Time
    end: Time
    where: str = Field(description="Host, archive, window, clock and interval, in words.")
    figures: list[FigureOut]
    parts: list[ShownPartOut]
    versions: str
    checksum: str
    coverage: float | None
    pinned: Time
    view: str = Field(description="The view that it was pinned in; empty where nothing is left of it.")
    remains: Literal["all", "part", "gone"] = Field(description="What is left of the ticks that it was made of.")

    @classmethod
    def of(cls, item: Numbered, archives: Mapping[UUID, Sequence[ArchiveInfo]], ids: Mapping[str, str]) -> "ExhibitOut":
        """`archives`: by archive and host. `ids`: what ids of a bundle became here."""
        content = item.content
        clock = Clock(content.zone)
        home = UUID(ids.get(str(content.source.archive), str(content.source.archive)))
        remains = _remains(content, archives.get(home, ()))
        view = content.view
        for old, new in ids.items():
            view = view.replace(old, new)
        return cls(
            id=item.id,
            number=item.number,
            kind=content.kind,
            title=content.title,
            caption=item.caption,
            host=content.source.host_name,
            archive=content.source.archive_name,
            start=content.start_ns,
            end=content.end_ns,
            where=spell_where(content, clock),
            figures=[
                FigureOut(label=figure.label, value=spell_cell(figure.value, figure.unit, clock))
                for figure in content.figures
            ],
            parts=_parts(content, clock),
            versions=spell_versions(content),
            checksum=item.checksum,
            coverage=content.source.coverage,
            pinned=item.pinned_ns,
            view="" if remains == "gone" else view,
            remains=remains,
        )


def _remains(content: Content, archives: Sequence[ArchiveInfo]) -> Literal["all", "part", "gone"]:
    held = [
        (info.first_ns, info.last_ns)
        for info in archives
        if info.deleted_ns is None and info.first_ns is not None and info.last_ns is not None
    ]
    start_ns, end_ns = content.source.recorded_start_ns, content.source.recorded_end_ns
    if not held:
        return "gone"
    if start_ns is None or end_ns is None:
        return "all"
    first_ns, last_ns = min(first for first, _ in held), max(last for _, last in held)
    if end_ns < first_ns or start_ns > last_ns:
        return "gone"
    return "all" if first_ns <= start_ns and end_ns <= last_ns + 1 else "part"


def _parts(content: Content, clock: Clock) -> list[ShownPartOut]:
    out, pictures = [], 0
    for part in content.parts:
        if isinstance(part, Chart | Shapes):
            out.append(ShownPartOut(part="picture", title=part.title, picture=pictures, heads=[], rows=[], lines=[]))
            pictures += 1
        elif isinstance(part, Sentences):
            if part.lines:
                out.append(ShownPartOut(part="sentences", title=part.title, heads=[], rows=[], lines=list(part.lines)))
        else:
            heads, rows = table_cells(part, clock)
            out.append(
                ShownPartOut(
                    part="table",
                    title=part.title,
                    heads=[CellHeadOut(title=title, numeric=numeric) for title, numeric in heads],
                    rows=rows[:MOST_ROWS_SENT],
                    more=max(len(rows) - MOST_ROWS_SENT, 0),
                    lines=[],
                )
            )
    return out


class EventOut(Out):
    """Something on the axis of an investigation."""

    what: Literal["exhibit", "finding", "ruled-out", "note", "change"]
    archive: UUID | None = Field(default=None, description="Of what lies in an archive.")
    start: Time
    end: Time
    text: str
    host: str
    number: int | None = Field(default=None, description="Of an exhibit.")
    resource: str | None = Field(default=None, description="Of a finding.")
    id: str = Field(description="Of a finding, or of an exhibit; else a text of its own.")


class TimelineOut(Out):
    """Exhibits, findings, notes and changes on one axis."""

    start: Time
    end: Time
    events: list[EventOut]
    troubles: list[str] = Field(description="What could not be looked at, and why.")


class PreviewIn(BaseModel):
    """A report that is being written; null: as Reditus prepares it."""

    markdown: str | None = Field(default=None, max_length=200_000, pattern=r"^[^\x00]*$")


class PreviewOut(Out):
    """The report as it would be."""

    html: str
    markdown: str


class ProgressOut(Out):
    """How far a report or a bundle is."""

    done: int
    total: int
    doing: str
