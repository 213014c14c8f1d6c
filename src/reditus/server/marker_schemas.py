"""What goes over the wire of markers and device names."""

from hashlib import sha256
from typing import Annotated, Literal, get_args

from pydantic import BaseModel, Field, StringConstraints

from reditus.core.markers import MAX_IDENT, MAX_LOG, MAX_SOURCE, MAX_TEXT, SEVERITIES, Marker
from reditus.core.rfc3339 import TimeError, parse_time
from reditus.server.document_schemas import Severity
from reditus.server.schemas import Moment, Name, Out, Time
from reditus.store.records import Found

MOST_AT_ONCE = 5_000
Kind = Literal["log", "gap", "note"]
DeviceKind = Literal["core", "disk", "interface", "filesystem", "cgroup", "sensor", "log", "other"]
Plain = StringConstraints(strip_whitespace=True, pattern=r"^[^\x00]*$")
Said = StringConstraints(strip_whitespace=True, pattern=r"^[^\x00]*\S[^\x00]*$")
"""Something besides blanks."""

assert get_args(Severity) == SEVERITIES


class MarkerOut(Out):
    """A remark or event."""

    ident: str
    at: Time
    end: Time | None = Field(description="The end of a stretch; null: an instant.")
    kind: Kind
    text: str
    source: str = Field(description="Who says so: kernel, or the program that logged.")
    severity: Severity | None
    log: str = Field(description="The log that a line stands in, else the program; empty for what is no line.")

    @classmethod
    def of(cls, marker: Marker) -> "MarkerOut":
        """From the core's marker."""
        return cls(
            ident=marker.ident,
            at=marker.at_ns,
            end=marker.end_ns,
            kind=marker.kind,
            text=marker.text,
            source=marker.source,
            severity=marker.severity,
            log=marker.lane,
        )


class MarkersOut(Out):
    """Markers of a window."""

    markers: list[MarkerOut] = Field(description="In the order of time; the worst ones where there are too many.")
    total: int = Field(description="How many there are in the window.")

    @classmethod
    def of(cls, found: Found) -> "MarkersOut":
        """From the store's answer."""
        return cls(markers=[MarkerOut.of(marker) for marker in found.markers], total=found.total)


class MarkerIn(BaseModel):
    """A marker to add."""

    at: Moment = Field(description="RFC 3339.")
    end: Moment | None = Field(default=None, description="RFC 3339, for a stretch.")
    kind: Kind = "note"
    text: Annotated[str, Said] = Field(min_length=1, max_length=MAX_TEXT)
    source: Annotated[str, Plain] = Field(default="", max_length=MAX_SOURCE)
    severity: Severity | None = None
    log: Annotated[str, Plain] = Field(default="", max_length=MAX_LOG, description="The log that a line stands in.")
    ident: Annotated[str, Plain] | None = Field(
        default=None, max_length=MAX_IDENT, description="Tells it from others; else its time, source and text do."
    )

    def marker(self) -> Marker:
        """Raise TimeError, also for a stretch that ends before it begins."""
        at_ns = parse_time(self.at)
        end_ns = None if self.end is None else parse_time(self.end)
        if end_ns is not None and end_ns < at_ns:
            raise TimeError(f"the stretch from {self.at} ends at {self.end}, before it begins")
        digest = sha256("\0".join((self.kind, self.source, self.text)).encode()).hexdigest()[:24]
        return Marker(
            ident=self.ident or f"{self.kind}/{at_ns}/{digest}",
            at_ns=at_ns,
            kind=self.kind,
            text=self.text,
            source=self.source,
            severity=self.severity,
            end_ns=end_ns,
            log=self.log,
        )


class DeviceNameIn(BaseModel):
    """A name for a device; null removes it."""

    kind: DeviceKind
    device: str = Field(min_length=1, max_length=200, description="As the machine calls it.")
    name: Name | None = Field(description="What people call it; null takes the name away.")
