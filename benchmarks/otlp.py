"""500 senders of 400 points every 10 s against one server: nothing may be lost. Prints what it took.

Run: .venv/bin/python -m benchmarks.otlp [SENDERS] [ROUNDS]

Senders start evenly over the interval and send on a fixed schedule, protobuf in gzip. Then every point is counted in
the database, and the last values of some compared with what was sent. The senders share the cores with the
server.
"""

import argparse
import gzip
import tempfile
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from statistics import median

import httpx
from opentelemetry.proto.collector.metrics.v1.metrics_service_pb2 import (
    ExportMetricsServiceRequest,
    ExportMetricsServiceResponse,
)

from benchmarks.load import cpu_s
from benchmarks.table import show
from reditus.cli.service import Service, service
from reditus.core.types import NS_PER_S
from reditus.server.settings import Settings

EVERY_S = 10.0
POINTS = 400
THREADS = 24


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("senders", nargs="?", type=int, default=500)
    parser.add_argument("rounds", nargs="?", type=int, default=6)
    requested = parser.parse_args()
    with tempfile.TemporaryDirectory(prefix="reditus-otlp-") as name:
        folder = Path(name)
        folder.chmod(0o711)
        with service(Settings(data=folder / "data"), anywhere=True) as running:
            rows = _run(running, requested.senders, requested.rounds)
    show(f"{requested.senders} senders, {POINTS} points each, every {EVERY_S:g} s, {requested.rounds} rounds", rows)


def _body(sender: int, round_: int, begin_ns: int) -> bytes:
    out = ExportMetricsServiceRequest()
    resource = out.resource_metrics.add()
    for key, value in (("service.name", f"sender {sender}"), ("host.name", f"host-{sender % 100}")):
        attribute = resource.resource.attributes.add()
        attribute.key, attribute.value.string_value = key, value
    scope = resource.scope_metrics.add()
    at_ns = begin_ns + int((round_ + sender / 1_000) * EVERY_S * NS_PER_S)
    for number in range(POINTS // 4):
        metric = scope.metrics.add()
        metric.name = f"work.{number}"
        metric.sum.aggregation_temporality, metric.sum.is_monotonic = 2, True
        for part in "abcd":
            point = metric.sum.data_points.add()
            point.time_unix_nano, point.as_double = at_ns, float(round_ * 1_000 + number)
            attribute = point.attributes.add()
            attribute.key, attribute.value.string_value = "part", part
    return gzip.compress(out.SerializeToString(), 1)


def _run(running: Service, senders: int, rounds: int) -> list[tuple[str, str]]:
    begin_ns = time.time_ns() - rounds * int(EVERY_S) * NS_PER_S
    # Made beforehand: in the field each sender makes its own.
    bodies = {
        (sender, round_): _body(sender, round_, begin_ns) for round_ in range(rounds) for sender in range(senders)
    }
    took_s: list[float] = []
    late_s: list[float] = []
    refused = failed = 0
    limits = httpx.Limits(max_connections=THREADS)
    pid = running.children["server"].pid
    with httpx.Client(base_url=running.url, trust_env=False, timeout=60, limits=limits) as http:
        clock = {"started_s": 0.0}

        def send(sender: int, round_: int, *, first: bool = False) -> tuple[float, float, int, bool]:
            due_s = time.monotonic() if first else clock["started_s"] + (round_ - 1 + sender / senders) * EVERY_S
            time.sleep(max(due_s - time.monotonic(), 0))
            body = bodies[sender, round_]
            begun_s = time.monotonic()
            answer = http.post(
                "/v1/metrics", content=body,
                headers={"content-type": "application/x-protobuf", "content-encoding": "gzip"},
            )  # fmt: skip
            ended_s = time.monotonic()
            if answer.status_code != 200:
                return ended_s - begun_s, begun_s - due_s, 0, True
            lost = ExportMetricsServiceResponse.FromString(answer.content).partial_success.rejected_data_points
            return ended_s - begun_s, begun_s - due_s, lost, False

        with ThreadPoolExecutor(THREADS) as pool:
            # All of them for the first time, as fast as they are taken: each is registered with its 400 columns.
            begun_s = time.monotonic()
            for _, _, lost, broken in pool.map(lambda sender: send(sender, 0, first=True), range(senders)):
                refused += lost
                failed += broken
            first_s = time.monotonic() - begun_s
            clock["started_s"], before_s = time.monotonic(), cpu_s(pid)
            turns = [(sender, round_) for round_ in range(1, rounds) for sender in range(senders)]
            for took, late, lost, broken in pool.map(lambda turn: send(*turn), turns):
                took_s.append(took)
                late_s.append(late)
                refused += lost
                failed += broken
        lasted_s, used_s = time.monotonic() - clock["started_s"], cpu_s(pid) - before_s
        stored, wrong = _counted(http, senders, rounds)
    sent = senders * rounds * POINTS
    rate = sent / rounds * (rounds - 1) / lasted_s
    took_s.sort()
    spread = median(took_s), took_s[len(took_s) * 99 // 100], took_s[-1]
    return [
        ("all senders for the first time", f"{first_s:.0f} s"),
        ("points sent, stored", f"{sent:,}, {stored:,}"),
        ("points refused; requests failed", f"{refused:,}; {failed:,}"),
        ("streams whose last value is not what was sent", str(wrong)),
        ("points a second", f"{rate:,.0f} (wanted: {senders * POINTS / EVERY_S:,.0f})"),
        ("an answer takes: median, 99 %, longest", ", ".join(f"{took * 1e3:.0f} ms" for took in spread)),
        ("requests late by: median, longest", f"{median(late_s) * 1e3:.0f} ms, {max(late_s) * 1e3:.0f} ms"),
        ("server, of one core", f"{used_s / lasted_s * 100:.0f} %"),
    ]  # fmt: skip


def _counted(http: httpx.Client, senders: int, rounds: int) -> tuple[int, int]:
    """Points in the database, and streams of some senders that end with another value."""
    archives = [archive for archive in http.get("/api/archives").json() if archive["name"].startswith("sender ")]
    stored = sum(archive["ticks"] for archive in archives) * POINTS
    wrong = 0
    for archive in archives[:: max(len(archives) // 10, 1)]:
        query = {"measure": ["other.work.7@*"], "width": 1_000}
        for item in http.get(f"/api/archives/{archive['id']}/series", params=query).json()["series"]:
            rates = [value for value in item["mean"] if value is not None]
            wrong += any(abs(rate - 1_000 / EVERY_S) > 1e-6 for rate in rates) or len(rates) < rounds - 1
    return stored, wrong + senders - len(archives)


if __name__ == "__main__":
    main()
