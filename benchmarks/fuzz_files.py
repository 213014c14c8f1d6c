"""Absurd files for every reader, and absurd requests of OTLP and lines of syslog, for `benchmarks.fuzz`."""

import gzip
import json
import random
import time
import zipfile
from collections.abc import Callable
from hashlib import sha256
from io import BytesIO
from pathlib import Path

import zstandard
from opentelemetry.proto.collector.metrics.v1.metrics_service_pb2 import ExportMetricsServiceRequest
from pydantic import ValidationError

from reditus.core.errors import ReditusError
from reditus.core.log_lines import syslog_message
from reditus.exchange.incoming.looking import look_at
from reditus.exchange.incoming.printed import guess_printed
from reditus.exchange.incoming.readers import ImportOptions, read_incoming
from reditus.exchange.otlp.receiving import Receiver
from reditus.exchange.otlp.wire import JSON, PROTOBUF, decoded, unpacked

KEPT = Path(__file__).resolve().parent.parent / "tests" / "exchange" / "kept"
PACKED = 0.15
"""So many come packed."""
MADE = "2026-11-30T00:00:00Z"
NOW_NS = 1_796_000_000 * 10**9
SPLICES = (
    b"", b"\0", b"9" * 400, b"-1", b"1e999", b"nan", b'"', b",", b"\n", b"\xff\xff\xff\xff", b"{", b"}", b"T", b"Z",
    b"\t;", b"# EOF\n", b"00:00", b"\x80", "ß".encode(),
)  # fmt: skip

IN_JSON = b'{"resourceMetrics":[{"scopeMetrics":[{"metrics":[{"name":"x"}]}]}]}'
PRINTED = (
    b"when core user% jobs\n" + b"".join(b"01:00:0%d %d %d.5 7\n" % (second, core, second) for second in range(9)
                                         for core in range(2)),
    b"".join(b"2026-11-13T01:00:0%dZ queue=mail a=%dms b=%d\n" % (second, second, second) for second in range(9)),
    b"".join(b"-- 2026-11-13 01:00:0%d\nMemFree: %d kB\nx y 3\n" % (second, second) for second in range(9)),
)  # fmt: skip
LAYOUT = {"shape": "columns", "head": ["a", "b"], "times": [0], "form": "time", "date": "2026-11-13", "names": {}}
MEANINGS = (
    None, {"counter": "b"}, {"counter": "c", "kind": "rate", "scale": [10**15, 1]},
    {"counter": "system.cpu.time", "attributes": {"cpu.mode": "user"}, "unit": "s", "kind": "rate", "scale": [1, 100]},
    {"counter": "system.cpu.time", "attributes": {"cpu.logical_number": "x"}, "unit": "s", "kind": "cumulative"},
)  # fmt: skip
BOUNDS = (0.0, -1e300, 1e308, float("nan"))
LINES = (
    b"<34>1 2026-11-12T09:00:00.003Z host app 123 ID47 - it said so",
    b"<13>Nov 12 09:10:01 till shopd[4]: hello",
)

Case = Callable[[], tuple[str, str]]


def files_in(folder: Path, rng: random.Random) -> Case:
    """A file of some format with something wrong in it."""
    every = sorted(KEPT.glob("v1.*"))
    place, target = folder / "file", folder / "made.zip"

    def file() -> tuple[str, str]:
        origin = rng.choice(every)
        data = origin.read_bytes()
        data = (_repacked if origin.suffix == ".zip" and rng.random() < 0.7 else _mangled)(data, rng)
        if rng.random() < PACKED:
            data = _mangled(rng.choice((gzip.compress, zstandard.compress))(data), rng)
        place.write_bytes(data)
        target.unlink(missing_ok=True)
        name = origin.name if rng.random() < 0.8 else rng.choice(every).name
        try:
            look_at(place, name, None)
            read_incoming(place, name, ImportOptions(), target, MADE, lambda _: None)
        except ReditusError as why:
            return "refused", str(why)
        return "read", ""

    return file


def printed_in(folder: Path, rng: random.Random) -> Case:
    """Printed text with something wrong in it, by a layout with something else in it."""
    place, target = folder / "printed", folder / "made printed.zip"

    def printed() -> tuple[str, str]:
        text = _mangled(rng.choice(PRINTED), rng)
        place.write_bytes(text)
        target.unlink(missing_ok=True)
        try:
            guessed = guess_printed(text.decode(errors="replace"))
            layout = json.loads(guessed.model_dump_json()) if guessed is not None else dict(LAYOUT)
            layout["names"] |= {rng.choice(("a", "b", "user%", "x y")): rng.choice(MEANINGS)}
            if rng.random() < 0.5:
                _absurd(layout, rng)
            options = ImportOptions.model_validate({"layout": layout})
            look_at(place, "printed.txt", None, options.layout)
            read_incoming(place, "printed.txt", options, target, MADE, lambda _: None)
        except (ReditusError, ValidationError) as why:
            return "refused", str(why)
        return "read", ""

    return printed


