"""Files that come in: received part by part, looked at, read, and followed until they are in an archive."""

import math
import os
from collections.abc import Sequence
from io import FileIO
from pathlib import Path
from typing import Annotated, NamedTuple
from uuid import UUID

from anyio import to_thread
from fastapi import APIRouter, Query, Request, Response

from reditus.exchange.formats import FORMATS
from reditus.exchange.incoming.looking import Look, is_printed, look_at, signature_of
from reditus.exchange.incoming.mapping import TableMapping
from reditus.exchange.incoming.readers import ImportOptions
from reditus.exchange.incoming.text_layout import TextLayout
from reditus.server.context import Context, ContextDep
from reditus.server.errors import TooLarge
from reditus.server.import_schemas import ImportIn, ImportOut, LookColumnOut, LookIn, LookNameOut, LookOut
from reditus.store.imports.records import Import, ImportInTheWay, State

router = APIRouter(prefix="/imports", tags=["imports"])

CONTENT_TYPE = "application/octet-stream"
SHOWN_ROWS = 200


@router.get("")
def list_imports(context: ContextDep) -> list[ImportOut]:
    """Files on their way, and those that have arrived or failed; the newest first."""
    return [ImportOut.of(item, context.progress) for item in context.store.imports.all()]


@router.get("/{import_id}")
def read_import(import_id: UUID, context: ContextDep) -> ImportOut:
    """Where a file is."""
    return ImportOut.of(context.store.imports.get(import_id), context.progress)


@router.put("/{import_id}")
def begin_import(import_id: UUID, body: ImportIn, context: ContextDep) -> ImportOut:
    """Announce a file, under an id of one's own. The same again is harmless, and says how much of it is here."""
    room = context.importer.room_bytes()
    if body.size_bytes > room:
        raise TooLarge(f"the file has {body.size_bytes:,} bytes; the server's disk has room for one of {room:,}")
    return ImportOut.of(context.store.imports.begin(import_id, body.name, body.size_bytes), context.progress)


@router.put(
    "/{import_id}/content",
    openapi_extra={
        "requestBody": {
            "required": True,
            "content": {CONTENT_TYPE: {"schema": {"type": "string", "format": "binary"}}},
        }
    },
)
async def receive_part(
    import_id: UUID,
    request: Request,
    context: ContextDep,
    offset: Annotated[int, Query(ge=0, lt=1 << 62, description="Where in the file the part begins.")],
) -> ImportOut:
    """A part of the file, behind what is here already: after a broken connection one goes on where `received_bytes`
    says.
    """
    item = await to_thread.run_sync(_awaited, context, import_id, offset, limiter=context.lanes.intake)
    path = context.importer.content(import_id)
    with await to_thread.run_sync(_opened, path, offset, limiter=context.lanes.intake) as file:
        end = offset
        async for chunk in request.stream():
            end += len(chunk)
            if end > item.size_bytes:
                raise TooLarge(f"the part ends at byte {end:,}; the file was announced with {item.size_bytes:,}")
            await to_thread.run_sync(file.write, chunk, limiter=context.lanes.intake)
        await to_thread.run_sync(_settled, file.fileno(), limiter=context.lanes.intake)

    def kept() -> ImportOut:
        return ImportOut.of(context.store.imports.received(import_id, end), context.progress)

    return await to_thread.run_sync(kept, limiter=context.lanes.intake)


def _awaited(context: Context, import_id: UUID, offset: int) -> Import:
    item = context.store.imports.get(import_id)
    if item.state is not State.RECEIVING:
        raise ImportInTheWay(f"{item.name} is {item.state.value}; nothing more of it is taken")
    if offset != item.received_bytes:
        raise ImportInTheWay(f"{item.received_bytes:,} bytes of {item.name} are here; go on there, not at {offset:,}")
    return item


def _opened(path: Path, offset: int) -> FileIO:
    # What a broken connection left behind the last whole part is written over, and nothing is cut: the same part may
    # come twice at once, when its sender gave up waiting.
    file = FileIO(os.open(path, os.O_WRONLY | os.O_CREAT, 0o600), "w")
    file.seek(offset)
    return file


def _settled(number: int) -> None:
    os.fsync(number)


