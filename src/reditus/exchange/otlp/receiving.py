"""What senders tell, tick by tick: one archive a sender, and in it the same columns that a recorder would give.

A sender is known by the attributes of its resource. What it sends at one time becomes a tick; a column that is missing
from it is unknown there. Sums of differences are added up here, and begin again when the server does: then another boot
begins for them, so that no rate is taken across.
"""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from operator import attrgetter
from statistics import median
from threading import Lock
from typing import Any
from uuid import UUID, uuid4, uuid5

import numpy as np

from reditus.core.batches import Batch
from reditus.core.blocks import MAX_INTERVAL_NS, MIN_INTERVAL_NS, Block, Stretch, encode_block
from reditus.core.counters import COUNTERS
from reditus.core.facts import HostFacts
from reditus.core.schema import Column, Kind, Schema, split_columns
from reditus.core.types import NS_PER_S
from reditus.exchange.otlp.points import (
    MOST_ATTRIBUTES,
    HistogramMemory,
    Refused,
    Value,
    attributes_of,
    points_in,
    values_of,
)
from reditus.exchange.otlp.semantic import Stream, ours
from reditus.exchange.wholes import TOTAL, facts_of, wholes

SENDERS = UUID("2b7f3d54-6f0e-5d6b-9f3c-0d7e5c1a9e42")
"""Namespace of hosts and archives that are sent by OTLP."""
MOST_SENDERS = 5_000
MOST_OF_RESOURCE = 128
"""Attributes."""
MOST_STREAMS = 10_000
"""Of one sender."""
FIRST_INTERVAL_NS = 10 * NS_PER_S
"""Is taken for the interval until a second tick tells."""
STEPS_KEPT = 9
TOGETHER = 0.25
"""Points whose times lie within so much of the interval are of one tick: a sender reads its clock for each again."""
TOGETHER_NS = NS_PER_S // 2
"""And never further apart than that."""
AT_NS = attrgetter("at_ns")
_PASSING = ("process.pid", "service.instance.id", "telemetry.", "process.", "container.id", "k8s.pod.uid", "os.")
"""Attributes of a resource that change with each start: the sender stays the same."""


@dataclass(frozen=True, slots=True)
class Sender:
    """Whose points they are."""

    host: UUID
    host_name: str
    archive: UUID
    name: str


@dataclass(slots=True)
class Received:
    """What one request adds to one archive."""

    sender: Sender
    facts: HostFacts
    schemas: list[Schema]
    """Those that the archive may not know yet."""
    batch: Batch
    every_schema: list[Schema]
    """All that the batch has."""


@dataclass(slots=True)
class _State:
    """What is remembered of a sender."""

    sender: Sender
    boot: UUID
    histograms: HistogramMemory = field(default_factory=HistogramMemory)
    columns: dict[Stream, Column] = field(default_factory=dict)
    totals: dict[Stream, tuple[int, float]] = field(default_factory=dict)
    """Of streams of differences: until when, and what they add up to."""
    schemas: dict[tuple[Column, ...], list[Schema]] = field(default_factory=dict)
    known: set[bytes] = field(default_factory=set)
    """Digests of the schemas that the store has."""
    steps_ns: list[int] = field(default_factory=list)
    last_ns: int | None = None
    facts: HostFacts = field(default_factory=HostFacts)

    @property
    def interval_ns(self) -> int:
        if not self.steps_ns:
            return FIRST_INTERVAL_NS
        return int(min(max(median(self.steps_ns), MIN_INTERVAL_NS), MAX_INTERVAL_NS))


class Receiver:
    """Turns requests into batches. Safe from several threads: requests of one sender are taken one after another."""

    def __init__(self) -> None:
        self._states: dict[tuple[tuple[str, str], ...], _State] = {}
        self._lock = Lock()
        self._run = uuid4()

    def metrics(self, request: Any, now_ns: int) -> tuple[list[Received], Refused]:
        """What a request of metrics adds to the archives, and what of it is refused."""
        refused = Refused()
        out: list[Received] = []
        with self._lock:
            for resource in request.resource_metrics:
                metrics = [metric for scope in resource.scope_metrics for metric in scope.metrics]
                state = self._state(resource.resource.attributes)
                if state is None:
                    refused.add(f"over {MOST_SENDERS:,} senders", sum(map(points_in, metrics)))
                    continue
                values = [value for metric in metrics for value in values_of(metric, state.histograms, now_ns, refused)]
                received = self._received(state, values, refused)
                if received is not None:
                    out.append(received)
        return out, refused

    def sender(self, attributes: Any) -> Sender | None:
        """Whose a resource is; None where there are too many already."""
        with self._lock:
            state = self._state(attributes)
            return None if state is None else state.sender

    def stored(self, received: Received) -> None:
        """The store has a batch's schemas now."""
        with self._lock:
            for state in self._states.values():
                if state.sender is received.sender:
                    state.known |= {schema.digest for schema in received.schemas}

    def _state(self, attributes: Any) -> _State | None:
        every = dict(_resource(attributes))
        key = tuple(sorted((name, text) for name, text in every.items() if not name.startswith(_PASSING)))
        state = self._states.get(key)
        if state is None:
            if len(self._states) >= MOST_SENDERS:
                return None
            sender = _sender(every, key)
            state = self._states[key] = _State(sender, uuid5(sender.archive, str(self._run)))
        return state

    def _received(self, state: _State, values: Sequence[Value], refused: Refused) -> Received | None:
        blocks: list[Block] = []
        schemas: dict[bytes, Schema] = {}
        every: dict[bytes, Schema] = {}
        for group, boot, own in (
            ("otlp", state.sender.archive, [value for value in values if not value.delta]),
            ("otlp-delta", state.boot, _added_up(state, [value for value in values if value.delta], refused)),
        ):
            for at_ns, tick in _ticks(own, state.interval_ns):
                columns = self._tick(state, tick, refused)
                if not columns:
                    continue
                self._timed(state, at_ns)
                for block, schema in _blocks(state, group, boot, at_ns, columns):
                    blocks.append(block)
                    every[schema.digest] = schema
                    if schema.digest not in state.known:
                        schemas[schema.digest] = schema
        if not blocks:
            return None
        return Received(state.sender, state.facts, list(schemas.values()), Batch(blocks, [], []), list(every.values()))

    def _tick(self, state: _State, values: Iterable[Value], refused: Refused) -> dict[Column, float]:
        out: dict[Column, float] = {}
        for value in values:
            column = state.columns.get(value.stream)
            if column is None:
                if len(state.columns) >= MOST_STREAMS:
                    refused.add(f"over {MOST_STREAMS:,} streams of one sender")
                    continue
                column = ours(value.stream) or _own(value.stream)
                state.columns[value.stream] = column
            out[column] = value.value
        if any(column.counter in COUNTERS for column in out):
            out |= wholes(out)
            memory = next((value for column, value in out.items() if column.attributes == TOTAL), None)
            state.facts = facts_of(state.facts, out, memory)
        return out

    def _timed(self, state: _State, at_ns: int) -> None:
        if state.last_ns is not None and at_ns > state.last_ns:
            state.steps_ns = [*state.steps_ns, at_ns - state.last_ns][-STEPS_KEPT:]
        if state.last_ns is None or at_ns > state.last_ns:
            state.last_ns = at_ns


