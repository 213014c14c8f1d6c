"""OTLP/HTTP: the real SDK's exporter over a socket, and a relay that is made of the protocol's own messages."""

import gzip
import json
import socket
import threading
import time

import numpy as np
import pytest
import uvicorn
from google.protobuf import json_format
from opentelemetry.exporter.otlp.proto.http import Compression
from opentelemetry.exporter.otlp.proto.http.metric_exporter import OTLPMetricExporter
from opentelemetry.proto.collector.logs.v1.logs_service_pb2 import ExportLogsServiceRequest, ExportLogsServiceResponse
from opentelemetry.proto.collector.metrics.v1.metrics_service_pb2 import (
    ExportMetricsServiceRequest,
    ExportMetricsServiceResponse,
)
from opentelemetry.sdk.metrics import Counter, Histogram, MeterProvider
from opentelemetry.sdk.metrics.export import AggregationTemporality, PeriodicExportingMetricReader
from opentelemetry.sdk.resources import Resource
from sqlalchemy import text

from cases import served
from reditus.core.rfc3339 import parse_time, spell_time
from reditus.core.types import NS_PER_S
from reditus.exchange.otlp.quantiles import explicit_quantiles, exponential_quantiles
from reditus.server.app import create_app
from reditus.server.settings import Settings
from reditus.store import DatabaseUnavailable

BEGIN_NS = parse_time("2026-11-13T01:00:00Z")
STEP_NS = 10 * NS_PER_S
PROTOBUF, JSON = "application/x-protobuf", "application/json"
CUMULATIVE, DELTA = 2, 1
ZIPPED = {"content-type": PROTOBUF, "content-encoding": "gzip"}


@pytest.fixture(scope="module")
def client(cluster):
    with served(cluster) as (client, _):
        yield client


@pytest.fixture
def fresh(client):
    """Without what the last test sent."""
    for archive in client.get("/api/archives").json():
        client.delete(f"/api/archives/{archive['id']}")
    return client


def request_of(service, *metrics, host="relay-1"):
    """What a relay hands on: messages of the protocol, made by hand."""
    out = ExportMetricsServiceRequest()
    resource = out.resource_metrics.add()
    for key, value in (("service.name", service), ("host.name", host), ("process.pid", str(time.time_ns()))):
        attribute = resource.resource.attributes.add()
        attribute.key, attribute.value.string_value = key, value
    scope = resource.scope_metrics.add()
    for metric in metrics:
        scope.metrics.add().CopyFrom(metric)
    return out


def metric(name, kind, points, *, unit="1", temporality=CUMULATIVE, monotonic=True):
    out = ExportMetricsServiceRequest().resource_metrics.add().scope_metrics.add().metrics.add()
    out.name, out.unit = name, unit
    data = getattr(out, kind)
    if kind in ("sum", "histogram", "exponential_histogram"):
        data.aggregation_temporality = temporality
    if kind == "sum":
        data.is_monotonic = monotonic
    for at_ns, value, attributes in points:
        point = data.data_points.add()
        point.time_unix_nano = at_ns
        for key, said in attributes.items():
            attribute = point.attributes.add()
            attribute.key, attribute.value.string_value = key, said
        if kind in ("gauge", "sum"):
            point.as_double = value
        else:
            for part, given in value.items():
                field = getattr(point, part)
                field.extend(given) if isinstance(given, list) else setattr(point, part, given)
    return out


def send(client, request, status=200, encoding=None, media_type=PROTOBUF, path="/v1/metrics"):
    body = request.SerializeToString() if media_type == PROTOBUF else json_format.MessageToJson(request).encode()
    headers = {"content-type": media_type}
    if encoding == "gzip":
        body, headers["content-encoding"] = gzip.compress(body), "gzip"
    answer = client.post(path, content=body, headers=headers)
    assert answer.status_code == status, answer.content
    assert answer.headers["content-type"] == media_type
    return answer


def archive_of(client, name):
    (found,) = [each for each in client.get("/api/archives").json() if each["name"] == name and each["deleted"] is None]
    return found


def series(client, name, *measures, ticks=20):
    found = archive_of(client, name)
    query = {
        "measure": measures, "from": spell_time(BEGIN_NS - STEP_NS), "to": spell_time(BEGIN_NS + ticks * STEP_NS),
        "width": 2000,
    }  # fmt: skip
    answer = client.get(f"/api/archives/{found['id']}/series", params=query)
    assert answer.status_code == 200, answer.text
    return [item["mean"] for item in answer.json()["series"]]


