"""Intake: schemas and blocks from recorders. What is acknowledged is committed."""

import asyncio
import time
from typing import Annotated, Any
from uuid import UUID

from anyio import to_thread
from fastapi import APIRouter, Body, Request, Response

from reditus.core.batches import Batch, read_batch
from reditus.core.errors import SchemaError
from reditus.core.rfc3339 import EARLIEST_NS, spell_time
from reditus.core.schema import Schema
from reditus.core.types import NS_PER_S
from reditus.server.context import ContextDep, StoreDep
from reditus.server.errors import TimeRefused
from reditus.server.schemas import StoredOut

router = APIRouter(prefix="/archives/{archive_id}", tags=["intake"])

AHEAD_NS = 86_400 * NS_PER_S
"""A recorder's clock may be wrong by this much before its ticks are refused."""
BLOCKS_TYPE = "application/vnd.reditus.blocks"


# Recorders up to 0.1 call schemas layouts.
@router.put("/layouts/{digest}", status_code=204, response_class=Response, include_in_schema=False)
@router.put("/schemas/{digest}", status_code=204, response_class=Response)
def add_schema(archive_id: UUID, digest: str, schema: Annotated[dict[str, Any], Body()], store: StoreDep) -> None:
    """Describe the columns of blocks to come. The digest is the SHA-256 of the schema's canonical JSON, in hex."""
    described = Schema.from_json(schema)
    if described.digest.hex() != digest.lower():
        raise SchemaError(f"the schema's digest is {described.digest.hex()}, not {digest}; see docs/blocks.md")
    store.archives.check_writable(archive_id)
    store.add_schema(archive_id, described)


@router.post(
    "/blocks",
    openapi_extra={
        "requestBody": {"required": True, "content": {BLOCKS_TYPE: {"schema": {"type": "string", "format": "binary"}}}}
    },
)
async def append_blocks(archive_id: UUID, request: Request, context: ContextDep) -> StoredOut:
    """Take a batch of blocks, all or none. When the answer arrives they are on disk; sending twice is harmless."""
    batch = await to_thread.run_sync(_checked, await request.body(), limiter=context.lanes.intake)
    # No thread waits: hundreds of recorders send at once, and what they send is committed together.
    stored = await asyncio.wrap_future(context.store.submit(archive_id, batch))
    if stored.last_ns is not None:
        context.broadcaster.publish(archive_id, stored.last_ns)
    return StoredOut(stored_ticks=stored.stored_ticks, repeated_ticks=stored.repeated_ticks)


def _checked(body: bytes) -> Batch:
    batch = read_batch(body)
    for block in batch.blocks:
        _check_times(block.first_ns, block.last_ns)
        block.check()
        # A clock that was set and set back stands between its ends.
        wall_ns = block.column(0)
        _check_times(int(wall_ns.min()), int(wall_ns.max()))
    return batch


def _check_times(*times_ns: int) -> None:
    latest_ns = time.time_ns() + AHEAD_NS
    for at_ns in times_ns:
        if not EARLIEST_NS <= at_ns <= latest_ns:
            when = spell_time(at_ns) if 0 <= at_ns < 1 << 62 else f"{at_ns} ns"
            raise TimeRefused(
                f"a block has a tick at {when}; ticks lie between {spell_time(EARLIEST_NS)} and a day from now. Set "
                f"the "
                "recorded machine's clock, or the server's"
            )
