"""What a report is made of: an investigation with its exhibits in their order, numbered."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from uuid import UUID

from pydantic import ValidationError

from reditus.core.errors import CoreError
from reditus.exchange.bundle.contents import Content, Sentences, Source, Versions, checksum
from reditus.exchange.bundle.fields import Fields, Hypothesis
from reditus.store.investigations.records import Exhibit, Investigation


class DamagedExhibit(CoreError, ValueError):
    """What is kept of an exhibit is not what was frozen."""


@dataclass(frozen=True, slots=True)
class Numbered:
    """An exhibit in its place."""

    number: int
    id: UUID
    content: Content
    caption: str
    pictures: tuple[str, ...]
    checksum: str
    pinned_ns: int
    damage: str | None = None
    """Why what was frozen cannot be shown; then the content says so and nothing else."""

    @property
    def heading(self) -> str:
        """The analyst's caption, else what it is."""
        return self.caption or self.content.title


@dataclass(frozen=True, slots=True)
class Dossier:
    """An investigation with everything that its report shows."""

    id: UUID
    fields: Fields
    exhibits: Sequence[Numbered]
    hypotheses: Sequence[tuple[UUID, Hypothesis]]
    """In their order."""
    created_ns: int

    @property
    def numbers(self) -> Mapping[UUID, int]:
        """Numbers of exhibits by id."""
        return {item.id: item.number for item in self.exhibits}

    @property
    def question(self) -> str:
        """The question, or that there is none yet."""
        return self.fields.question or "An investigation without a question"


def content_of(exhibit: Exhibit) -> Content:
    """What was frozen. Raise DamagedExhibit where that is not what is there any more."""
    if checksum(exhibit.content) != exhibit.checksum:
        raise DamagedExhibit(
            f"exhibit {exhibit.id} is damaged: its checksum does not match what was frozen. Restore the database from "
            "a backup, or pin it again"
        )
    try:
        return Content.model_validate_json(exhibit.content)
    except ValidationError as why:
        raise DamagedExhibit(f"exhibit {exhibit.id} cannot be read: {why.errors()[0]['msg']}") from why


def ordered(fields: Fields, exhibits: Sequence[Exhibit]) -> list[tuple[int, Exhibit]]:
    """Exhibits with their numbers, in the analyst's order; those that have no place in it come last."""
    places = {key: place for place, key in enumerate(fields.order or [])}
    rows = sorted(exhibits, key=lambda item: (places.get(item.id, len(places)), item.pinned_ns, str(item.id)))
    return list(enumerate(rows, 1))


def numbered(fields: Fields, number: int, exhibit: Exhibit) -> Numbered:
    """An exhibit in its place. One that is damaged says so, and keeps none of the others from being shown."""
    caption = (fields.captions or {}).get(exhibit.id) or ""
    content, pictures, damage = _readable(exhibit)
    return Numbered(number, exhibit.id, content, caption, pictures, exhibit.checksum, exhibit.pinned_ns, damage)


def _readable(exhibit: Exhibit) -> tuple[Content, tuple[str, ...], str | None]:
    try:
        return content_of(exhibit), exhibit.pictures, None
    except DamagedExhibit as why:
        content = Content(
            kind="note",
            title="This exhibit is damaged",
            source=Source(
                host=UUID(int=0), host_name="unknown", archive=exhibit.archive, archive_name="unknown",
                interval_s=None, coverage=None,
            ),
            start_ns=exhibit.start_ns,
            end_ns=exhibit.end_ns,
            zone="UTC",
            versions=Versions(reditus="unknown", derivation=0, rules=0),
            view="",
            parts=[Sentences(lines=[str(why)])],
        )  # fmt: skip
        return content, (), str(why)


def dossier_of(investigation: Investigation, exhibits: Sequence[Exhibit]) -> Dossier:
    """Everything, read and checked."""
    fields = Fields.of(investigation.fields)
    hypotheses = [(key, item) for key, item in (fields.hypotheses or {}).items() if item is not None]
    return Dossier(
        investigation.id,
        fields,
        [numbered(fields, number, item) for number, item in ordered(fields, exhibits)],
        sorted(hypotheses, key=lambda pair: (pair[1].place, str(pair[0]))),
        investigation.created_ns,
    )
