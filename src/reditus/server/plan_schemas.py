"""What goes over the wire of plans and recorders."""

import time
from typing import Annotated, Any

from pydantic import BaseModel, ConfigDict, Field, StringConstraints, ValidationError

from reditus.core.rfc3339 import LATEST_NS, to_ms
from reditus.core.types import NS_PER_MS, NS_PER_S
from reditus.server.schemas import HostIn, HostOut, Name, Out
from reditus.store.archives.plans import PlanInfo, RecorderInfo

SILENT_AFTER_S = 15.0
"""Recorders report every few seconds; one that has not for so long is silent."""


class PlanOut(Out):
    """A plan, and the recorders that follow it."""

    name: str
    plan: dict[str, Any] = Field(description="As docs/plans.md describes it.")
    changed_ms: float
    recorders: list[str] = Field(description="Those that follow it.")
    trouble: str | None = Field(default=None, description="Why it cannot be followed, if it was damaged.")

    @classmethod
    def of(cls, info: PlanInfo) -> "PlanOut":
        """From the store's plan."""
        return cls(
            name=info.name, plan=info.content, changed_ms=to_ms(info.changed_ns), recorders=list(info.recorders),
            trouble=info.trouble,
        )  # fmt: skip


class GroupOut(Out):
    """A group of counters that a plan may name."""

    name: str
    title: str


Ms = Annotated[float, Field(ge=0, le=LATEST_NS / NS_PER_MS)]
"""Milliseconds since the epoch."""
Count = Annotated[int, Field(ge=0, lt=1 << 63)]
Short = Annotated[str, StringConstraints(max_length=500)]


class GapIn(BaseModel):
    """A stretch that was dropped unsent."""

    start_ms: Ms
    end_ms: Ms
    reason: str = Field(max_length=200)


class AsideIn(BaseModel):
    """A batch that was laid aside, in the recorder's folder of refused ones."""

    file: str = Field(max_length=200)
    reason: str = Field(max_length=1_000)
    size_bytes: Count
    start_ms: Ms | None = Field(default=None, description="Its first tick; null where unknown.")
    end_ms: Ms | None = None


class ReportIn(BaseModel):
    """How a recording goes."""

    model_config = ConfigDict(extra="ignore")

    version: str = Field(max_length=50)
    pid: Count
    state: str = Field(max_length=50)
    started_ms: Ms
    interval_s: float | None = Field(ge=0, le=86_400)
    last_tick_ms: Ms | None
    ticks: Count
    missed: Count
    missed_why: dict[Short, Count] = Field(default_factory=dict, max_length=20)
    late_ms: float | None = Field(ge=-1e12, le=1e12, description="Median lateness of the last ticks.")
    cost_share: float | None = Field(ge=0, le=1e6, description="Share of one core that the recorder uses itself.")
    memory_bytes: Count
    spool_bytes: Count
    spool_limit_bytes: Count
    spool_trouble: str | None = Field(default=None, max_length=500)
    dropped: list[GapIn] = Field(default_factory=list, max_length=100)
    unreadable: dict[Short, Short] = Field(default_factory=dict, max_length=500)
    aside: list[AsideIn] = Field(
        default_factory=list, max_length=100, description="Batches that the server would not take, the newest last."
    )


class AnnouncedIn(BaseModel):
    """A recorder's word; its id is that of the archive it fills."""

    host: HostIn
    name: Name
    plan: str | None = Field(default=None, max_length=80)
    report: ReportIn


class OrdersOut(Out):
    """What a recorder is to do."""

    plan: dict[str, Any] | None
    recording: bool
    burst_until_ns: int


class DirectIn(BaseModel):
    """New orders; what is left out stays as it is."""

    plan: str | None = Field(default=None, max_length=80, description="The plan to follow; null: as it was started.")
    recording: bool | None = None
    burst_s: float | None = Field(default=None, ge=0, le=3_600, description="Burst for so long from now; 0 ends it.")


UNREADABLE_REPORT = ReportIn(
    version="", pid=0, state="report unreadable", started_ms=0, interval_s=None, last_tick_ms=None, ticks=0, missed=0,
    late_ms=None, cost_share=None, memory_bytes=0, spool_bytes=0, spool_limit_bytes=0,
)  # fmt: skip


class RecorderOut(Out):
    """A recorder: its last report and its orders."""

    id: str
    host: HostOut
    name: str
    plan: str | None
    recording: bool
    burst_until_ms: float | None
    state: str = Field(description="As it reported, or silent.")
    reported_ms: float
    report: ReportIn

    @classmethod
    def of(cls, info: RecorderInfo) -> "RecorderOut":
        """From the store's recorder."""
        try:
            report = ReportIn.model_validate(info.report)
        except ValidationError:  # as it was stored by another version, or damaged since
            report = UNREADABLE_REPORT
        silent = time.time_ns() - info.reported_ns > SILENT_AFTER_S * NS_PER_S
        return cls(
            id=str(info.id),
            host=HostOut(id=str(info.host.id), name=info.host.name),
            name=info.name,
            plan=info.plan,
            recording=info.recording,
            burst_until_ms=info.burst_until_ns / NS_PER_MS if info.burst_until_ns > time.time_ns() else None,
            state="silent" if silent and report.state != "ended" else report.state,
            reported_ms=to_ms(info.reported_ns),
            report=report,
        )
