"""Data points of a request as values of streams at times; what cannot be kept is counted, with a reason."""

import math
from collections.abc import Iterator
from dataclasses import dataclass, field
from functools import lru_cache
from itertools import pairwise
from typing import Any

from reditus.core.durations import counted
from reditus.core.frame import LARGEST_DOUBLE
from reditus.core.rfc3339 import EARLIEST_NS
from reditus.core.schema import MAX_TEXT, Kind
from reditus.core.types import NS_PER_S
from reditus.exchange.otlp.quantiles import (
    QUANTILES,
    explicit_quantiles,
    exponential_buckets,
    exponential_quantiles,
)
from reditus.exchange.otlp.semantic import Stream

AHEAD_NS = 86_400 * NS_PER_S
MOST_ATTRIBUTES = 16
MOST_HISTOGRAMS = 5_000
"""Of one sender."""
REMEMBERED = 1 << 16
"""A sender's next request has the attributes of its last one."""
DELTA, CUMULATIVE = 1, 2
"""AggregationTemporality of metrics.proto."""


@dataclass(frozen=True, slots=True)
class Value:
    """A value of a stream at a time. Of a delta it is what was added since the point before."""

    stream: Stream
    at_ns: int
    value: float
    delta: bool = False


@dataclass(slots=True)
class Refused:
    """What was not kept of a request."""

    noun: str = "point"
    count: int = 0
    reasons: dict[str, int] = field(default_factory=dict)

    def add(self, reason: str, count: int = 1) -> None:
        """Count some."""
        self.count += count
        self.reasons[reason] = self.reasons.get(reason, 0) + count

    def summary(self) -> str:
        """In a sentence."""
        return "; ".join(f"{counted(count, self.noun)}: {reason}" for reason, count in sorted(self.reasons.items()))


class HistogramMemory:
    """The last cumulative counts of each histogram, so that the next point's are of the time between."""

    def __init__(self) -> None:
        self._last: dict[Stream, dict[Any, float]] = {}

    def grown(self, stream: Stream, counts: dict[Any, float]) -> dict[Any, float] | None:
        """By how much each bucket has grown; None at the first point, and after a reset."""
        before = self._last.get(stream)
        if before is None and len(self._last) >= MOST_HISTOGRAMS:
            return None
        self._last[stream] = counts
        if before is None:
            return None
        grown = {key: count - before.get(key, 0.0) for key, count in counts.items()}
        gone = any(count and key not in counts for key, count in before.items())
        if gone or any(count < 0 for count in grown.values()):
            return None
        return grown


def values_of(metric: Any, memory: HistogramMemory, now_ns: int, refused: Refused) -> Iterator[Value]:
    """The values of one metric."""
    name = _clean(metric.name)
    if not name or len(metric.name) > MAX_TEXT - 20:
        refused.add(f"a name has 1 to {MAX_TEXT - 20} letters", points_in(metric))
        return
    kind = metric.WhichOneof("data")
    data = getattr(metric, kind) if kind else None
    if data is None:
        return
    unit = _clean(metric.unit)[:40] or "1"
    temporality = getattr(data, "aggregation_temporality", CUMULATIVE)
    if temporality not in (DELTA, CUMULATIVE):
        refused.add("neither delta nor cumulative", len(data.data_points))
        return
    delta = temporality == DELTA
    for point in data.data_points:
        attributes = attributes_of(point.attributes)
        if attributes is None:
            refused.add(f"over {MOST_ATTRIBUTES} attributes")
        elif not EARLIEST_NS <= point.time_unix_nano <= now_ns + AHEAD_NS:
            refused.add("a time that cannot be: before 1990, or over a day ahead")
        elif not point.flags & 1:  # no recorded value
            base = _stream(name, attributes, unit, grows=False)
            if kind == "histogram" and not _fits(point):
                refused.add("a histogram has one bucket more than it has bounds, and those ascend")
                continue
            for value in _of_point(kind, data, point, base, memory, delta=delta):
                if math.isfinite(value.value) and abs(value.value) <= LARGEST_DOUBLE:
                    yield value
                else:
                    refused.add("not a number, or too large")


def _fits(point: Any) -> bool:
    bounds, counts = list(point.explicit_bounds), len(point.bucket_counts)
    ascending = all(map(math.isfinite, bounds)) and all(low < high for low, high in pairwise(bounds))
    return ascending and (counts == len(bounds) + 1 or (counts == 0 and not bounds))


