"""Limits that hold for every request before any handler sees it: by which name it came, who may ask for changes, how
large and how slow it may be, and whether its texts and numbers are any that Reditus can use.

Browsers send an Origin with every request that changes something. One from another site is refused, so that a page on
the internet cannot make an analyst's browser write to the server on loopback.
"""

import asyncio
import hmac
from collections.abc import AsyncIterator, Sequence
from contextlib import asynccontextmanager
from http.cookies import CookieError, SimpleCookie
from urllib.parse import parse_qsl, unquote_to_bytes, urlsplit

from starlette.datastructures import Headers
from starlette.requests import ClientDisconnect
from starlette.responses import RedirectResponse, Response
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from reditus.core.outside import OutsideError, check_value, strict_json
from reditus.server.errors import TooLarge, TooSlow, problem

MAX_JSON_BYTES = 1 << 20
MAX_BLOCKS_BYTES = 64 << 20
MAX_LOG_BYTES = 32 << 20
"""Of a log; each line of it takes some times its length while it is read."""
MAX_BUNDLE_BYTES = 256 << 20
MAX_PART_BYTES = 64 << 20
"""Of a file that comes in, in one request."""
BUNDLES = "/api/bundles"
IMPORTS = "/api/imports/"
MAX_OTLP_BYTES = 16 << 20
PROTECTED = ("/api", "/v1/", "/metrics")
"""What needs the token."""
MOST_QUERY_BYTES = 64 << 10
PART_S = 15.0
"""For the next part of a body."""
LEAST_BYTES_A_SECOND = 16 << 10
"""Over a whole body, after PART_S."""
SAFE = {"GET", "HEAD", "OPTIONS"}
TOKEN_COOKIE = "reditus_token"
HEADERS = {
    b"content-security-policy": b"default-src 'self'; img-src 'self' data:; font-src 'self' data:; "
    b"style-src 'self' 'unsafe-inline'; "
    b"frame-ancestors 'none'; base-uri 'none'; form-action 'self'",
    b"x-content-type-options": b"nosniff",
    b"referrer-policy": b"no-referrer",
    b"cross-origin-resource-policy": b"same-origin",
}


