"""The recorder sends to a receiver of OTLP/HTTP: this very machine's counters, there and back."""

import gzip
import json
import threading
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer

import numpy as np
import pytest
from google.protobuf import json_format
from opentelemetry.proto.collector.metrics.v1.metrics_service_pb2 import ExportMetricsServiceRequest

from builders import BEGIN_NS
from cases import served
from e2e_helpers import wait_until
from reditus.core.kernel_columns import cpu_time, kernel_column
from reditus.core.processes import slot_columns
from reditus.core.types import NS_PER_S
from reditus.recorder import __main__ as recorder
from reditus.recorder.errors import OptionsError
from reditus.recorder.options import options_of
from reditus.recorder.otlp_sender import OtlpSender
from reditus.recorder.sampler import Reading, Sampler

RESOURCE = {"service.name": "reditus-recorder", "host.name": "sent-1", "host.id": "abc"}


class Receiver:
    """Takes requests as they come; answers with `status`."""

    def __init__(self):
        self.bodies, self.status = [], 200
        outer = self

        class Handler(BaseHTTPRequestHandler):
            def do_POST(self):
                body = self.rfile.read(int(self.headers["Content-Length"]))
                assert (self.path, self.headers["Content-Type"]) == ("/in/v1/metrics", "application/json")
                outer.bodies.append(gzip.decompress(body))
                self.send_response(outer.status)
                self.end_headers()
                self.wfile.write(b"{}")

            def log_message(self, *_):
                pass

        self.http = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
        self.thread = threading.Thread(target=self.http.serve_forever)
        self.thread.start()
        self.url = f"http://127.0.0.1:{self.http.server_port}/in"

    def close(self):
        self.http.shutdown()
        self.thread.join()
        self.http.server_close()


@pytest.fixture
def receiver():
    made = Receiver()
    yield made
    made.close()


def reading(columns, values, group="cpu", second=0):
    return Reading(group, BEGIN_NS + second * NS_PER_S, 5 * NS_PER_S, tuple(columns), np.array(values, dtype=np.int64))


def test_only_the_newest_tick_of_each_group_is_sent(receiver):
    sender = OtlpSender(receiver.url, RESOURCE, NS_PER_S // 10)
    columns = [cpu_time("user"), kernel_column("system.process.runnable"), kernel_column("system.cpu.context_switches")]
    for second in range(3):
        sender.offer([
            reading(columns, [second * 150, second, 2**60 + second], second=second),
            reading(slot_columns(0), [1] * len(slot_columns(0)), group="process"),
        ])  # fmt: skip
    sender.start()
    wait_until(lambda: receiver.bodies)
    sender.stop()
    (body,) = receiver.bodies
    request = json_format.Parse(body, ExportMetricsServiceRequest())
    metrics = {metric.name: metric for metric in request.resource_metrics[0].scope_metrics[0].metrics}
    assert set(metrics) == {"system.cpu.time", "system.process.runnable", "system.cpu.context_switches"}
    (point,) = metrics["system.cpu.time"].sum.data_points
    assert point.as_double == pytest.approx(3.0)
    assert point.time_unix_nano == BEGIN_NS + 2 * NS_PER_S
    assert metrics["system.cpu.time"].sum.is_monotonic
    assert metrics["system.cpu.context_switches"].sum.data_points[0].as_int == 2**60 + 2
    assert metrics["system.process.runnable"].gauge.data_points[0].as_int == 2


def test_a_receiver_that_refuses_or_is_away_holds_up_nothing(receiver):
    sender = OtlpSender(receiver.url, RESOURCE, NS_PER_S // 20)
    receiver.status = 503
    sender.start()
    sender.offer([reading([cpu_time("user")], [1])])
    wait_until(lambda: sender.trouble is not None)
    assert "503" in sender.trouble
    receiver.status = 200
    sender.offer([reading([cpu_time("user")], [2])])
    wait_until(lambda: sender.trouble is None)
    receiver.http.server_close()
    sender.offer([reading([cpu_time("user")], [3])])
    sender.stop()


@pytest.mark.kernel
def test_this_machines_counters_arrive_as_the_recorders_own(cluster):
    with served(cluster) as (client, _):
        sender = OtlpSender("http://unused", RESOURCE, NS_PER_S)
        sampler = Sampler(interval_ns=NS_PER_S)
        try:
            for _ in range(2):
                body = json.dumps(sender.request(sampler.parse(sampler.read()))).encode()
                answer = client.post("/v1/metrics", content=body, headers={"content-type": "application/json"})
                assert answer.json() == {}
        finally:
            sampler.close()
        (archive,) = client.get("/api/archives").json()
        assert archive["host"]["name"] == "sent-1"
        names = {item["name"] for item in client.get(f"/api/archives/{archive['id']}/measures").json()}
        assert {"cpu.busy", "memory.available", "net.receive.rate", "cpu.waiting"} <= names


def test_options():
    usual = {"server": "http://127.0.0.1:8460", "spool": "/tmp/spool"}
    assert options_of(usual).otlp is None
    given = options_of(usual | {"otlp": "http://127.0.0.1:4318", "otlp-every": "5s"})
    assert (given.otlp, given.otlp_every_ns) == ("http://127.0.0.1:4318", 5 * NS_PER_S)
    with pytest.raises(OptionsError, match="otlp has to be an address"):
        options_of(usual | {"otlp": "127.0.0.1"})
    assert recorder._sender(options_of(usual)) is None
