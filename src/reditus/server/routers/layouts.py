"""Layouts that were saved: named arrangements of strips."""

from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, Response
from pydantic import BaseModel, Field, StringConstraints

from reditus.server.context import StoreDep
from reditus.server.schemas import Name, Out
from reditus.store.archives.layouts import MOST_LAYOUTS, Layout

router = APIRouter(prefix="/layouts", tags=["layouts"])

MOST_STRIPS = 40
Strip = Annotated[
    str, StringConstraints(min_length=1, max_length=2_000, strip_whitespace=True, pattern=r"^[^\x00-\x1f\x7f;]+$")
]
"""One strip, as a link names it; a link parts them by semicolons."""


class LayoutIn(BaseModel):
    """A layout to save."""

    name: Name
    host: UUID | None = Field(default=None, description="Only for this host; null: for all of them.")
    strips: list[Strip] = Field(min_length=1, max_length=MOST_STRIPS, description="Each as docs/layouts.md says.")


class LayoutOut(Out):
    """A saved layout."""

    id: UUID
    name: str
    host: UUID | None
    strips: list[str]

    @classmethod
    def of(cls, layout: Layout) -> "LayoutOut":
        """From the store's record."""
        return cls(id=layout.id, name=layout.name, host=layout.host, strips=list(layout.strips))


@router.get("")
def read_layouts(store: StoreDep) -> list[LayoutOut]:
    """All saved layouts, in their order."""
    return [LayoutOut.of(layout) for layout in store.layouts.all()]


@router.put("/order")
def put_order(body: Annotated[list[UUID], Field(max_length=MOST_LAYOUTS)], store: StoreDep) -> list[LayoutOut]:
    """Put layouts in this order; those that are not named come behind them."""
    return [LayoutOut.of(layout) for layout in store.layouts.order(body)]


@router.put("/{layout_id}")
def put_layout(layout_id: UUID, body: LayoutIn, store: StoreDep) -> LayoutOut:
    """Save a layout under an id that the client made; one of that id is replaced."""
    return LayoutOut.of(store.layouts.save(Layout(layout_id, body.name, body.host, tuple(body.strips))))


@router.delete("/{layout_id}", status_code=204, response_class=Response)
def delete_layout(layout_id: UUID, store: StoreDep) -> None:
    """Delete a layout. For a month it can be brought back."""
    store.layouts.delete(layout_id)


@router.post("/{layout_id}/restore")
def restore_layout(layout_id: UUID, store: StoreDep) -> LayoutOut:
    """Bring a deleted layout back."""
    return LayoutOut.of(store.layouts.restore(layout_id))