@pytest.mark.parametrize("media_type", [PROTOBUF, JSON])
@pytest.mark.parametrize("encoding", [None, "gzip"])
def test_what_is_counted_is_charted_under_its_own_name(fresh, media_type, encoding):
    for tick in range(4):
        at_ns = BEGIN_NS + tick * STEP_NS
        request = request_of(
            f"shop {media_type} {encoding}",
            metric("orders", "sum", [(at_ns, tick * 50.0, {"till": "3"})], unit="{order}"),
            metric("queue.length", "gauge", [(at_ns + 3_000_000, tick + 0.5, {})]),
            metric("open", "sum", [(at_ns, 7.0 - tick, {})], monotonic=False),
        )
        answer = send(fresh, request, encoding=encoding, media_type=media_type)
        assert answer.content in (b"", b"{}")
    found = series(fresh, f"shop {media_type} {encoding}", "other.orders@*", "other.queue.length", "other.open")
    assert found == [[None, 5.0, 5.0, 5.0], [0.5, 1.5, 2.5, 3.5], [7.0, 6.0, 5.0, 4.0]]


def test_system_metrics_are_those_of_our_own_recorder(fresh):
    for tick in range(4):
        at_ns = BEGIN_NS + tick * STEP_NS
        cores = [
            (at_ns, tick * seconds, {"cpu": f"cpu{core}", "state": state})
            for core in range(2)
            for state, seconds in (("user", 4.0), ("system", 1.0), ("idle", 5.0))
        ]
        disk = [(at_ns, tick * 4096.0 * 10, {"device": "sda", "direction": way}) for way in ("read", "write")]
        memory = [(at_ns, size * 1e9, {"state": state}) for state, size in (("free", 1), ("used", 3), ("cached", 4))]
        send(fresh, request_of(
            "host metrics",
            metric("system.cpu.time", "sum", cores, unit="s"),
            metric("system.disk.io", "sum", disk, unit="By"),
            metric("system.memory.usage", "sum", memory, unit="By", monotonic=False),
            metric("system.memory.limit", "sum", [(at_ns, 8e9, {})], unit="By", monotonic=False),
            metric("system.linux.memory.available", "sum", [(at_ns, 5e9, {})], unit="By", monotonic=False),
        ))  # fmt: skip
    found = series(fresh, "host metrics", "cpu.busy", "cpu.busy@1", "disk.read.rate@sda", "memory.available")
    assert found[0] == [None, 1.0, 1.0, 1.0]
    assert found[1] == [None, 0.5, 0.5, 0.5]
    assert found[2] == [None, 4096.0, 4096.0, 4096.0]
    assert found[3] == [5e9] * 4
    facts = archive_of(fresh, "host metrics")["facts"]
    assert (facts["cores"], facts["memory_bytes"]) == (2, 8_000_000_000)
    others = [
        each["name"] for each in fresh.get(f"/api/archives/{archive_of(fresh, 'host metrics')['id']}/measures").json()
    ]
    assert "other.system.memory.usage" in others  # what is used has no counter of ours


def test_differences_are_added_up_and_a_point_sent_twice_counts_once(fresh):
    for tick in range(4):
        request = request_of(
            "deltas", metric("jobs", "sum", [(BEGIN_NS + tick * STEP_NS, 30.0, {})], temporality=DELTA)
        )
        send(fresh, request)
        send(fresh, request)
    assert series(fresh, "deltas", "other.jobs") == [[None, 3.0, 3.0, 3.0]]
    late = request_of("deltas", metric("jobs", "sum", [(BEGIN_NS, 30.0, {})], temporality=DELTA))
    answer = ExportMetricsServiceResponse.FromString(send(fresh, late).content)
    assert answer.partial_success.error_message == "1 point: a difference of a time before the last one"


def test_a_point_that_was_not_kept_is_kept_when_it_is_sent_again(fresh, client, monkeypatch):
    store = client.app.state.context.store
    request = request_of("again", metric("jobs", "sum", [(BEGIN_NS, 30.0, {})], temporality=DELTA))

    def away(*_):
        raise DatabaseUnavailable("gone for a moment")

    with monkeypatch.context() as patched:
        patched.setattr(store, "submit", away)
        assert send(fresh, request, status=503).headers["retry-after"] == "5"
    send(fresh, request)
    assert archive_of(fresh, "again")["ticks"] == 1


