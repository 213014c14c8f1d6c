"""Tell the server how the recording goes, and take its orders: which plan, stop, go on, burst.

A thread of its own asks every few seconds; the recording never waits for it. While the server is away the last orders
hold.
"""

import http.client
import json
import threading
from collections.abc import Callable
from dataclasses import dataclass
from urllib.parse import urlsplit
from uuid import UUID

import structlog

from reditus.core.plan import Plan, PlanError
from reditus.core.types import Json

log = structlog.get_logger()

ASK_EVERY_S = 3.0
TIMEOUT_S = 10.0
FIRST_ANSWER_S = 2.0


@dataclass(frozen=True, slots=True)
class Orders:
    plan: Plan | None = None
    """None: as the recorder was started."""
    recording: bool = True
    burst_until_ns: int = 0
    """Since the epoch."""


class CurrentOrders:
    """Where a recording finds its orders."""

    def __init__(self) -> None:
        self.current = Orders()


class OrderDesk(CurrentOrders):
    """Asks from a thread; `current` is safe to read from any."""

    def __init__(self, server: str, recorder: UUID, report: Callable[[], Json]) -> None:
        super().__init__()
        self._url = urlsplit(server)
        self._path = f"/api/recorders/{recorder}"
        self._report = report
        self._stopping = threading.Event()
        self._refused: str | None = None
        self._asked = threading.Event()
        self._thread = threading.Thread(target=self._run, name="orders", daemon=True)

    def start(self) -> None:
        """Begin to ask. Wait a moment for the first answer, so that the recording begins with the right plan."""
        self._thread.start()
        self._asked.wait(FIRST_ANSWER_S)

    def stop(self) -> None:
        """Say good-bye: the last report tells that the recorder ended."""
        self._stopping.set()
        self._thread.join(TIMEOUT_S)
        self._ask()

    def _run(self) -> None:
        self._ask()
        self._asked.set()
        while not self._stopping.wait(ASK_EVERY_S):
            self._ask()

    def _ask(self) -> None:
        connect = http.client.HTTPSConnection if self._url.scheme == "https" else http.client.HTTPConnection
        connection = connect(self._url.hostname or "127.0.0.1", self._url.port, timeout=TIMEOUT_S)
        try:
            connection.request("PUT", self._path, json.dumps(self._report()), {"Content-Type": "application/json"})
            response = connection.getresponse()
            answer = response.read()
        except (OSError, http.client.HTTPException):
            return  # the uplink says that the server is away
        finally:
            connection.close()
        if response.status == 200:
            self._take(json.loads(answer))
        elif self._refused != (said := answer.decode("utf-8", "replace")[:300]):
            log.warning("the server does not take the report", status=response.status, answer=said)
            self._refused = said

    def _take(self, told: Json) -> None:
        try:
            plan = None if told.get("plan") is None else Plan.from_json(told["plan"])
        except PlanError as why:
            log.error("a plan of a newer server is not understood; the last one holds", reason=str(why))
            plan = self.current.plan
        self.current = Orders(plan, bool(told.get("recording", True)), int(told.get("burst_until_ns") or 0))
