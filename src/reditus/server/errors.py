"""Every error that a client can meet, as RFC 9457 problem details, in one place."""

import time
from collections.abc import Awaitable, Callable, Iterable, Sequence
from typing import Any

import structlog
from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from starlette.exceptions import HTTPException
from starlette.requests import ClientDisconnect

from reditus.analysis.exhibits.judged import NothingPinned
from reditus.analysis.report.dossier import DamagedExhibit
from reditus.analysis.report.paper import NoTypesetter
from reditus.core.errors import (
    BlockError,
    BlockVersionError,
    Cancelled,
    ReditusError,
    SchemaError,
    UnknownCounter,
    UnknownMeasure,
    WindowError,
)
from reditus.core.facts import FactsError
from reditus.core.log_text import UnknownLog
from reditus.core.outside import OutsideError
from reditus.core.plan import PlanError
from reditus.core.rfc3339 import TimeError
from reditus.exchange.archive_file.manifest import ArchiveFileError
from reditus.exchange.bundle.fields import Fields
from reditus.exchange.bundle.manifest import BundleError
from reditus.exchange.incoming.mapping import MappingError
from reditus.exchange.log_reading import ZoneError
from reditus.server.lanes import Busy, RequestTooLarge
from reditus.server.schemas import BadVerdict
from reditus.store import (
    ArchiveInUse,
    ArchiveProtected,
    ArchiveReadOnly,
    BlockConflict,
    DatabaseDamaged,
    DatabaseUnavailable,
    EmptyWindow,
    PlanInUse,
    TooManyLayouts,
    UnknownArchive,
    UnknownHost,
    UnknownLayout,
    UnknownPlan,
    UnknownRecorder,
    UnknownSchema,
)
from reditus.store.imports.records import ImportInTheWay, TooManyImports, UnknownImport
from reditus.store.investigations.records import (
    ChangedMeanwhile,
    ReadOnlyInvestigation,
    TooManyInvestigations,
    UnknownExhibit,
    UnknownInvestigation,
)

log = structlog.get_logger()

PROBLEM = "application/problem+json"


class ServerError(ReditusError):
    """Base of the errors of requests."""


class TimeRefused(ServerError, ValueError):
    """Ticks of a time that cannot be."""


class TooLarge(ServerError, ValueError):
    """A body over the limit."""


class TooSlow(ServerError, ValueError):
    """A body that hardly comes."""


# error: (status, name, title). Subclasses come before their bases.
PROBLEMS: dict[type[Exception], tuple[int, str, str]] = {
    UnknownArchive: (404, "unknown-archive", "No such archive"),
    UnknownSchema: (409, "unknown-schema", "Schema not known yet"),
    UnknownMeasure: (404, "unknown-measure", "No such measure"),
    UnknownCounter: (404, "unknown-counter", "No such counter"),
    ArchiveReadOnly: (409, "archive-read-only", "The archive stays as it came"),
    ArchiveInUse: (409, "archive-in-use", "An investigation keeps it"),
    ArchiveProtected: (409, "archive-protected", "The archive is protected"),
    EmptyWindow: (404, "nothing-there", "Nothing there"),
    UnknownLayout: (404, "unknown-layout", "No such layout"),
    UnknownHost: (404, "unknown-host", "No such host"),
    TooManyLayouts: (409, "too-many-layouts", "Too many layouts"),
    UnknownInvestigation: (404, "unknown-investigation", "No such investigation"),
    UnknownExhibit: (404, "unknown-exhibit", "No such exhibit"),
    TooManyInvestigations: (409, "too-many-investigations", "No more are kept"),
    ReadOnlyInvestigation: (409, "investigation-read-only", "The investigation stays as it came"),
    NothingPinned: (404, "nothing-pinned", "Not there to be pinned"),
    DamagedExhibit: (503, "exhibit-damaged", "The exhibit is damaged"),
    MappingError: (422, "bad-file", "Not a file that can be read so"),
    ArchiveFileError: (422, "bad-file", "Not a file that can be read"),
    BundleError: (422, "bad-bundle", "Not a bundle that can be opened or made"),
    NoTypesetter: (503, "no-typesetter", "PDF cannot be made here"),
    UnknownImport: (404, "unknown-import", "No such import"),
    ImportInTheWay: (409, "import-in-the-way", "Not in this state"),
    TooManyImports: (409, "too-many-imports", "No more are kept"),
    UnknownPlan: (404, "unknown-plan", "No such plan"),
    UnknownRecorder: (404, "unknown-recorder", "No such recorder"),
    PlanInUse: (409, "plan-in-use", "The plan is followed"),
    BlockVersionError: (422, "block-version", "Block from a newer version"),
    BlockError: (422, "bad-block", "Not a valid block"),
    SchemaError: (422, "bad-schema", "Not a valid schema"),
    TimeRefused: (422, "bad-time", "Time refused"),
    BlockConflict: (409, "block-clash", "Block contradicts its archive"),
    BadVerdict: (422, "bad-verdict", "Not a verdict"),
    ZoneError: (422, "bad-zone", "Not a time zone"),
    UnknownLog: (422, "bad-log", "Not a log that can be read"),
    TimeError: (422, "bad-time", "Not a time or window"),
    WindowError: (422, "bad-window", "Not a window"),
    Cancelled: (499, "cancelled", "Request cancelled"),
    TooLarge: (413, "too-large", "Too large"),
    TooSlow: (408, "too-slow", "Too slow"),
    RequestTooLarge: (422, "request-too-large", "More than one request may read"),
    Busy: (503, "busy", "The server is busy"),
    FactsError: (422, "bad-facts", "Not facts of a host"),
    OutsideError: (422, "bad-json", "Request not understood"),
    DatabaseDamaged: (503, "database-damaged", "The database is damaged there"),
    DatabaseUnavailable: (503, "database-away", "Database unavailable"),
}


