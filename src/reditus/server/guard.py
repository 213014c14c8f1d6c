"""Limits that hold for every request before any handler sees it: the size of bodies, and who may ask for changes.

Browsers send an Origin with every request that changes something. One from another site is refused, so that a page on
the internet cannot make an analyst's browser write to the server on loopback.
"""

from urllib.parse import urlsplit

from starlette.datastructures import Headers
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from reditus.server.errors import TooLarge, problem

MAX_JSON_BYTES = 1 << 20
MAX_BLOCKS_BYTES = 64 << 20
SAFE = {"GET", "HEAD", "OPTIONS"}
HEADERS = {
    b"content-security-policy": b"default-src 'self'; img-src 'self' data:; style-src 'self' 'unsafe-inline'; "
    b"frame-ancestors 'none'",
    b"x-content-type-options": b"nosniff",
    b"referrer-policy": b"no-referrer",
}


class Guard:
    """ASGI middleware."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        headers = Headers(scope=scope)
        if scope["method"] not in SAFE and not _same_site(headers):
            refusal = problem(
                403, "other-site", "Refused", "Changes are only taken from Reditus' own pages and programs."
            )
            await refusal(scope, receive, send)
            return
        limit = MAX_BLOCKS_BYTES if scope["path"].endswith("/blocks") else MAX_JSON_BYTES
        announced = headers.get("content-length", "0")
        if announced.isdigit() and int(announced) > limit:
            refusal = problem(413, "too-large", "Too large", str(_too_large(limit)))
            await refusal(scope, receive, send)
            return
        await self._app(scope, _counting(receive, limit), _with_headers(send))


def _counting(receive: Receive, limit: int) -> Receive:
    seen = 0

    async def counted() -> Message:
        nonlocal seen
        message = await receive()
        seen += len(message.get("body", b""))
        if seen > limit:
            raise _too_large(limit)
        return message

    return counted


def _with_headers(send: Send) -> Send:
    async def sent(message: Message) -> None:
        if message["type"] == "http.response.start":
            message["headers"] = [*message.get("headers", []), *HEADERS.items()]
        await send(message)

    return sent


def _same_site(headers: Headers) -> bool:
    origin = headers.get("origin")
    return origin is None or urlsplit(origin).netloc == headers.get("host")


def _too_large(limit: int) -> TooLarge:
    return TooLarge(f"this may have at most {limit:,} bytes; send less at a time")