def test_histograms_become_quantiles(fresh):
    for tick in range(3):
        at_ns = BEGIN_NS + tick * STEP_NS
        whole = {"count": tick * 20, "sum": tick * 50.0, "bucket_counts": [0, tick * 10, tick * 10, 0],
                 "explicit_bounds": [1.0, 2.0, 4.0]}  # fmt: skip
        part = {"count": 20, "sum": 50.0, "bucket_counts": [0, 10, 10, 0], "explicit_bounds": [1.0, 2.0, 4.0]}
        send(fresh, request_of(
            "waits",
            metric("wait", "histogram", [(at_ns, whole, {})], unit="s"),
            metric("wait.delta", "histogram", [(at_ns, part, {})], unit="s", temporality=DELTA),
        ))  # fmt: skip
    (half, most, nearly) = series(fresh, "waits", "other.wait@*")
    # Of the first point nothing is known: there is none before it.
    assert half[-2:] == [2.0, 2.0]
    assert most[-2:] == pytest.approx([3.6, 3.6])
    assert nearly[-1] == pytest.approx(3.96)
    assert series(fresh, "waits", "other.wait.count", "other.wait.delta.count") == [[None, 2.0, 2.0], [None, 2.0, 2.0]]
    assert series(fresh, "waits", "other.wait.delta@quantile=0.5") == [[2.0, 2.0, 2.0]]


def test_quantiles_by_hand():
    assert explicit_quantiles([1.0], [0, 0]) is None
    assert explicit_quantiles([1.0, 3.0], [4, 0, 0]) == [1.0, 1.0, 1.0]
    # base 2: bucket 1 is (2, 4], bucket 2 is (4, 8]
    assert exponential_quantiles(0, {(1, 1): 5, (1, 2): 5}) == pytest.approx([4.0, 7.2, 7.92])
    assert exponential_quantiles(0, {(-1, 1): 5, (0, 0): 5})[0] == pytest.approx(-2.0)


def test_what_is_refused_is_reported_as_a_partial_success(fresh):
    late = (time.time_ns() + 3 * 86_400 * NS_PER_S, 1.0, {})
    request = request_of(
        "some",
        metric("good", "gauge", [(BEGIN_NS, 1.0, {})]),
        metric("late", "gauge", [late, (5, 1.0, {})]),
        metric("infinite", "gauge", [(BEGIN_NS, float("inf"), {})]),
        metric("crowded", "gauge", [(BEGIN_NS, 1.0, {f"a{number}": "x" for number in range(17)})]),
    )
    answer = ExportMetricsServiceResponse.FromString(send(fresh, request).content)
    assert answer.partial_success.rejected_data_points == 4
    assert "2 points: a time that cannot be" in answer.partial_success.error_message
    assert "1 point: not a number" in answer.partial_success.error_message
    answered = json.loads(send(fresh, request, media_type=JSON).content)
    assert answered["partialSuccess"]["rejectedDataPoints"] == "4"
    assert series(fresh, "some", "other.good") == [[1.0]]


@pytest.mark.parametrize(
    ("body", "headers", "status", "said"),
    [
        (b"\xff\xff", {"content-type": PROTOBUF}, 400, b"ExportMetricsServiceRequest"),
        (b"{", {"content-type": JSON}, 400, b"in JSON"),
        (b"[]", {"content-type": JSON}, 400, b"JSON object"),
        (b'{"resourceMetrics": 7, "resourceLogs": 7}', {"content-type": JSON}, 400, b"in JSON"),
        (b"x", {"content-type": "text/plain"}, 415, b"is not spoken"),
        (b"x", {"content-type": PROTOBUF, "content-encoding": "br"}, 415, b"gzip is"),
        (b"not packed", ZIPPED, 400, b"no gzip"),
        (gzip.compress(b"\0" * (65 << 20), mtime=0), ZIPPED, 400, b"unpacks"),
        (gzip.compress(b"\0" * 100, mtime=0)[:-9], ZIPPED, 400, b"part of a gzip"),
    ],
)
def test_what_is_none_of_the_protocol(client, body, headers, status, said):
    for path in ("/v1/metrics", "/v1/logs"):
        answer = client.post(path, content=body, headers=headers)
        assert answer.status_code == status, answer.content
        assert said.replace(b"Metrics", b"Logs" if path.endswith("logs") else b"Metrics") in answer.content