def _resource(attributes: Any) -> Iterator[tuple[str, str]]:
    """The first of a resource's attributes; it may have more than a point."""
    given = list(attributes[:MOST_OF_RESOURCE])
    for start in range(0, len(given), MOST_ATTRIBUTES):
        yield from attributes_of(given[start : start + MOST_ATTRIBUTES]) or ()


def _sender(attributes: Mapping[str, str], key: tuple[tuple[str, str], ...]) -> Sender:
    name = attributes.get("service.name", "")
    host_name = attributes.get("host.name") or name or "unnamed"
    host = uuid5(SENDERS, f"host {attributes.get('host.id') or host_name}")
    spelled = "&".join(f"{name}={text}" for name, text in key)
    return Sender(host, host_name[:120], uuid5(host, spelled), (name or "sent by OTLP")[:120])


def _added_up(state: _State, values: Iterable[Value], refused: Refused) -> list[Value]:
    """Differences as what they add up to. A point that is sent once more adds nothing, and stands where it stood: its
    sender may not know that it was kept, or it was not.
    """
    out = []
    for value in sorted(values, key=AT_NS):
        if value.stream not in state.totals and len(state.totals) >= MOST_STREAMS:
            refused.add(f"over {MOST_STREAMS:,} streams of one sender")
            continue
        until_ns, total = state.totals.get(value.stream, (0, 0.0))
        if value.at_ns < until_ns:
            refused.add("a difference of a time before the last one")
            continue
        if value.at_ns > until_ns:
            total += value.value
            state.totals[value.stream] = (value.at_ns, total)
        out.append(replace(value, value=total))
    return out


def _ticks(values: Iterable[Value], interval_ns: int) -> Iterator[tuple[int, list[Value]]]:
    """Values of one time, or of nearly one, together; the last of their times stands for all. A stream is in a tick
    once: its next point begins another.
    """
    most_ns = min(round(interval_ns * TOGETHER), TOGETHER_NS)
    ordered = sorted(values, key=AT_NS)
    if not ordered:
        return
    if ordered[-1].at_ns - ordered[0].at_ns <= most_ns and len({item.stream for item in ordered}) == len(ordered):
        yield ordered[-1].at_ns, ordered  # as nearly always
        return
    tick: list[Value] = []
    inside: set[Stream] = set()
    for value in ordered:
        if tick and (value.at_ns - tick[0].at_ns > most_ns or value.stream in inside):
            yield tick[-1].at_ns, tick
            tick, inside = [], set()
        tick.append(value)
        inside.add(value.stream)
    yield tick[-1].at_ns, tick


def _own(stream: Stream) -> Column:
    return Column.of(stream.name, dict(stream.attributes), unit=stream.unit, kind=stream.kind, double=True)


def _blocks(
    state: _State, group: str, boot: UUID, at_ns: int, values: Mapping[Column, float]
) -> Iterator[tuple[Block, Schema]]:
    ordered = tuple(sorted(values, key=lambda column: (column.counter, column.attributes)))
    key = (Column.of(group, unit="1", kind=Kind.LEVEL), *ordered)
    schemas = state.schemas.get(key)
    if schemas is None:
        if len(state.schemas) > 64:
            state.schemas.clear()
        schemas = state.schemas[key] = split_columns(group, ordered)
    clock = np.array([at_ns], dtype=np.int64)
    for schema in schemas:
        row = np.array([[values[column] for column in schema.columns]])
        stretch = Stretch(clock, clock, row.view(np.int64))
        yield (
            encode_block(
                stretch, archive=state.sender.archive, boot=boot, schema=schema.digest, interval_ns=state.interval_ns
            ),
            schema,
        )