@router.post("/{import_id}/look")
def look_at_import(import_id: UUID, body: LookIn, context: ContextDep) -> LookOut:
    """What the file is taken for: a table's first rows and numbers, by a mapping or by a guess. Nothing is kept."""
    item = context.store.imports.get(import_id)
    path = _whole(context, item)
    reading = Reading(body.mapping, body.layout)
    kept = False
    if not reading.is_said:
        last = _last_reading(context, signature_of(path, item.name))
        reading, kept = last or reading, last is not None
    return _described(look_at(path, item.name, reading.mapping, reading.layout), kept=kept)


@router.post("/{import_id}/start")
def start_import(import_id: UUID, body: ImportOptions, context: ContextDep) -> ImportOut:
    """Read the file. A mapping is kept for the next file whose columns are called the same, a layout for the next text
    that is laid out so; without one it is read as the last such file, or as it is guessed.
    """
    item = context.store.imports.get(import_id)
    path = _whole(context, item)
    signature = signature_of(path, item.name)
    options = body
    if signature is not None:
        said = Reading(body.mapping, body.layout)
        if said.is_said:
            said.keep(context, signature)
        elif (last := _last_reading(context, signature)) is not None:
            options = body.model_copy(update={"mapping": last.mapping, "layout": last.layout})
    started = context.store.imports.start(import_id, options.model_dump(mode="json"))
    context.importer.wake()
    return ImportOut.of(started, context.progress)


@router.post("/{import_id}/cancel")
def cancel_import(import_id: UUID, context: ContextDep) -> ImportOut:
    """End it, wherever it is. Nothing of it is left in an archive."""
    item = context.store.imports.cancel(import_id)
    context.importer.cancel(import_id)
    if item.received_bytes < item.size_bytes:
        context.importer.forget(import_id)
    return ImportOut.of(item, context.progress)


@router.delete("/{import_id}", status_code=204, response_class=Response)
def remove_import(import_id: UUID, context: ContextDep) -> None:
    """Forget a file that was received or has ended. An archive that it became stays."""
    context.store.imports.remove(import_id)
    context.importer.forget(import_id)


def _whole(context: Context, item: Import) -> Path:
    if item.state not in (State.RECEIVED, State.FAILED):
        raise ImportInTheWay(f"{item.name} is {item.state.value}; it would have to be received")
    return context.importer.content(item.id)


class Reading(NamedTuple):
    """How a text is read: by a mapping or by a layout."""

    mapping: TableMapping | None = None
    layout: TextLayout | None = None

    @property
    def is_said(self) -> bool:
        """Whether it is said, and not to be guessed."""
        return self.mapping is not None or self.layout is not None

    def keep(self, context: Context, signature: str) -> None:
        """Keep it for the next file of that signature. Raise MappingError for what cannot be."""
        if self.mapping is not None:
            self.mapping.check()
        if self.layout is not None and is_printed(signature):
            # The next one begins on another day.
            dayless = self.layout.model_copy(update={"date": None})
            context.store.imports.keep_mapping(signature, dayless.model_dump(mode="json"))
        elif self.mapping is not None and not is_printed(signature):
            context.store.imports.keep_mapping(signature, self.mapping.model_dump(mode="json"))


def _last_reading(context: Context, signature: str | None) -> Reading | None:
    kept = None if signature is None else context.store.imports.mapping_of(signature)
    if kept is None or signature is None:
        return None
    if is_printed(signature):
        return Reading(layout=TextLayout.model_validate(kept))
    return Reading(mapping=TableMapping.model_validate(kept))


def _described(look: Look, *, kept: bool) -> LookOut:
    return LookOut(
        format=look.form,
        title=FORMATS[look.form].title,
        mapping=look.mapping,
        layout=look.layout,
        doubts=[] if kept else list(look.doubts),
        kept=kept,
        problem=look.problem,
        heads=[[cell[:200] for cell in row[:SHOWN_ROWS]] for row in look.heads],
        columns=[
            LookColumnOut(
                place=column.place,
                name=column.name[:200],
                cells=[cell[:80] for cell in column.cells],
                values=_known(column.values),
            )
            for column in look.columns
        ],
        names=[
            LookNameOut(
                name=item.name[:200],
                device=item.device[:200],
                cells=[cell[:80] for cell in item.cells],
                values=_known(item.values),
                meaning=item.meaning,
            )
            for item in look.names
        ],
        times=list(look.times_ns),
        rows=len(look.times_ns),
    )


def _known(values: Sequence[float]) -> list[float | None]:
    return [value if math.isfinite(value) else None for value in values]