def test_log_records_become_lines(fresh):
    request = ExportLogsServiceRequest()
    resource = request.resource_logs.add()
    attribute = resource.resource.attributes.add()
    attribute.key, attribute.value.string_value = "service.name", "till"
    scope = resource.scope_logs.add()
    scope.scope.name = "till.payment"
    for step, (severity, said) in enumerate([(9, "ready"), (17, "card refused"), (0, "plain")]):
        record = scope.log_records.add()
        record.time_unix_nano, record.severity_number = BEGIN_NS + step * NS_PER_S, severity
        record.body.string_value = said
    scope.log_records.add().body.string_value = "without a time"
    for media_type in (PROTOBUF, JSON):
        answer = send(fresh, request, path="/v1/logs", media_type=media_type)
        answered = (ExportLogsServiceResponse.FromString(answer.content) if media_type == PROTOBUF
                else json_format.Parse(answer.content, ExportLogsServiceResponse()))  # fmt: skip
        assert answered.partial_success.rejected_log_records == 1
    window = {"from": spell_time(BEGIN_NS), "to": spell_time(BEGIN_NS + STEP_NS)}
    found = fresh.get(f"/api/archives/{archive_of(fresh, 'till')['id']}/markers", params=window).json()["markers"]
    assert [(each["text"], each["severity"], each["log"]) for each in found] == [
        ("ready", "informational", "till"), ("card refused", "error", "till"), ("plain", None, "till"),
    ]  # fmt: skip


def test_a_sender_goes_on_after_its_archive_was_deleted_for_good(fresh, client):
    send(fresh, request_of("gone", metric("x", "gauge", [(BEGIN_NS, 1.0, {})])))
    archive = archive_of(fresh, "gone")["id"]
    store = client.app.state.context.store
    with store.engine.begin() as connection:
        for table in ("blocks", "facts", "archives"):
            key = "id" if table == "archives" else "archive_id"
            connection.execute(text(f"delete from {table} where {key} = :wanted"), {"wanted": archive})
    send(fresh, request_of("gone", metric("x", "gauge", [(BEGIN_NS + STEP_NS, 2.0, {})])))
    assert series(fresh, "gone", "other.x") == [[2.0]]


@pytest.fixture
def listening(client, unused_port, tmp_path):
    """The same application on a socket, for clients that know nothing of it."""
    app = create_app(client.app.state.context.store, Settings(data=tmp_path))
    config = uvicorn.Config(app, port=unused_port, log_level="error", lifespan="off")
    server = uvicorn.Server(config)
    thread = threading.Thread(target=server.run)
    thread.start()
    while not server.started:
        time.sleep(0.01)
    yield f"http://127.0.0.1:{unused_port}"
    server.should_exit = True
    thread.join()


@pytest.fixture
def unused_port():
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return probe.getsockname()[1]


@pytest.mark.parametrize("temporality", [AggregationTemporality.CUMULATIVE, AggregationTemporality.DELTA])
def test_the_sdk_sends_and_is_charted(fresh, listening, temporality):
    exporter = OTLPMetricExporter(
        f"{listening}/v1/metrics",
        compression=Compression.Gzip,
        preferred_temporality={Counter: temporality, Histogram: temporality},
    )
    reader = PeriodicExportingMetricReader(exporter, export_interval_millis=3_600_000)
    name = f"sdk {temporality.name}"
    provider = MeterProvider([reader], Resource({"service.name": name, "host.name": "sdk-1"}))
    meter = provider.get_meter("tests")
    counter, histogram = meter.create_counter("requests", "{request}"), meter.create_histogram("took", "s")
    for round_ in range(3):
        counter.add(5, {"route": "/a b"})
        for value in (0.1, 0.2, 0.4):
            histogram.record(value)
        assert provider.force_flush(), round_
        time.sleep(0.12)  # ticks are apart by a tenth of a second at least
    provider.shutdown()
    found = archive_of(fresh, name)
    assert found["host"]["name"] == "sdk-1"
    query = {"measure": ["other.requests@*", "other.took.count"], "width": 1000}
    got = fresh.get(f"/api/archives/{found['id']}/series", params=query).json()["series"]
    rates = [value for value in got[0]["mean"] if value is not None]
    assert len(rates) >= 2
    assert all(value > 0 for value in rates[:2])
    assert got[0]["device"] == "route=/a%20b"
    assert np.nanmax([value or 0 for value in got[1]["mean"]]) > 0
