"""What goes over the wire of plans and recorders."""

import time
from typing import Any

from pydantic import BaseModel, ConfigDict, Field

from reditus.core.types import NS_PER_MS, NS_PER_S
from reditus.server.schemas import HostIn, HostOut, Name, Out
from reditus.server.times import to_ms
from reditus.store.plans import PlanInfo, RecorderInfo

SILENT_AFTER_S = 15.0
"""Recorders report every few seconds; one that has not for so long is silent."""


class PlanOut(Out):
    name: str
    plan: dict[str, Any] = Field(description="As docs/plans.md describes it.")
    changed_ms: float
    recorders: list[str] = Field(description="Those that follow it.")

    @classmethod
    def of(cls, info: PlanInfo) -> "PlanOut":
        return cls(
            name=info.plan.name, plan=info.plan.told, changed_ms=to_ms(info.changed_ns), recorders=list(info.recorders)
        )


class GroupOut(Out):
    """A group of counters that a plan may name."""

    name: str
    title: str


class GapIn(BaseModel):
    """A stretch that was dropped unsent."""

    start_ms: float
    end_ms: float
    reason: str = Field(max_length=200)


class ReportIn(BaseModel):
    """How a recording goes."""

    model_config = ConfigDict(extra="ignore")

    version: str = Field(max_length=50)
    pid: int
    state: str = Field(max_length=50)
    started_ms: float
    interval_s: float | None
    last_tick_ms: float | None
    ticks: int
    missed: int
    missed_why: dict[str, int] = Field(default_factory=dict, max_length=20)
    late_ms: float | None = Field(description="Median lateness of the last ticks.")
    cost_share: float | None = Field(description="Share of one core that the recorder uses itself.")
    memory_bytes: int
    spool_bytes: int
    spool_limit_bytes: int
    spool_trouble: str | None = None
    dropped: list[GapIn] = Field(default_factory=list, max_length=100)
    unreadable: dict[str, str] = Field(default_factory=dict, max_length=500)


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


class RecorderOut(Out):
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
        report = ReportIn.model_validate(info.report)
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