class Guard:
    """ASGI middleware, outermost."""

    def __init__(self, app: ASGIApp, hosts: Sequence[str], intake_bytes: int, token: str | None = None) -> None:
        self._app, self._hosts, self._token = app, {host.lower() for host in hosts}, token
        self._intake = Room(intake_bytes)

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Check the request before the application sees it."""
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        send = _with_headers(send)
        refusal = self._refusal(scope)
        if refusal is not None:
            await refusal(scope, receive, send)
            return
        try:
            held = _announced(scope) if _raw_limit(scope) and not _to_a_file(scope["path"]) else 0
            async with self._intake.taken(held):
                await self._app(scope, await _checked_body(scope, receive), send)
        except (TooLarge, TooSlow, OutsideError, ClientDisconnect) as why:
            await _refused_body(why)(scope, receive, send)

    def _refusal(self, scope: Scope) -> Response | None:
        headers = Headers(scope=scope)
        if _host_name(headers.get("host", "")) not in self._hosts:
            return problem(400, "unknown-host", "Refused", "this name is not one of REDITUS_ALLOWED_HOSTS")
        if scope["method"] not in SAFE and not _same_site(headers):
            return problem(403, "other-site", "Refused", "Changes are only taken from Reditus' own pages and programs.")
        wrong = _wrong_address(scope)
        if wrong is not None:
            return problem(400, "bad-address", "Address not understood", wrong)
        if self._token is not None:
            return self._without_token(scope, headers)
        return None

    def _without_token(self, scope: Scope, headers: Headers) -> Response | None:
        """What a request gets that does not carry the token; a link that carries it is turned into a cookie."""
        assert self._token is not None
        offered = dict(parse_qsl(scope["query_string"].decode("latin-1"))).get("token")
        if offered is not None and _same(offered, self._token) and scope["method"] == "GET":
            response = RedirectResponse(scope["path"] or "/", 303)
            response.set_cookie(TOKEN_COOKIE, self._token, httponly=True, samesite="strict")
            return response
        if not scope["path"].startswith(PROTECTED):
            return None
        kind, _, bearer = headers.get("authorization", "").partition(" ")
        if kind.lower() == "bearer" and _same(bearer, self._token):
            return None
        if _same(_cookie(headers.get("cookie", "")), self._token):
            return None
        refusal = problem(
            401,
            "no-token",
            "Token wanted",
            "send the token of REDITUS_TOKEN as 'Authorization: Bearer …', or open /?token=…",
        )
        refusal.headers["www-authenticate"] = "Bearer"
        return refusal


def _same(offered: str, token: str) -> bool:
    return hmac.compare_digest(offered.encode("utf-8", "surrogateescape"), token.encode())


def _cookie(header: str) -> str:
    try:
        found = SimpleCookie(header).get(TOKEN_COOKIE)
    except CookieError:
        return ""
    return "" if found is None else found.value


def _host_name(host: str) -> str:
    """Without the port."""
    name, colon, port = host.rpartition(":")
    return (name if colon and port.isdigit() else host).lower()


def _wrong_address(scope: Scope) -> str | None:
    """What is wrong with the path or the query."""
    query = scope["query_string"]
    if len(query) > MOST_QUERY_BYTES:
        return f"the query has {len(query)} bytes; {MOST_QUERY_BYTES} at most"
    for name, part in (("path", scope.get("raw_path") or scope["path"].encode()), ("query", query)):
        raw = unquote_to_bytes(part)
        if b"\0" in raw:
            return f"the {name} holds the character U+0000"
        try:
            raw.decode("utf-8")
        except UnicodeDecodeError:
            return f"the {name} is not UTF-8"
    return None


async def _checked_body(scope: Scope, receive: Receive) -> Receive:
    """Blocks as they come, within limits; any other body at once, and only if it is JSON that can be used."""
    headers = Headers(scope=scope)
    raw_limit = _raw_limit(scope)
    limit = raw_limit or MAX_JSON_BYTES
    announced = headers.get("content-length", "0")
    if announced.isdigit() and (len(announced) > len(str(MAX_BUNDLE_BYTES)) or int(announced) > limit):
        raise _too_large(limit)
    if scope["method"] in SAFE:
        return receive  # no body; the application only checks whether the client is still there
    timed = _timed(_counting(receive, limit))
    if raw_limit:
        return timed
    parts: list[bytes] = []
    while True:
        message = await timed()
        if message["type"] == "http.disconnect":
            raise ClientDisconnect
        parts.append(message.get("body", b""))
        if not message.get("more_body", False):
            break
    body = b"".join(parts)
    if body:
        check_value(strict_json(body))
    return _replayed(body, receive)


def _raw_limit(scope: Scope) -> int:
    """How large a body may be that is no JSON; 0 where it has to be JSON."""
    if scope["method"] in SAFE:
        return 0
    path = scope["path"]
    if path.endswith("/blocks"):
        return MAX_BLOCKS_BYTES
    if path == BUNDLES:
        return MAX_BUNDLE_BYTES
    if path.startswith("/v1/"):
        return MAX_OTLP_BYTES
    if _to_a_file(path):
        return MAX_PART_BYTES
    return MAX_LOG_BYTES if path.endswith(("/logs", "/logs/preview")) else 0


def _to_a_file(path: str) -> bool:
    """Whether a body goes to a file as it comes, so that it takes no memory."""
    return path == BUNDLES or (path.startswith(IMPORTS) and path.endswith("/content"))


def _announced(scope: Scope) -> int:
    """How large the body says that it is; what does not say is taken for the largest."""
    declared = Headers(scope=scope).get("content-length", "")
    return min(int(declared), MAX_BLOCKS_BYTES) if declared.isdigit() and len(declared) < 12 else MAX_BLOCKS_BYTES


class Room:
    """So many bytes of bodies are in memory at once; what does not fit waits, and what is larger than all of it comes
    alone.
    """

    def __init__(self, size_bytes: int) -> None:
        self._size_bytes = size_bytes
        self._taken_bytes = 0
        self._changed = asyncio.Condition()

    @asynccontextmanager
    async def taken(self, size_bytes: int) -> AsyncIterator[None]:
        """Hold so much of it."""
        if size_bytes == 0:
            yield
            return
        wanted = min(size_bytes, self._size_bytes)
        async with self._changed:
            await self._changed.wait_for(lambda: self._taken_bytes + wanted <= self._size_bytes)
            self._taken_bytes += wanted
        try:
            yield
        finally:
            async with self._changed:
                self._taken_bytes -= wanted
                self._changed.notify_all()


def _replayed(body: bytes, receive: Receive) -> Receive:
    sent = False

    async def replay() -> Message:
        nonlocal sent
        if sent:
            return await receive()
        sent = True
        return {"type": "http.request", "body": body, "more_body": False}

    return replay


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


def _timed(receive: Receive) -> Receive:
    """A body that has to come at a bearable pace. What is read after its end, such as whether the client is still
    there, may take as long as it will.
    """
    loop = asyncio.get_running_loop()
    begun_s = loop.time()
    seen, ended = 0, False

    async def timed() -> Message:
        nonlocal seen, ended
        if ended:
            return await receive()
        try:
            message = await asyncio.wait_for(receive(), PART_S)
        except TimeoutError:
            raise TooSlow(f"nothing more of the body came for {PART_S:g} s") from None
        seen += len(message.get("body", b""))
        ended = not message.get("more_body", False)
        if not ended and loop.time() - begun_s > PART_S + seen / LEAST_BYTES_A_SECOND:
            raise TooSlow(f"the body came at less than {LEAST_BYTES_A_SECOND >> 10} KiB a second")
        return message

    return timed


def _refused_body(why: Exception) -> Response:
    if isinstance(why, TooLarge):
        return problem(413, "too-large", "Too large", str(why), close=True)
    if isinstance(why, TooSlow):
        return problem(408, "too-slow", "Too slow", str(why), close=True)
    if isinstance(why, OutsideError):
        errors = [{"pointer": f"#{why.pointer}", "detail": why.what}]
        return problem(
            422,
            "bad-json",
            "Request not understood",
            f"the body cannot be taken: {why}. See /api/docs.",
            errors=errors,
        )
    return problem(
        499, "cancelled", "Request cancelled", "the client disconnected before its request was complete", close=True
    )


def _with_headers(send: Send) -> Send:
    async def sent(message: Message) -> None:
        if message["type"] == "http.response.start":
            message["headers"] = [*message.get("headers", []), *HEADERS.items()]
        await send(message)

    return sent


def _same_site(headers: Headers) -> bool:
    site = headers.get("sec-fetch-site")
    if site is not None and site not in ("same-origin", "none"):
        return False
    origin = headers.get("origin")
    return origin is None or urlsplit(origin).netloc == headers.get("host")


def _too_large(limit: int) -> TooLarge:
    return TooLarge(f"this may have at most {limit:,} bytes; send less at a time")
