"""What goes over the wire of bundles."""

from typing import Annotated
from uuid import UUID

from pydantic import BaseModel, Field

from reditus.analysis.bundles import Choices
from reditus.core.window import parse_window
from reditus.exchange.bundle.pseudonyms import Category
from reditus.server.schemas import Moment, Out, Time


class BundleStretchIn(BaseModel):
    """A stretch of an archive or host that goes along."""

    archive: UUID
    start: Moment | None = Field(default=None, description="RFC 3339; null: nothing of it goes along.")
    end: Moment | None = None


class BundleIn(BaseModel):
    """What goes into a bundle, and which names are replaced."""

    replace: list[Category] = Field(default=[], max_length=len(Category), description="Names of these are replaced.")
    stretches: Annotated[list[BundleStretchIn], Field(max_length=100)] = Field(
        default=[], description="Other stretches than those that the exhibits lie in."
    )
    parquet: bool = Field(default=False, description="Counters as Parquet too, for readers without Reditus.")

    def choices(self) -> Choices:
        """Raise TimeError or WindowError."""
        windows = {
            item.archive: None
            if item.start is None or item.end is None
            else parse_window(item.start, item.end, (None, None))
            for item in self.stretches
        }
        return Choices(frozenset(self.replace), windows, self.parquet)


class BundlePartOut(Out):
    """A file of the bundle."""

    name: str
    bytes: int
    media_type: str


class SubstituteOut(Out):
    """A name, and what stands for it in the bundle. The sender alone sees this."""

    category: Category
    name: str
    substitute: str


class BundleStretchOut(Out):
    """A stretch that goes along."""

    timeline: UUID = Field(description="The archive or host that exhibits name.")
    host: str
    archive: str
    start: Time
    end: Time
    ticks: int
    processes: int
    markers: int
    damaged: int = Field(description="Blocks that cannot be read, and so do not go along.")


class BundleInsideOut(Out):
    """What would leave."""

    parts: list[BundlePartOut]
    packed_bytes: int
    stretches: list[BundleStretchOut]
    substitutes: list[SubstituteOut]
    more: int = Field(description="Substitutes that are not listed here.")
    searched: int = Field(description="Names that every text of the bundle was searched for, and that are not in it.")