def points_in(metric: Any) -> int:
    """How many points a metric has."""
    kind = metric.WhichOneof("data")
    return len(getattr(metric, kind).data_points) if kind else 0


def _of_point(
    kind: str, data: Any, point: Any, base: Stream, memory: HistogramMemory, *, delta: bool
) -> Iterator[Value]:
    at_ns = point.time_unix_nano
    if kind in ("gauge", "sum"):
        number = point.as_int if point.WhichOneof("value") == "as_int" else point.as_double
        grows = kind == "sum" and data.is_monotonic
        stream = _stream(base.name, base.attributes, base.unit, grows=True) if grows else base
        yield Value(stream, at_ns, float(number), delta=delta and kind == "sum")
        return
    if kind == "summary":
        yield from _count_and_sum(base, at_ns, point, delta=False)
        for item in point.quantile_values:
            yield Value(_quantile(base, item.quantile), at_ns, item.value)
        return
    yield from _count_and_sum(base, at_ns, point, delta=delta)
    if kind == "histogram":
        counts: dict[Any, float] = dict(enumerate(point.bucket_counts))
        between = counts if delta else memory.grown(base, counts)
        bounds = list(point.explicit_bounds)
        found = None if between is None else explicit_quantiles(bounds, [between[place] for place in sorted(between)])
    else:
        buckets: dict[Any, float] = {(point.scale, *key): count for key, count in exponential_buckets(point).items()}
        grown = buckets if delta else memory.grown(base, buckets)
        plain = None if grown is None else {(sign, index): count for (_, sign, index), count in grown.items()}
        found = None if plain is None else exponential_quantiles(point.scale, plain)
    for quantile, value in zip(QUANTILES, found or (), strict=False):
        yield Value(_quantile(base, quantile), at_ns, value)


def _count_and_sum(base: Stream, at_ns: int, point: Any, *, delta: bool) -> Iterator[Value]:
    stream = Stream(f"{base.name}.count", base.attributes, "{count}", Kind.CUMULATIVE)
    yield Value(stream, at_ns, float(point.count), delta=delta)
    if point.DESCRIPTOR.name == "SummaryDataPoint" or point.HasField("sum"):
        stream = Stream(f"{base.name}.sum", base.attributes, base.unit, Kind.CUMULATIVE)
        yield Value(stream, at_ns, point.sum, delta=delta)


def _quantile(base: Stream, quantile: float) -> Stream:
    attributes = tuple(sorted([*base.attributes, ("quantile", f"{quantile:g}")]))
    return Stream(base.name, attributes, base.unit, Kind.LEVEL)


def attributes_of(given: Any) -> tuple[tuple[str, str], ...] | None:
    """Attributes as texts, sorted; None where they are too many. What is empty tells nothing apart."""
    if len(given) > MOST_ATTRIBUTES:
        return None
    return _tidy(tuple([(item.key[:MAX_TEXT], text_of(item.value)[:MAX_TEXT]) for item in given]))


@lru_cache(REMEMBERED)
def _tidy(given: tuple[tuple[str, str], ...]) -> tuple[tuple[str, str], ...]:
    out = {_clean(key): _clean(text) for key, text in given}
    return tuple(sorted((key, text) for key, text in out.items() if key and text))


@lru_cache(REMEMBERED)
def _stream(name: str, attributes: tuple[tuple[str, str], ...], unit: str, *, grows: bool) -> Stream:
    return Stream(name, attributes, unit, Kind.CUMULATIVE if grows else Kind.LEVEL)


def _clean(text: str) -> str:
    text = text[:MAX_TEXT].strip()
    # Nearly all are, and looking at each letter would be most of the work.
    return text if text.isprintable() else "".join(map(_shown, text)).strip()


def _shown(letter: str) -> str:
    return letter if letter.isprintable() else " "


def text_of(value: Any) -> str:
    """An AnyValue as a text."""
    kind = value.WhichOneof("value")
    if kind == "string_value":
        return str(value.string_value)
    if kind is None:
        return ""
    found = getattr(value, kind)
    if kind == "bool_value":
        return "true" if found else "false"
    if kind == "array_value":
        return ",".join(text_of(item) for item in found.values[:MOST_ATTRIBUTES])
    if kind == "kvlist_value":
        return ",".join(f"{item.key}={text_of(item.value)}" for item in found.values[:MOST_ATTRIBUTES])
    return found.hex() if kind == "bytes_value" else str(found)
