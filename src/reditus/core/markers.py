"""Markers: remarks and events at a time, or over a stretch."""

import json
import re
from collections.abc import Mapping
from dataclasses import asdict, dataclass, replace
from hashlib import sha256
from uuid import UUID

from reditus.core.records import LONGEST_JSON_BYTES, Envelope, checked_text, checked_whole

MAGIC = b"RDTL"
SEVERITIES = ("emergency", "alert", "critical", "error", "warning", "notice", "informational", "debug")
"""In the order of RFC 5424, section 6.2.1; the kernel's log has the same numbers."""
KINDS = ("log", "gap", "note")
"""A line that the machine logged; a stretch of which nothing is kept, and why; a remark of a person."""
MAX_TEXT = 2_000
MAX_SOURCE = 200
MAX_IDENT = 120
MAX_LOG = 100
_PROCESS = re.compile(r"\[\d{1,10}\]$")


@dataclass(frozen=True, slots=True)
class Marker:
    """A remark or event at a time, or over a stretch."""

    ident: str
    """Tells it from others of the archive: given twice, it is kept once."""
    at_ns: int
    kind: str
    text: str
    source: str = ""
    """Who says so: kernel, or the program that logged."""
    severity: str | None = None
    end_ns: int | None = None
    """The end of a stretch; None: an instant."""
    log: str = ""
    """The log that the line stood in; empty where that is not known."""

    @property
    def lane(self) -> str:
        """What lines are put together by: their log, else the program that wrote them, without its number."""
        if self.kind != "log":
            return ""
        return self.log or _PROCESS.sub("", self.source)[:MAX_LOG]

    @classmethod
    def from_json(cls, payload: Mapping[str, object]) -> "Marker":
        """Raise ValueError, TypeError or KeyError for what is no marker."""
        end_ns, severity = payload.get("end_ns"), payload.get("severity")
        marker = cls(
            ident=checked_text(payload["ident"], MAX_IDENT),
            at_ns=checked_whole(payload["at_ns"]),
            kind=checked_text(payload["kind"]),
            text=checked_text(payload["text"], MAX_TEXT),
            source=checked_text(payload.get("source", ""), MAX_SOURCE),
            severity=None if severity is None else checked_text(severity),
            end_ns=None if end_ns is None else checked_whole(end_ns),
            log=checked_text(payload.get("log", ""), MAX_LOG),
        )
        if marker.kind not in KINDS:
            raise ValueError(f"{marker.kind!r} is none of {', '.join(KINDS)}")
        if marker.severity is not None and marker.severity not in SEVERITIES:
            raise ValueError(f"{marker.severity!r} is none of {', '.join(SEVERITIES)}")
        if marker.end_ns is not None and marker.end_ns < marker.at_ns:
            raise ValueError(f"it ends {marker.at_ns - marker.end_ns} ns before it begins")
        return marker


@dataclass(frozen=True, slots=True)
class Markers:
    """Markers of an archive, as they stand in a batch."""

    archive: UUID
    boot: UUID
    markers: tuple[Marker, ...]

    def to_bytes(self) -> bytes:
        """The record as docs/blocks.md describes it."""
        return Envelope(MAGIC, self.archive, self.boot, [asdict(marker) for marker in self.markers]).to_bytes()

    @classmethod
    def of(cls, envelope: Envelope) -> "Markers":
        """Read the markers of a record. Raise BlockError for one that is none."""
        return cls(envelope.archive, envelope.boot, tuple(Marker.from_json(entry) for entry in envelope.payload))


def in_log(markers: list[Marker], log: str) -> list[Marker]:
    """The same lines as those of a log: what two logs both hold is two lines."""
    digest = sha256(log.encode()).hexdigest()[:8]
    return [replace(marker, log=log, ident=f"{marker.ident}/{digest}"[:MAX_IDENT]) for marker in markers]


def as_batches(archive: UUID, boot: UUID, markers: list[Marker]) -> list[bytes]:
    """Records that keep to the limit of one."""
    out: list[bytes] = []
    part: list[Marker] = []
    size = 0
    for marker in markers:
        length = len(json.dumps(asdict(marker)))
        if part and size + length > LONGEST_JSON_BYTES // 2:
            out.append(Markers(archive, boot, tuple(part)).to_bytes())
            part, size = [], 0
        part.append(marker)
        size += length
    if part:
        out.append(Markers(archive, boot, tuple(part)).to_bytes())
    return out
