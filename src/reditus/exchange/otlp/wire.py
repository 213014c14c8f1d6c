"""Requests and answers of OTLP/HTTP: protobuf or JSON, plain or in gzip (OpenTelemetry Protocol, "OTLP/HTTP")."""

import json
import zlib
from typing import Any, TypeVar, cast

from google.protobuf import json_format
from google.protobuf.message import DecodeError
from opentelemetry.proto.collector.logs.v1.logs_service_pb2 import (
    ExportLogsServiceRequest,
    ExportLogsServiceResponse,
)
from opentelemetry.proto.collector.metrics.v1.metrics_service_pb2 import (
    ExportMetricsServiceRequest,
    ExportMetricsServiceResponse,
)

from reditus.core.outside import OutsideError, check_value, strict_json
from reditus.exchange.errors import ExchangeError

PROTOBUF, JSON = "application/x-protobuf", "application/json"
MOST_BYTES = 16 << 20
"""Of a request, unpacked."""
MOST_SAID = 200

M = TypeVar("M")

__all__ = [
    "ExportLogsServiceRequest",
    "ExportLogsServiceResponse",
    "ExportMetricsServiceRequest",
    "ExportMetricsServiceResponse",
    "OtlpError",
    "UnknownEncoding",
    "answered",
    "decoded",
    "problem_body",
    "unpacked",
]


class OtlpError(ExchangeError, ValueError):
    """A request that is none of the protocol."""


class UnknownEncoding(ExchangeError, ValueError):
    """A content type or an encoding that is not spoken."""


def unpacked(body: bytes, encoding: str | None) -> bytes:
    """The body without its compression. Raise UnknownEncoding or OtlpError."""
    if encoding in (None, "", "identity"):
        return body
    if encoding != "gzip":
        raise UnknownEncoding(f"content-encoding {encoding[:40]!r} is not spoken; gzip is, and none")
    unpacker = zlib.decompressobj(16 + zlib.MAX_WBITS)
    try:
        data = unpacker.decompress(body, MOST_BYTES + 1)
    except zlib.error as why:
        raise OtlpError(f"the body is no gzip: {why}") from why
    if len(data) > MOST_BYTES:
        raise OtlpError(f"the body unpacks to over {MOST_BYTES:,} bytes; send less at a time")
    if not unpacker.eof:
        raise OtlpError("the body is only a part of a gzip")
    return data


def decoded(data: bytes, media_type: str, kind: type[M]) -> M:
    """A request, a message of a protobuf type. Raise UnknownEncoding or OtlpError."""
    message: Any = kind
    if media_type == PROTOBUF:
        try:
            return cast(M, message.FromString(data))
        except DecodeError as why:
            raise OtlpError(f"the body is no {message.DESCRIPTOR.name}: {why}") from why
    if media_type != JSON:
        raise UnknownEncoding(f"content-type {media_type[:40]!r} is not spoken; {PROTOBUF} and {JSON} are")
    try:
        given = strict_json(data)
        check_value(given)
        if not isinstance(given, dict):
            raise OtlpError("the body is no JSON object")
        _without_ids(given)
        return cast(M, json_format.ParseDict(given, message(), ignore_unknown_fields=True))
    except (OutsideError, json_format.ParseError, RecursionError, TypeError, ValueError) as why:
        raise OtlpError(f"the body is no {message.DESCRIPTOR.name} in JSON: {str(why)[:MOST_SAID]}") from why


def _without_ids(given: object) -> None:
    """Ids of traces are hex in the protocol's JSON, and base64 in protobuf's; nothing of them is kept."""
    if isinstance(given, dict):
        for key in ("traceId", "spanId", "trace_id", "span_id"):
            given.pop(key, None)
        for value in given.values():
            _without_ids(value)
    elif isinstance(given, list):
        for value in given:
            _without_ids(value)


def answered(message: Any, media_type: str) -> bytes:
    """An answer as its request came."""
    if media_type == JSON:
        return str(json_format.MessageToJson(message, indent=None)).encode()
    return bytes(message.SerializeToString())


def problem_body(text: str, media_type: str) -> bytes:
    """A google.rpc.Status that says what was wrong, which is what the protocol answers refusals with."""
    if media_type == JSON:
        return json.dumps({"code": 3, "message": text}).encode()
    message = text.encode()
    # Field 1, code, a varint: 3 is INVALID_ARGUMENT; field 2, message.
    return b"\x08\x03\x12" + _varint(len(message)) + message


def _varint(number: int) -> bytes:
    out = bytearray()
    while number > 0x7F:
        out.append(number & 0x7F | 0x80)
        number >>= 7
    out.append(number)
    return bytes(out)