def _mangled(data: bytes, rng: random.Random) -> bytes:
    out = bytearray(data)
    for _ in range(rng.choice((0, 1, 1, 2, 5))):
        at = rng.randrange(len(out) or 1)
        if rng.random() < 0.5 and out:
            out[at] ^= rng.randrange(1, 256)
        else:
            out[at : at + rng.randrange(4)] = rng.choice(SPLICES)
    return bytes(out[: rng.randrange(len(out) + 1)]) if rng.random() < 0.15 else bytes(out)


def _repacked(data: bytes, rng: random.Random) -> bytes:
    """Parts or manifest changed under checksums that are made again."""
    with zipfile.ZipFile(BytesIO(data)) as given:
        parts = {name: given.read(name) for name in given.namelist()}
    manifest = json.loads(parts.pop("manifest.json"))
    name = rng.choice(sorted(parts))
    if rng.random() < 0.6:
        parts[name] = _mangled(parts[name], rng)
    else:
        _absurd(manifest, rng)
    for entry in manifest.get("parts", []) if isinstance(manifest.get("parts"), list) else []:
        if isinstance(entry, dict) and isinstance(entry.get("name"), str) and entry["name"] in parts:
            content = parts[entry["name"]]
            entry |= {"bytes": len(content), "sha256": sha256(content).hexdigest()}
    out = BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as made:
        for name, content in parts.items():
            made.writestr(name, content)
        made.writestr("manifest.json", json.dumps(manifest))
        if rng.random() < 0.1:
            made.writestr("more", b"\0" * (64 << 20))
    return out.getvalue()


def _absurd(node: object, rng: random.Random) -> None:
    """Something else in place of a value somewhere in a document."""
    while True:
        keys = list(node) if isinstance(node, dict) else list(range(len(node))) if isinstance(node, list) else []
        if not keys:
            return
        key = rng.choice(keys)
        if isinstance(node[key], dict | list) and node[key] and rng.random() < 0.7:  # type: ignore[index]
            node = node[key]  # type: ignore[index]
            continue
        node[key] = rng.choice((None, -1, 10**30, "", "x" * 500, [], {}, "\u202e", 0.5, True, "9" * 64))  # type: ignore[index]
        return


def otlp(rng: random.Random) -> Case:
    """A request of metrics with something wrong in it, to a receiver that has seen others."""
    receiver = Receiver()

    def request() -> tuple[str, str]:
        body = _mangled(_metrics(rng).SerializeToString(), rng)
        media_type = PROTOBUF
        if rng.random() < 0.3:
            body, media_type = _mangled(IN_JSON, rng), JSON
        encoding = None
        if rng.random() < 0.3:
            body, encoding = _mangled(gzip.compress(body), rng), "gzip"
        try:
            received, refused = receiver.metrics(
                decoded(unpacked(body, encoding), media_type, ExportMetricsServiceRequest), NOW_NS
            )
        except ReditusError as why:
            return "refused", str(why)
        for item in received:
            for block in item.batch.blocks:
                block.check()
        return "taken in part" if refused.count else "taken", ""

    return request


def _metrics(rng: random.Random) -> ExportMetricsServiceRequest:
    out = ExportMetricsServiceRequest()
    resource = out.resource_metrics.add()
    attribute = resource.resource.attributes.add()
    attribute.key, attribute.value.string_value = "service.name", rng.choice(("a", "b"))
    scope = resource.scope_metrics.add()
    for _ in range(rng.randrange(1, 5)):
        metric = scope.metrics.add()
        metric.name = rng.choice(("system.cpu.time", "x", "\u202e", "y" * 300))
        kind = rng.choice(("gauge", "sum", "histogram", "exponential_histogram", "summary"))
        point = getattr(metric, kind).data_points.add()
        point.time_unix_nano = NOW_NS + rng.randrange(-(10**12), 10**10)
        if kind in ("gauge", "sum"):
            point.as_double = rng.choice((0.0, -1.0, 1e300, float("nan"), float("inf"), 5.5))
        elif kind == "histogram":
            point.bucket_counts.extend(rng.randrange(1 << 40) for _ in range(rng.randrange(5)))
            point.explicit_bounds.extend(rng.choice(BOUNDS) for _ in range(rng.randrange(4)))
            metric.histogram.aggregation_temporality = rng.randrange(3)
        elif kind == "exponential_histogram":
            point.scale = rng.randrange(-1_000, 1_000)
            point.positive.offset = rng.randrange(-(1 << 31), 1 << 31)
            point.positive.bucket_counts.extend(rng.randrange(9) for _ in range(rng.randrange(4)))
            metric.exponential_histogram.aggregation_temporality = rng.randrange(3)
        else:
            point.quantile_values.add().quantile = rng.choice((0.5, 7.0, float("nan")))
    return out


def syslog(rng: random.Random) -> Case:
    """A message with something wrong in it."""

    def message() -> tuple[str, str]:
        host, marker = syslog_message(_mangled(rng.choice(LINES), rng), time.time_ns())
        if not marker.text.isprintable() or not host.isprintable():
            return "UNFORESEEN", "a text that can steer a terminal"
        return "kept", ""

    return message
