"""What goes over the wire of plans and recorders."""

import time
from typing import Annotated, Any

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, StringConstraints, ValidationError, model_validator

from reditus.core.reports import upgraded
from reditus.core.rfc3339 import EARLIEST_NS, parse_instant, spell_bounded, spell_time
from reditus.core.types import NS_PER_S
from reditus.server.document_schemas import Plan
from reditus.server.schemas import HostIn, HostOut, Moment, Name, Out, Time
from reditus.store.archives.plans import PlanInfo, RecorderInfo

SILENT_AFTER_S = 15.0
"""Recorders report every few seconds; one that has not for so long is silent."""


class PlanOut(Out):
    """A plan, and the recorders that follow it."""

    name: str
    plan: Plan
    changed: Time
    recorders: list[str] = Field(description="Those that follow it.")
    trouble: str | None = Field(default=None, description="Why it cannot be followed, if it was damaged.")

    @classmethod
    def of(cls, info: PlanInfo) -> "PlanOut":
        """From the store's plan."""
        return cls(
            name=info.name, plan=info.content, changed=info.changed_ns, recorders=list(info.recorders),
            trouble=info.trouble,
        )  # fmt: skip


class GroupOut(Out):
    """A group of counters that a plan may name."""

    name: str
    title: str


ReportedTime = Annotated[Moment, AfterValidator(lambda text: spell_bounded(parse_instant(text)))]
"""By the recorder's clock, which may be wrong by decades."""
Count = Annotated[int, Field(ge=0, lt=1 << 63)]
Short = Annotated[str, StringConstraints(max_length=500)]


class GapIn(BaseModel):
    """A stretch that was dropped unsent."""

    start: ReportedTime
    end: ReportedTime
    reason: str = Field(max_length=200)


class AsideIn(BaseModel):
    """A batch that was laid aside, in the recorder's folder of refused ones."""

    file: str = Field(max_length=200)
    reason: str = Field(max_length=1_000)
    size_bytes: Count
    start: ReportedTime | None = Field(default=None, description="Its first tick; null where unknown.")
    end: ReportedTime | None = None


class ReportIn(BaseModel):
    """How a recording goes."""

    model_config = ConfigDict(extra="ignore")

    @model_validator(mode="before")
    @classmethod
    def _upgraded(cls, given: Any) -> Any:
        return upgraded(given) if isinstance(given, dict) else given

    version: str = Field(max_length=50)
    pid: Count
    state: str = Field(max_length=50)
    started: ReportedTime
    interval_s: float | None = Field(ge=0, le=86_400)
    last_tick: ReportedTime | None
    ticks: Count
    missed: Count
    missed_why: dict[Short, Count] = Field(default_factory=dict, max_length=20)
    late_s: float | None = Field(ge=-1e9, le=1e9, description="Median lateness of the last ticks.")
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

    plan: Plan | None
    recording: bool
    burst_until: Time | None = Field(description="Until when a burst by hand lasts; null: there is none.")
    burst_until_ns: int = Field(description="The same for recorders of version 0.1; 0: there is none.")


class DirectIn(BaseModel):
    """New orders; what is left out stays as it is."""

    plan: str | None = Field(default=None, max_length=80, description="The plan to follow; null: as it was started.")
    recording: bool | None = None
    burst_s: float | None = Field(default=None, ge=0, le=3_600, description="Burst for so long from now; 0 ends it.")


UNREADABLE_REPORT = ReportIn(
    version="", pid=0, state="report unreadable", started=spell_time(EARLIEST_NS), interval_s=None, last_tick=None,
    ticks=0, missed=0, late_s=None, cost_share=None, memory_bytes=0, spool_bytes=0, spool_limit_bytes=0,
)  # fmt: skip


class RecorderOut(Out):
    """A recorder: its last report and its orders."""

    id: str
    host: HostOut
    name: str
    plan: str | None
    recording: bool
    burst_until: Time | None
    state: str = Field(description="As it reported, or silent.")
    reported: Time
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
            burst_until=info.burst_until_ns if info.burst_until_ns > time.time_ns() else None,
            state="silent" if silent and report.state != "ended" else report.state,
            reported=info.reported_ns,
            report=report,
        )