def problem(status: int, name: str, title: str, detail: str, *, close: bool = False, **more: Any) -> JSONResponse:
    """An answer after RFC 9457. `close`: nothing more is taken over this connection."""
    content = {"type": f"urn:reditus:problem:{name}", "title": title, "status": status, "detail": detail, **more}
    headers = ({"Retry-After": "2"} if status == 503 else {}) | ({"Connection": "close"} if close else {})
    return JSONResponse(content, status, media_type=PROBLEM, headers=headers)


def install(app: FastAPI) -> None:
    """Register a handler for everything in PROBLEMS, for bad parameters, and for unknown paths."""
    for kind, (status, name, title) in PROBLEMS.items():
        app.add_exception_handler(kind, _handler(status, name, title))
    app.add_exception_handler(RequestValidationError, _invalid)
    app.add_exception_handler(PlanError, _bad_plan)
    app.add_exception_handler(ChangedMeanwhile, _changed)
    app.add_exception_handler(HTTPException, _http)
    app.add_exception_handler(ClientDisconnect, _gone)
    app.add_exception_handler(Exception, _unforeseen)


REPEATED_S = 60.0
_said: dict[str, tuple[str, float]] = {}


def repeated(title: str, reason: str) -> bool:
    """Whether just this was logged within the last minute: while the database is away every request would say so."""
    now_s = time.monotonic()
    before = _said.get(title)
    if before is not None and before[0] == reason and now_s - before[1] < REPEATED_S:
        return True
    _said[title] = (reason, now_s)
    return False


Handler = Callable[[Request, Exception], Awaitable[JSONResponse]]


def _handler(status: int, name: str, title: str) -> Handler:
    async def handle(request: Request, why: Exception) -> JSONResponse:
        if status >= 500 and not repeated(title, str(why)):
            log.warning(title, path=request.url.path[:200], reason=str(why)[:500])
        return problem(status, name, title, str(why))

    return handle


async def _invalid(_: Request, why: Exception) -> JSONResponse:
    assert isinstance(why, RequestValidationError)
    wrong = [_place(error["loc"]) | {"detail": error["msg"][:500]} for error in why.errors()[:20]]
    sentence = "; ".join(f"{error.get('parameter') or error.get('pointer')}: {error['detail']}" for error in wrong)
    return problem(422, "bad-request", "Request not understood", f"{sentence}. See /api/docs.", errors=wrong)


def json_pointer(parts: Iterable[object]) -> str:
    """A JSON pointer as a URI fragment (RFC 6901, section 6), as RFC 9457 has it in its own example.

    >>> json_pointer(["when", "weekly", 0, "a/b"])
    '#/when/weekly/0/a~1b'
    """
    return "#" + "".join("/" + str(part)[:80].replace("~", "~0").replace("/", "~1") for part in parts if part != "")


def _place(location: Sequence[object]) -> dict[str, str]:
    """Where in a body, or else which parameter of the path, the query or the head."""
    where, *parts = location or ("body",)
    if where == "body":
        return {"pointer": json_pointer(parts)}
    return {"parameter": ".".join(str(part)[:80] for part in parts)}


async def _bad_plan(_: Request, why: Exception) -> JSONResponse:
    assert isinstance(why, PlanError)
    wrong = [{"pointer": json_pointer(where.split(".")), "detail": what} for where, what in why.problems]
    return problem(422, "bad-plan", "The plan cannot be followed", str(why), errors=wrong)


async def _changed(_: Request, why: Exception) -> JSONResponse:
    assert isinstance(why, ChangedMeanwhile)
    current = Fields.of(why.fields).model_dump(mode="json", exclude_unset=True)
    return problem(
        409, "changed-meanwhile", "Another person changed it", str(why), version=why.current.version, fields=current
    )


async def _http(request: Request, why: Exception) -> JSONResponse:
    assert isinstance(why, HTTPException)
    detail = f"{request.method} {request.url.path[:200]}: {why.detail}. See /api/docs for what there is."
    response = problem(why.status_code, f"http-{why.status_code}", str(why.detail), detail)
    response.headers.update(why.headers or {})
    return response


async def _gone(_: Request, __: Exception) -> JSONResponse:
    return problem(
        499, "cancelled", "Request cancelled", "the client disconnected before its request was complete", close=True
    )


async def _unforeseen(request: Request, why: Exception) -> JSONResponse:
    log.error("unforeseen", path=request.url.path, exc_info=why)
    detail = "The server's log has the details (logs/server.log in the data folder). Nothing was half-written."
    return problem(500, "unforeseen", "Internal error", detail)
