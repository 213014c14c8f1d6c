"""Tell the server how the recording goes, and take its orders: which plan, stop, go on, burst.

A thread of its own asks every few seconds; the recording never waits for it. While the server is away the last orders
hold.
"""

import json
import threading
from collections.abc import Callable
from dataclasses import dataclass
from uuid import UUID

import structlog

from reditus.core.plan import Plan, PlanError
from reditus.core.rfc3339 import parse_instant
from reditus.core.types import Json
from reditus.recorder.connection import TIMEOUT_S, Connection

log = structlog.get_logger()

ASK_EVERY_S = 3.0
FIRST_ANSWER_S = 2.0


@dataclass(frozen=True, slots=True)
class Orders:
    """What the server wants a recorder to do."""

    plan: Plan | None = None
    """None: as the recorder was started."""
    recording: bool = True
    burst_until_ns: int = 0
    """Since the epoch."""


class ControlState:
    """Where a recording finds its orders."""

    def __init__(self) -> None:
        self.current = Orders()


class ControlClient(ControlState):
    """Asks from a thread; `current` is safe to read from any."""

    def __init__(self, server: str, recorder: UUID, report: Callable[[], Json]) -> None:
        super().__init__()
        self._connection = Connection(server)
        self._path = f"/api/recorders/{recorder}"
        self._report = report
        self._stopping = threading.Event()
        self._refused: str | None = None
        self._requested = threading.Event()
        self._thread = threading.Thread(target=self._run, name="orders", daemon=True)

    def start(self) -> None:
        """Begin to ask. Wait a moment for the first answer, so that the recording begins with the right plan."""
        self._thread.start()
        self._requested.wait(FIRST_ANSWER_S)

    def stop(self) -> None:
        """Say good-bye: the last report tells that the recorder ended."""
        self._stopping.set()
        self._thread.join(TIMEOUT_S)
        if not self._thread.is_alive():  # else the server has not answered for so long
            self._request()
            self._connection.close()

    def _run(self) -> None:
        self._request()
        self._requested.set()
        while not self._stopping.wait(ASK_EVERY_S):
            self._request()

    def _request(self) -> None:
        try:
            status, answer = self._connection.request(
                "PUT", self._path, json.dumps(self._report()).encode(), "application/json"
            )
        except ConnectionError:
            return  # the uplink says that the server is away
        if status == 200:
            self._take(json.loads(answer))
        elif self._refused != (said := answer[:300]):
            log.warning("the server does not take the report", status=status, answer=said)
            self._refused = said

    def _take(self, answer: Json) -> None:
        try:
            plan = None if answer.get("plan") is None else Plan.from_json(answer["plan"])
        except PlanError as why:
            log.error("a plan of a newer server is not understood; the last one holds", reason=str(why))
            plan = self.current.plan
        until = answer.get("burst_until")
        self.current = Orders(plan, bool(answer.get("recording", True)), 0 if until is None else parse_instant(until))
