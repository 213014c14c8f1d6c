"""An investigation on one axis, and copies of one."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Any, Literal, TypeVar
from uuid import UUID, uuid5

from reditus.analysis.diagnosis import DiagnosisResult
from reditus.analysis.report.dossier import Dossier
from reditus.core.diagnosis.finding import Finding, RuledOut
from reditus.core.fact_changes import fact_changes
from reditus.core.facts import HostFacts
from reditus.core.markers import Marker
from reditus.core.rfc3339 import parse_time
from reditus.core.types import NS_PER_S
from reditus.core.window import Window
from reditus.store.investigations.records import Exhibit, Investigation

What = Literal["exhibit", "finding", "ruled-out", "note", "change"]
MOST_FINDINGS = 40


@dataclass(frozen=True, slots=True)
class Event:
    """Something that lies on the axis."""

    what: What
    start_ns: int
    end_ns: int
    text: str
    host: str
    id: str
    number: int | None = None
    """Of an exhibit."""
    resource: str | None = None
    """Of a finding."""


def timeline_window(dossier: Dossier) -> tuple[Window, list[UUID]]:
    """The stretch that the complaint, the exhibits and the change lie in, and the archives concerned."""
    times = [(item.content.start_ns, item.content.end_ns) for item in dossier.exhibits if item.content.kind != "facts"]
    hosts = list(dossier.fields.hosts or [])
    if dossier.fields.window is not None:
        times.append((parse_time(dossier.fields.window.start), parse_time(dossier.fields.window.end)))
    if dossier.fields.changed_at is not None:
        at_ns = parse_time(dossier.fields.changed_at)
        times.append((at_ns, at_ns))
    hosts += [item.content.source.archive for item in dossier.exhibits if item.content.source.archive not in hosts]
    if not times:
        end_ns = dossier.created_ns
        return Window(end_ns - 3_600 * NS_PER_S, end_ns), list(dict.fromkeys(hosts))
    start_ns, end_ns = min(start for start, _ in times), max(end for _, end in times)
    return Window(start_ns, max(end_ns, start_ns + NS_PER_S)), list(dict.fromkeys(hosts))


def events_of(dossier: Dossier) -> Iterator[Event]:
    """The exhibits, and the change that the complaint names."""
    for item in dossier.exhibits:
        content = item.content
        if content.kind != "facts":
            yield Event(
                "exhibit", content.start_ns, content.end_ns, item.heading, content.source.host_name, str(item.id),
                item.number,
            )  # fmt: skip
    if dossier.fields.changed_at is not None:
        at_ns = parse_time(dossier.fields.changed_at)
        yield Event("change", at_ns, at_ns, dossier.fields.changed or "what changed", "", "changed")


def events_of_host(
    host: str, window: Window, result: DiagnosisResult, markers: Sequence[Marker],
    history: Sequence[tuple[int, HostFacts]],
) -> Iterator[Event]:  # fmt: skip
    """Findings, remarks and changes of what is known of a host, within a window."""
    for found in _within(result.diagnosis.findings, window):
        text = f"{found.title}, {found.device}" if found.device else found.title
        yield Event("finding", found.start_ns, found.end_ns, text, host, found.id, resource=found.resource.value)
    for excused in _within(result.diagnosis.ruled_out, window):
        text = f"{excused.title}, {excused.device}" if excused.device else excused.title
        yield Event(
            "ruled-out", excused.start_ns, excused.end_ns, text, host, excused.id, resource=excused.resource.value
        )
    for marker in markers:
        if marker.kind == "note":
            yield Event("note", marker.at_ns, marker.end_ns or marker.at_ns, marker.text, host, marker.ident)
    for (_, before), (since_ns, after) in pairwise(history):
        if window.start_ns <= since_ns < window.end_ns:
            for change in fact_changes(before, after):
                yield Event("change", since_ns, since_ns, change, host, change[:80])


T = TypeVar("T", Finding, RuledOut)


def _within(every: Sequence[T], window: Window) -> list[T]:
    """Those that reach into a window."""
    return [item for item in every if item.start_ns < window.end_ns and item.end_ns >= window.start_ns][:MOST_FINDINGS]


def copied_fields(
    made: UUID, source: Investigation, exhibits: Sequence[Exhibit]
) -> tuple[dict[str, Any], list[Exhibit]]:
    """What a copy has: the same words and exhibits, which have ids of their own."""
    ids = {str(item.id): str(uuid5(made, str(item.id))) for item in exhibits}
    copies = [replace(item, id=UUID(ids[str(item.id)]), investigation=made) for item in exhibits]
    return renamed(source.fields, ids), copies


def renamed(fields: Mapping[str, Any], ids: Mapping[str, str]) -> dict[str, Any]:
    """Fields in which ids became others, wherever they stand: in names of fields, in lists, and in the report."""

    def of(value: Any) -> Any:
        if isinstance(value, str):
            for old, new in ids.items():
                if old in value:
                    value = value.replace(old, new)
            return value
        if isinstance(value, list):
            return [of(item) for item in value]
        return {of(key): of(item) for key, item in value.items()} if isinstance(value, dict) else value

    return {of(name): of(value) for name, value in fields.items()}
