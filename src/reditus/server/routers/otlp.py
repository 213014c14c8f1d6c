"""OTLP/HTTP from any sender, under the protocol's own paths. What is acknowledged is committed."""

import asyncio
import time
from collections.abc import Sequence
from concurrent.futures import Future
from typing import Any

from anyio import to_thread
from fastapi import APIRouter, Request, Response

from reditus.core.batches import Batch
from reditus.core.facts import HostFacts
from reditus.core.markers import Markers
from reditus.exchange.otlp.points import Refused
from reditus.exchange.otlp.receiving import Received, Sender
from reditus.exchange.otlp.records import markers_of
from reditus.exchange.otlp.wire import (
    JSON,
    PROTOBUF,
    ExportLogsServiceRequest,
    ExportLogsServiceResponse,
    ExportMetricsServiceRequest,
    ExportMetricsServiceResponse,
    OtlpError,
    UnknownEncoding,
    answered,
    decoded,
    problem_body,
    unpacked,
)
from reditus.server.context import Context, ContextDep
from reditus.store import DatabaseUnavailable, HostInfo, UnknownArchive, UnknownSchema
from reditus.store.records import Stored

router = APIRouter(prefix="/v1", tags=["otlp"])

RETRY_S = "5"
_BODY = {
    "requestBody": {
        "required": True,
        "content": {
            PROTOBUF: {"schema": {"type": "string", "format": "binary"}},
            JSON: {"schema": {"type": "object"}},
        },
    }
}
_EITHER = {PROTOBUF: {"schema": {"type": "string", "format": "binary"}}, JSON: {"schema": {"type": "object"}}}
_RESPONSES: dict[int | str, dict[str, Any]] = {
    200: {"description": "Taken; what was refused of it is said in partial_success.", "content": _EITHER},
    400: {"description": "None of the protocol: a google.rpc.Status.", "content": _EITHER},
    415: {"description": "A content type or encoding that is not spoken.", "content": _EITHER},
    503: {"description": "The database is away: send again after Retry-After.", "content": _EITHER},
}
Sent = list[tuple[Received, "Future[Stored]"]]


@router.post("/metrics", openapi_extra=_BODY, response_class=Response, responses=_RESPONSES)
async def take_metrics(request: Request, context: ContextDep) -> Response:
    """Metrics, as ExportMetricsServiceRequest. What of them is refused is reported as a partial success."""
    media_type = _media_type(request)
    body = await request.body()

    def work() -> tuple[Sent, Refused]:
        sent = decoded(unpacked(body, request.headers.get("content-encoding")), media_type, ExportMetricsServiceRequest)
        received, refused = context.receiver.metrics(sent, time.time_ns())
        return _submitted(context, received), refused

    try:
        sent, refused = await to_thread.run_sync(work, limiter=context.lanes.intake)
        await _awaited(context, sent)
    except (OtlpError, UnknownEncoding, DatabaseUnavailable) as why:
        return _refusal(why, media_type)
    answer: Any = ExportMetricsServiceResponse()
    if refused.count:
        answer.partial_success.rejected_data_points = refused.count
        answer.partial_success.error_message = refused.summary()
    return Response(answered(answer, media_type), media_type=media_type)


@router.post("/logs", openapi_extra=_BODY, response_class=Response, responses=_RESPONSES)
async def take_logs(request: Request, context: ContextDep) -> Response:
    """Log records, as ExportLogsServiceRequest: they become lines of a log beside the sender's metrics."""
    media_type = _media_type(request)
    body = await request.body()

    def work() -> Refused:
        data = unpacked(body, request.headers.get("content-encoding"))
        sent: Any = decoded(data, media_type, ExportLogsServiceRequest)
        refused = Refused("record")
        for resource in sent.resource_logs:
            sender = context.receiver.sender(resource.resource.attributes)
            if sender is None:
                refused.add("too many senders", sum(len(scope.log_records) for scope in resource.scope_logs))
                continue
            markers = tuple(markers_of(resource, sender.name, time.time_ns(), refused))
            if markers:
                _register(context, sender, None)
                marked = Markers(sender.archive, sender.archive, markers)
                context.store.submit(sender.archive, Batch([], [], [marked])).result()
        return refused

    try:
        refused = await to_thread.run_sync(work, limiter=context.lanes.intake)
    except (OtlpError, UnknownEncoding, DatabaseUnavailable) as why:
        return _refusal(why, media_type)
    answer: Any = ExportLogsServiceResponse()
    if refused.count:
        answer.partial_success.rejected_log_records = refused.count
        answer.partial_success.error_message = refused.summary()
    return Response(answered(answer, media_type), media_type=media_type)


def _media_type(request: Request) -> str:
    return request.headers.get("content-type", PROTOBUF).partition(";")[0].strip().lower()


def _submitted(context: Context, received: Sequence[Received]) -> Sent:
    for item in received:
        if item.schemas:
            _register(context, item.sender, item.facts)
            for schema in item.schemas:
                context.store.add_schema(item.sender.archive, schema)
            context.receiver.stored(item)
    return [(item, context.store.submit(item.sender.archive, item.batch)) for item in received]


def _register(context: Context, sender: Sender, facts: HostFacts | None) -> None:
    """Make the archive known; without facts only where it is not there yet."""
    store = context.store
    if facts is None:
        try:
            store.archives.get(sender.archive)
        except UnknownArchive:
            facts = HostFacts()
        else:
            return
    host = HostInfo(sender.host, sender.host_name)
    store.archives.register(host=host, archive=sender.archive, name=sender.name, source="recorded", facts=facts)


async def _awaited(context: Context, sent: Sent) -> None:
    """Wait until everything is on disk. An archive that was deleted meanwhile is made again."""
    for item, future in sent:
        try:
            stored = await asyncio.wrap_future(future)
        except (UnknownArchive, UnknownSchema):
            stored = await to_thread.run_sync(_again, context, item, limiter=context.lanes.intake)
        if stored.last_ns is not None:
            context.broadcaster.publish(item.sender.archive, stored.last_ns)


def _again(context: Context, item: Received) -> Stored:
    _register(context, item.sender, item.facts)
    for schema in item.every_schema:
        context.store.add_schema(item.sender.archive, schema)
    return context.store.submit(item.sender.archive, item.batch).result()


def _refusal(why: Exception, media_type: str) -> Response:
    body = problem_body(str(why), JSON if media_type == JSON else PROTOBUF)
    if isinstance(why, DatabaseUnavailable):
        return Response(body, 503, {"Retry-After": RETRY_S}, media_type=media_type)
    status = 415 if isinstance(why, UnknownEncoding) else 400
    return Response(body, status, media_type=JSON if media_type == JSON else PROTOBUF)
