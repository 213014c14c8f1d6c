"""One kept-alive connection to the server: a new one each time would cost more than what is said over it."""

import http.client
import os
from urllib.parse import urlsplit

TIMEOUT_S = 10.0
TOKEN = "REDITUS_TOKEN"


class Connection:
    """For one thread. `request` connects when it has to."""

    def __init__(self, server: str) -> None:
        self._url = urlsplit(server)
        token = os.environ.get(TOKEN)
        self._headers = {"Authorization": f"Bearer {token}"} if token else {}
        self._connect = http.client.HTTPSConnection if self._url.scheme == "https" else http.client.HTTPConnection
        self._open: http.client.HTTPConnection | None = None

    def request(self, method: str, path: str, body: bytes, content_type: str) -> tuple[int, str]:
        """Status and answer. Raise ConnectionError where the server cannot be reached."""
        for attempt in (1, 2):
            fresh = self._open is None
            if self._open is None:
                self._open = self._connect(self._url.hostname or "127.0.0.1", self._url.port, timeout=TIMEOUT_S)
            try:
                self._open.request(method, path, body, {"Content-Type": content_type, **self._headers})
                response = self._open.getresponse()
                return response.status, response.read().decode("utf-8", "replace")
            except (OSError, http.client.HTTPException) as why:
                self.close()
                # A kept-alive connection may have been closed at the other end; a fresh one tells.
                if fresh or attempt == 2:
                    raise ConnectionError(f"{self._url.geturl()}: {why}") from why
        raise AssertionError("unreachable: the second attempt returns or raises")

    def close(self) -> None:
        """Close the connection, if one is open."""
        if self._open is not None:
            self._open.close()
            self._open = None
