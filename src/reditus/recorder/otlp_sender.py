"""The newest ticks sent to any receiver of OTLP/HTTP besides the server: JSON in gzip (OpenTelemetry Protocol 1.x).

Nothing waits for it and nothing is kept for it: what the receiver does not take is gone there, and stays in the spool
and the server. Processes and threads are left out, for their slots are numbers of ours.
"""

import gzip
import http.client
import json
import threading
from collections.abc import Iterable, Mapping
from typing import Any
from urllib.parse import urlsplit

import structlog

from reditus import __version__
from reditus.core.processes import GROUP, THREAD_GROUP
from reditus.core.schema import Column, Kind
from reditus.core.types import NS_PER_S
from reditus.recorder.sampler import Reading, boot_clock_ns

log = structlog.get_logger()

TIMEOUT_S = 10.0
PATH = "/v1/metrics"
LEFT_OUT = (GROUP, THREAD_GROUP)
CUMULATIVE = 2
"""AggregationTemporality of metrics.proto."""


class OtlpSender:
    """Sends from a thread of its own, every so often."""

    def __init__(self, url: str, resource: Mapping[str, str], every_ns: int) -> None:
        self._url, self._every_s = urlsplit(url), every_ns / NS_PER_S
        self._resource = [_attribute(key, value) for key, value in resource.items()]
        self._newest: dict[tuple[str, tuple[Column, ...]], Reading] = {}
        self._lock = threading.Lock()
        self._stopping = threading.Event()
        self._thread = threading.Thread(target=self._run, name="otlp", daemon=True)
        self.trouble: str | None = None
        """Why the last request was not taken; None where it was."""

    def start(self) -> None:
        """Start the thread."""
        self._thread.start()

    def stop(self) -> None:
        """Send what is newest once more, and end."""
        self._stopping.set()
        self._thread.join(TIMEOUT_S + 1)

    def offer(self, readings: Iterable[Reading]) -> None:
        """A tick. Of each group the newest is kept until it is sent; this is all that recording waits for."""
        with self._lock:
            for reading in readings:
                if reading.group not in LEFT_OUT:
                    self._newest[reading.group, reading.columns] = reading

    def _run(self) -> None:
        while True:
            last = self._stopping.wait(self._every_s)
            with self._lock:
                newest, self._newest = list(self._newest.values()), {}
            if newest:
                self._send(newest)
            if last:
                return

    def _send(self, readings: list[Reading]) -> None:
        body = gzip.compress(json.dumps(self.request(readings), separators=(",", ":")).encode(), 1)
        kind = http.client.HTTPSConnection if self._url.scheme == "https" else http.client.HTTPConnection
        connection = kind(self._url.hostname or "127.0.0.1", self._url.port, timeout=TIMEOUT_S)
        head = {"Content-Type": "application/json", "Content-Encoding": "gzip"}
        try:
            connection.request("POST", self._url.path.rstrip("/") + PATH, body, head)
            answer = connection.getresponse()
            said = answer.read(4_096).decode("utf-8", "replace")
            trouble = None if answer.status == 200 else f"{answer.status}: {said[:200]}"
        except (OSError, http.client.HTTPException) as why:
            trouble = str(why) or type(why).__name__
        finally:
            connection.close()
        if trouble is not None and self.trouble is None:
            log.warning("the receiver of OTLP does not take the counters", url=self._url.geturl(), reason=trouble)
        self.trouble = trouble

    def request(self, readings: Iterable[Reading]) -> dict[str, Any]:
        """The readings as an ExportMetricsServiceRequest."""
        metrics: dict[str, dict[str, Any]] = {}
        for reading in readings:
            start_ns = reading.wall_ns - boot_clock_ns() if reading.wall_ns else 0
            for column, value in zip(reading.columns, reading.values.tolist(), strict=True):
                points = _metric(metrics, column)
                points.append(_point(column, value, reading.wall_ns, max(start_ns, 0)))
        scope = {"name": "reditus-recorder", "version": __version__}
        return {
            "resourceMetrics": [
                {
                    "resource": {"attributes": self._resource},
                    "scopeMetrics": [{"scope": scope, "metrics": list(metrics.values())}],
                }
            ]
        }


def _metric(metrics: dict[str, dict[str, Any]], column: Column) -> list[dict[str, Any]]:
    """The points of a counter's metric, which is begun where there is none yet."""
    grows = column.kind is Kind.CUMULATIVE
    metric = metrics.get(column.counter)
    if metric is None:
        data: dict[str, Any] = {"dataPoints": []}
        if grows:
            data |= {"aggregationTemporality": CUMULATIVE, "isMonotonic": True}
        metric = {"name": column.counter, "unit": column.unit, "sum" if grows else "gauge": data}
        metrics[column.counter] = metric
    points: list[dict[str, Any]] = metric["sum" if grows else "gauge"]["dataPoints"]
    return points


def _point(column: Column, value: int, at_ns: int, start_ns: int) -> dict[str, Any]:
    # 64-bit integers are texts in the protocol's JSON.
    point: dict[str, Any] = {"timeUnixNano": str(at_ns)}
    if column.kind is Kind.CUMULATIVE:
        point["startTimeUnixNano"] = str(start_ns)
    if column.scale == (1, 1):
        point["asInt"] = str(value)
    else:
        point["asDouble"] = value * column.factor
    if column.attributes:
        point["attributes"] = [_attribute(key, text) for key, text in column.attributes]
    return point


def _attribute(key: str, value: str) -> dict[str, Any]:
    return {"key": key, "value": {"stringValue": value}}
