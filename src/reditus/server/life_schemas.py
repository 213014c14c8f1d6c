"""What goes over the wire of an archive's life."""

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from reditus.core.gaps import Gap
from reditus.server.schemas import Moment, Name, Out, Time

MOST_NOTES = 10_000
Notes = Annotated[str, StringConstraints(max_length=MOST_NOTES, pattern=r"^[^\x00-\x08\x0b-\x1f\x7f]*$")]


class In(BaseModel):
    """Base of what is reported: a misspelt part is refused, not ignored."""

    model_config = ConfigDict(extra="forbid", populate_by_name=True)


class DescriptionIn(In):
    """What is left out stays as it is."""

    name: Name | None = None
    notes: Notes | None = None
    protected: bool | None = None


class StretchIn(In):
    """A stretch of time."""

    from_: Moment = Field(alias="from", min_length=1, description="RFC 3339.")
    to: Moment = Field(min_length=1, description="RFC 3339; not included.")


class CopyIn(StretchIn):
    """A stretch to copy, and the name of the new archive."""

    name: Name


class TrimmedOut(Out):
    """What trimming removed."""

    removed_ticks: int = Field(description="Readings of a group at a tick that are gone, of all groups together.")


class GapOut(Out):
    """A stretch without ticks."""

    start: Time
    end: Time
    reason: str | None = Field(description="null where unexplained.")

    @classmethod
    def of(cls, gap: Gap) -> "GapOut":
        """From the core's gap."""
        return cls(
            start=gap.start_ns,
            end=gap.end_ns,
            reason=gap.reason,
        )


class GapsOut(Out):
    """The longest gaps, in the order of time."""

    gaps: list[GapOut]
    total: int
    seconds: float = Field(description="How long all of them are together.")
