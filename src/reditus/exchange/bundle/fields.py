"""What people write in an investigation: the complaint, hypotheses, captions, and the report."""

from collections.abc import Mapping
from typing import Annotated, Any, Literal
from uuid import UUID

from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from reditus.core.rfc3339 import parse_time
from reditus.core.window import parse_window

MOST_HYPOTHESES = 60
MOST_HOSTS = 100
MOST_EXHIBITS = 300

Words = Annotated[str, StringConstraints(max_length=4_000, pattern=r"^[^\x00]*$")]
LongText = Annotated[str, StringConstraints(max_length=200_000, pattern=r"^[^\x00]*$")]


Instant = Annotated[str, Field(json_schema_extra={"format": "date-time"}, max_length=60)]
"""RFC 3339; checked by `flat`."""
State = Literal["open", "supported", "excluded"]
Pattern = Literal["", "once", "constant", "intermittent", "recurring"]


class Written(BaseModel):
    """Base of what people write: nothing unknown."""

    model_config = ConfigDict(extra="forbid", populate_by_name=True)


class Stretch(Written):
    """From when until when, RFC 3339; of which archive or host, where it is not that of the complaint."""

    start: Instant
    end: Instant
    archive: UUID | None = None


class Hypothesis(Written):
    """What may explain the complaint, with the exhibits that speak for it and against it."""

    text: Words
    state: State = "open"
    supporting: list[UUID] = Field(default=[], max_length=MOST_EXHIBITS)
    opposing: list[UUID] = Field(default=[], max_length=MOST_EXHIBITS)
    place: float = Field(default=0, ge=-1e9, le=1e9, allow_inf_nan=False, description="Where it stands among others.")
    finding: Annotated[str, StringConstraints(max_length=300)] = Field(
        default="", description="The finding or ruled-out entry that it was taken over from."
    )


class Fields(Written):
    """Every field of an investigation. What is left out is not changed; null takes a field away."""

    question: Words | None = None
    noticed: Words | None = Field(default=None, description="Who noticed, and how.")
    when: Words | None = Field(default=None, description="In words, beside the window.")
    window: Stretch | None = None
    pattern: Pattern | None = None
    since: Words | None = None
    where: Words | None = Field(default=None, description="In words, beside the hosts.")
    hosts: list[UUID] | None = Field(default=None, max_length=MOST_HOSTS, description="Ids of archives or hosts.")
    unaffected: Words | None = Field(default=None, description="What is not affected.")
    usual: Words | None = None
    reference: Stretch | None = None
    changed: Words | None = None
    changed_at: Instant | None = None
    answer: Words | None = None
    next: Words | None = Field(default=None, description="What to do next.")
    report: LongText | None = Field(default=None, description="Markdown; null: as Reditus prepares it.")
    order: list[UUID] | None = Field(default=None, max_length=MOST_EXHIBITS, description="Exhibits, as they stand.")
    hypotheses: dict[UUID, Hypothesis | None] | None = Field(default=None, max_length=MOST_HYPOTHESES)
    captions: dict[UUID, Words | None] | None = Field(default=None, max_length=MOST_EXHIBITS)

    def flat(self) -> dict[str, Any]:
        """What is set, field by field: "question", "hypotheses/ID", "captions/ID". Raise TimeError or WindowError."""
        for span in (self.window, self.reference):
            if span is not None:
                parse_window(span.start, span.end, (None, None))
        if self.changed_at is not None:
            parse_time(self.changed_at)
        out: dict[str, Any] = {}
        for name in self.model_fields_set:
            value = getattr(self, name)
            if name in PARTED:
                for key, part in (value or {}).items():
                    out[f"{name}/{key}"] = part.model_dump(mode="json") if isinstance(part, Hypothesis) else part
            elif isinstance(value, BaseModel):
                out[name] = value.model_dump(mode="json")
            else:
                out[name] = [str(item) for item in value] if isinstance(value, list) else value
        return out

    @classmethod
    def of(cls, flat: Mapping[str, Any]) -> "Fields":
        """From what `flat` gives."""
        whole: dict[str, Any] = {}
        for name, value in flat.items():
            if "/" in name:
                part, _, key = name.partition("/")
                whole.setdefault(part, {})[key] = value
            else:
                whole[name] = value
        return cls.model_validate(whole)


PARTED = ("hypotheses", "captions")
"""Fields of which each part is changed by itself."""
