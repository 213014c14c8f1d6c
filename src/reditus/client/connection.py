"""A server, spoken to over HTTP with nothing but the standard library."""

import json
import os
import re
from collections.abc import Mapping
from http.client import HTTPConnection, HTTPException, HTTPResponse, HTTPSConnection
from typing import Any
from urllib.parse import urlencode, urlsplit

from reditus.client.errors import ClientError
from reditus.client.timeline import Timeline

TIMEOUT_S = 600.0
TOKEN = "REDITUS_TOKEN"
_ID = re.compile(r"^[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}$")


class Connection:
    """A server. `token`, or REDITUS_TOKEN, is sent where the server asks for one."""

    def __init__(self, url: str, token: str | None = None) -> None:
        self._url = urlsplit(url)
        if self._url.scheme not in ("http", "https") or not self._url.hostname:
            raise ClientError(f"{url!r} is no address of a server; it would be like http://127.0.0.1:8460")
        token = token or os.environ.get(TOKEN)
        # One connection an answer: nothing is left open when it was read.
        self._headers = {"Connection": "close"} | ({"Authorization": f"Bearer {token}"} if token else {})

    def hosts(self) -> list[str]:
        """The names of all hosts."""
        return sorted({str(archive["host"]["name"]) for archive in self.archives()})

    def archives(self) -> list[dict[str, Any]]:
        """All archives, as the API has them; the one with the newest data first."""
        return list(self.json("/api/archives"))

    def host(self, name: str) -> Timeline:
        """All archives of a host as one timeline. Raise ClientError where none is called so."""
        found = {archive["host"]["id"] for archive in self.archives() if name in _names(archive["host"])}
        if len(found) != 1:
            known = ", ".join(self.hosts()) or "none yet"
            raise ClientError(f"{len(found) or 'no'} hosts are called {name!r}; there are {known}")
        return Timeline(self, str(found.pop()), name)

    def archive(self, name: str) -> Timeline:
        """An archive, by name or id. Raise ClientError where none is called so."""
        found = [archive for archive in self.archives() if name in _names(archive)]
        if not found:
            known = ", ".join(sorted({str(archive["name"]) for archive in self.archives()})) or "none yet"
            raise ClientError(f"no archive is called {name!r}; there are {known}")
        return Timeline(self, str(found[0]["id"]), str(found[0]["name"]))

    def json(self, path: str, query: Mapping[str, Any] | None = None) -> Any:
        """An answer of the API. Raise ClientError, saying what was wrong, for a refusal."""
        with self.get(path, query) as answer:
            return json.loads(answer.read())

    def get(self, path: str, query: Mapping[str, Any] | None = None) -> HTTPResponse:
        """An answer as it comes, to be read. Raise ClientError."""
        given = {key: value for key, value in (query or {}).items() if value is not None}
        target = f"{self._url.path.rstrip('/')}{path}" + (f"?{urlencode(given, doseq=True)}" if given else "")
        kind = HTTPSConnection if self._url.scheme == "https" else HTTPConnection
        http = kind(self._url.hostname or "127.0.0.1", self._url.port, timeout=TIMEOUT_S)
        try:
            http.request("GET", target, headers=self._headers)
            answer = http.getresponse()
        except (OSError, HTTPException) as why:
            http.close()
            raise ClientError(f"the server at {self._url.geturl()} does not answer: {why}") from why
        if answer.status != 200:
            raise ClientError(_problem(answer))
        return answer


def _names(item: Mapping[str, Any]) -> tuple[str, str]:
    return str(item["name"]), str(item["id"])


def _problem(answer: HTTPResponse) -> str:
    with answer:
        body = answer.read()
    try:
        return str(json.loads(body)["detail"])
    except (ValueError, KeyError, TypeError):
        return f"the server answered {answer.status}, and not as Reditus does: {body[:200]!r}"
