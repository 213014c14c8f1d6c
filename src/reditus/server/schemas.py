"""What goes over the wire, as Pydantic models. The front end's types are generated from these."""

from collections.abc import Mapping, Sequence
from typing import Annotated, Any, Literal
from uuid import UUID

from pydantic import BaseModel, ConfigDict, Field, PlainSerializer, StringConstraints, WithJsonSchema

from reditus.core.counters import Counter
from reditus.core.diagnosis import KINDS, Diagnosis, Evidence, Finding, RuledOut, Unjudged
from reditus.core.diagnosis.contributors import NamedContributors
from reditus.core.errors import ReditusError
from reditus.core.measures import Measure, Resource, Unit, measure_named
from reditus.core.normal import unlike
from reditus.core.outside import shown
from reditus.core.rfc3339 import parse_time, spell_bounded
from reditus.server.document_schemas import Facts
from reditus.store.records import ArchiveInfo, KnownDamage, Verdict

Name = Annotated[
    str, StringConstraints(min_length=1, max_length=120, strip_whitespace=True, pattern=r"^[^\x00-\x1f\x7f]+$")
]
Moment = Annotated[str, Field(json_schema_extra={"format": "date-time"}, max_length=60)]
"""A time in a request: RFC 3339 with a zone."""
Time = Annotated[
    int, PlainSerializer(spell_bounded, return_type=str), WithJsonSchema({"type": "string", "format": "date-time"})
]
"""A time in an answer: nanoseconds inside, RFC 3339 in UTC outside. Columns of many times are numbers (`times_ms`)."""
FINDING_KINDS = (*KINDS, unlike.KIND)
"""What rules find in a recording, and what is found because a host's past is known."""
FindingKind = Annotated[
    str, WithJsonSchema({"type": "string", "enum": [item.id for item in FINDING_KINDS], "title": "FindingKind"})
]
"""What a finding or a ruled-out entry may be of."""
Source = Literal["recorded", "imported", "simulated"]
KnownSource = Literal["recorded", "imported", "simulated", "bundle"]


class Out(BaseModel):
    """Base of everything sent."""

    model_config = ConfigDict(frozen=True)


class WrongPartOut(Out):
    """One wrong part of a request: of its body, or one of its parameters."""

    pointer: str | None = Field(default=None, description="Where in the body: a JSON pointer (RFC 6901) as a fragment.")
    parameter: str | None = Field(default=None, description="Which parameter of the path, the query or the head.")
    detail: str = Field(description="What is wrong, and what would be right.")


class ProblemOut(Out):
    """An RFC 9457 problem."""

    type: str
    title: str
    status: int
    detail: str
    errors: list[WrongPartOut] | None = Field(default=None, description="Each part that is wrong, where several are.")


PROBLEM_RESPONSES: dict[int | str, dict[str, Any]] = {
    "default": {"model": ProblemOut, "description": "A problem, after RFC 9457."}
}


class FailingOut(Out):
    """What goes wrong with one archive again and again; the others go on."""

    archive: str
    reason: str
    since: Time
    times: int
    retry: Time = Field(description="When it is tried again.")


class TaskOut(Out):
    """How a part of the background work does."""

    task: Literal["sealing", "rollups", "retention", "scrubbing", "judging"]
    last_success: Time | None = Field(description="When it last went through; null if not since the server started.")
    overdue: bool
    failing: list[FailingOut]


class HealthOut(Out):
    """`status` is the worst of what there is: how the database does, then damage, then background work."""

    status: Literal["ok", "disk full", "database away", "damaged", "work overdue"]
    version: str
    detail: str | None = None
    tasks: list[TaskOut] = []
    damaged_archives: dict[str, int] = Field(
        default={}, description="How many blocks are known to be damaged, by archive; see GET /api/damage."
    )


class DamageOut(Out):
    """A stretch of which some columns, or all, are lost."""

    archive: str
    archive_name: str
    host: str
    group: str
    start: Time
    end: Time
    columns: int | None = Field(description="How many are lost; null: all of the group.")
    reason: str
    found: Time

    @classmethod
    def of(cls, known_damage: KnownDamage) -> "DamageOut":
        """From the store's record."""
        return cls(
            archive=str(known_damage.archive),
            archive_name=known_damage.archive_name,
            host=known_damage.host_name,
            group=known_damage.group,
            start=known_damage.first_ns,
            end=known_damage.last_ns,
            columns=known_damage.columns,
            reason=known_damage.reason,
            found=known_damage.found_ns,
        )


class CheckIn(BaseModel):
    """From where on to verify an archive's blocks: what the answer before gave as `next`, or nothing."""

    schema_id: int = Field(default=-1, ge=-1, le=(1 << 31) - 1)
    after_ns: int = Field(default=-(1 << 62), ge=-(1 << 62), le=1 << 62)


class CheckOut(Out):
    """What verifying some blocks showed."""

    checked: int = Field(description="Blocks that were read and decoded.")
    size_bytes: int
    damaged: int = Field(description="Blocks of these that are damaged.")
    next: CheckIn | None = Field(description="Where to go on; null at the end.")


class FlawOut(Out):
    """Something beside blocks that is damaged, and what to do about it."""

    where: str
    reason: str
    remedy: str


class HostIn(BaseModel):
    """The host that is recorded."""

    id: UUID = Field(description="UUID of the host.")
    name: Name


class ArchiveIn(BaseModel):
    """What a recorder tells of an archive before it sends blocks."""

    host: HostIn
    name: Name
    source: Source
    facts: Facts = Field(default_factory=dict)


class HostOut(Out):
    """A host."""

    id: str
    name: str


class ArchiveOut(Out):
    """An archive, and what it holds."""

    id: str
    host: HostOut
    name: str
    source: KnownSource
    facts: Facts
    start: Time | None = Field(description="First tick; null while the archive is empty.")
    end: Time | None
    interval_s: float | None
    ticks: int
    columns: int
    size_bytes: int
    coverage: float = Field(description="Share of the time between first and last tick for which there are ticks.")
    notes: str = Field(description="What people say of it.")
    protected: bool = Field(description="Whether it is protected: nothing is removed from it.")
    deleted: Time | None = Field(description="Since when it waits to be removed; until it is, that can be taken back.")
    damaged_blocks: int = Field(description="How many of its blocks are known to be damaged: what they lost is a gap.")
    trouble: str | None = Field(description="What of it cannot be read at all, and why.")

    @classmethod
    def of(cls, archive: ArchiveInfo) -> "ArchiveOut":
        """From the store's record."""
        return cls(
            id=str(archive.id),
            host=HostOut(id=str(archive.host.id), name=archive.host.name),
            name=archive.name,
            source=archive.source,
            facts=archive.facts.as_json(),
            start=archive.first_ns,
            end=archive.last_ns,
            interval_s=None if archive.interval_ns is None else archive.interval_ns / 1e9,
            ticks=archive.ticks,
            columns=archive.columns,
            size_bytes=archive.size_bytes,
            coverage=archive.coverage,
            notes=archive.notes,
            protected=archive.protected,
            deleted=archive.deleted_ns,
            damaged_blocks=archive.damaged_blocks,
            trouble=archive.trouble,
        )


class FactsOut(Out):
    """Facts of the host from a time on."""

    since: Time
    facts: Facts


class StoredOut(Out):
    """What became of a batch. When this arrives, the ticks are on disk."""

    stored_ticks: int
    repeated_ticks: int = Field(description="Ticks that were there already; sending twice is harmless.")


class MeasureOut(Out):
    """A measure of the catalogue."""

    name: str
    title: str
    unit: Unit
    resource: Resource
    help: str
    formula: str
    per: Literal["core", "disk", "interface", "filesystem", "sensor", "other"] | None = Field(
        description="What it has devices of; null if none."
    )
    total: Unit | None = Field(description="Unit of the measure summed over time, where that makes sense.")
    per_event: bool = Field(description="Whether it has values only where something happened: no request, no wait.")

    @classmethod
    def of(cls, measure: Measure) -> "MeasureOut":
        """From the core's measure."""
        return cls(
            name=measure.name,
            title=measure.title,
            unit=measure.unit,
            resource=measure.resource,
            help=measure.help,
            formula=measure.formula,
            per=None if measure.per is None else measure.per.name.lower(),
            total=measure.total,
            per_event=measure.per_event,
        )


class FilesystemOut(Out):
    """A filesystem at the end of a window; what is not known is null."""

    mount: str
    used_bytes: float | None
    free_bytes: float | None = Field(description="What programs without special rights can still write.")
    inodes: float | None = Field(description="Share of the inodes that is taken.")
    growth_bytes_per_s: float | None = Field(description="By the trend of the window (Theil–Sen); null for none.")
    full_in_s: float | None = Field(description="From the window's end, at that rate; null where it does not grow.")


class CounterOut(Out):
    """A counter of the catalogue."""

    name: str
    title: str
    unit: str = Field(description="After UCUM.")
    kind: Literal["cumulative", "level"]
    attributes: list[str] = Field(
        description="What tells its columns apart; the first names its devices, if it has any."
    )
    help: str
    source: str
    charted_in: Unit = Field(description="The unit of its measure: growth per second, or the level.")
    resource: Resource

    @classmethod
    def of(cls, counter: Counter) -> "CounterOut":
        """From the core's counter."""
        return cls(
            name=counter.name,
            title=counter.title,
            unit=counter.unit,
            kind=counter.kind.value,
            attributes=[*([counter.device] if counter.device else []), *counter.attributes],
            help=counter.help,
            source=counter.source,
            charted_in=measure_named(counter.name).unit,
            resource=measure_named(counter.name).resource,
        )


class AvailableOut(MeasureOut):
    """A measure that an archive can give."""

    devices: list[str]
    aliases: list[str] = Field(description="Those that tell again what others tell: volumes, partitions, the loopback.")


class SummaryOut(Out):
    """Figures of a series over the window."""

    low: float | None
    mean: float | None
    p95: float | None
    high: float | None
    total: float | None
    coverage: float
    bin_s: float | None = Field(
        description="Length of the bins that the figures are of: the window is then rounded to whole bins, and p95 is "
        "of their means. null where the figures are of the ticks."
    )


class SeriesOut(Out):
    """One measure over the window. `mean`, `low` and `high` run along `times_ms[times]`; null is unknown."""

    measure: str
    device: str | None
    unit: Unit
    times: int
    bin_s: float | None = Field(description="Length of a bin in seconds; null when the values are single ticks.")
    mean: list[float | None]
    low: list[float | None] | None
    high: list[float | None] | None
    summary: SummaryOut | None
    missing: str | None = Field(description="Why there are no values.")


class SeriesSetOut(Out):
    """Series over a window; those with the same times share them."""

    start: Time
    end: Time
    times_ms: list[list[float]] = Field(description="Milliseconds since the epoch, in the order of time.")
    series: list[SeriesOut]


class StrainRowOut(Out):
    """How hard a resource or one of its devices was pressed, per bin."""

    measure: str
    resource: Resource
    device: str | None
    has_devices: bool = Field(description="Whether the resource can be distinguished into devices.")
    help: str
    formula: str
    inputs: list[str] = Field(description="The measures that it is made of.")
    mean: list[int | None] | None = Field(description="Percent per bin; null where nothing was observed.")
    high: list[int | None] | None = Field(description="The highest of any interval in the bin, in percent.")


class StrainMapOut(Out):
    """Strain over a window, a row for each resource and opened device."""

    start: Time = Field(description="Where the first bin begins.")
    bin_s: float
    rows: list[StrainRowOut]


class ReadingOut(Out):
    """A measure at the tick."""

    measure: str
    device: str | None
    unit: Unit
    value: float | None


class MomentOut(Out):
    """The state of the host at one tick."""

    at: Time = Field(description="The moment that was requested.")
    tick: Time | None = Field(description="The tick that describes it; null in a gap.")
    cores: int | None
    readings: list[ReadingOut]


class EvidenceOut(Out):
    """A measure that supports a finding."""

    measure: str
    device: str | None
    value: float
    threshold: float | None
    unit: Unit
    reads: str

    @classmethod
    def of(cls, evidence: Evidence) -> "EvidenceOut":
        """From the core's evidence."""
        return cls(
            measure=evidence.measure,
            device=evidence.device,
            value=evidence.value,
            threshold=evidence.threshold,
            unit=evidence.unit,
            reads=evidence.reads,
        )


class OnsetOut(Out):
    """When a finding began."""

    at: Time
    uncertainty_s: float


class PatternOut(Out):
    """How a finding recurs."""

    kind: Literal["once", "periodic", "days"]
    period_s: float | None


class ContributorOut(Out):
    """A recorded process, and its share of the whole: of what all had, or of one core's time."""

    pid: int
    name: str | None
    share: float


class VerdictOut(Out):
    """What people made of a finding."""

    state: Literal["open", "confirmed", "dismissed"]
    remark: str
    decided: Time


class OccurrenceOut(Out):
    """One of the times that a finding was there."""

    start: Time
    end: Time


class HarmOut(Out):
    """What a finding cost, in its own measure."""

    seconds: float
    of: str = Field(description="What the seconds are of, to be printed behind them.")


class FindingOut(Out):
    """What ran out: since when, at what cost, because of what."""

    id: str
    kind: FindingKind
    title: str
    resource: Resource
    device: str | None
    start: Time
    end: Time
    onset: OnsetOut
    severity: float
    time_lost_s: float
    time_lost_estimated: bool
    harm: HarmOut
    confidence: float
    evidence: list[EvidenceOut]
    explanation: str
    considered: list[str]
    next: list[str]
    caused_by: list[str] = Field(description="Ids of findings that brought this one about.")
    symptoms: list[str] = Field(description="Ids of findings that this one brought about.")
    processes: list[ContributorOut] = Field(description="Top processes, with their share of the whole.")
    recorded_share: float | None = Field(
        description="What all recorded processes had of the whole: what had the rest was not recorded. null where "
        "findings of this kind are of no process, or none were recorded."
    )
    shares_of: str | None = Field(description="What the shares of processes are shares of, in words.")
    pattern: PatternOut
    occurrences: list[OccurrenceOut] = Field(
        description="When it was there, where it came more than once; empty where it is one stretch."
    )
    verdict: VerdictOut | None = None

    @classmethod
    def of(
        cls, finding: Finding, contributors: NamedContributors | None = None, verdict: Verdict | None = None
    ) -> "FindingOut":
        """From the core's finding, with its contributors and the verdict on it."""
        return cls(
            id=finding.id,
            kind=finding.kind,
            title=finding.title,
            resource=finding.resource,
            device=finding.device,
            start=finding.start_ns,
            end=finding.end_ns,
            onset=OnsetOut(at=finding.onset.at_ns, uncertainty_s=finding.onset.uncertainty_s),
            severity=finding.severity,
            time_lost_s=finding.time_lost_s,
            time_lost_estimated=finding.time_lost_estimated,
            harm=HarmOut(seconds=finding.harm.seconds, of=finding.harm.of),
            confidence=finding.confidence,
            evidence=[EvidenceOut.of(item) for item in finding.evidence],
            explanation=finding.explanation,
            considered=list(finding.considered),
            next=list(finding.next),
            caused_by=list(finding.caused_by),
            symptoms=list(finding.symptoms),
            processes=[
                ContributorOut(pid=process.pid, name=name, share=process.share)
                for process, name in (contributors.processes if contributors else ())
            ],
            shares_of=None if contributors is None else contributors.by or None,
            occurrences=[OccurrenceOut(start=item.start_ns, end=item.end_ns) for item in finding.occurrences],
            recorded_share=None if contributors is None else contributors.recorded,
            pattern=PatternOut(kind=finding.pattern.kind, period_s=finding.pattern.period_s),
            verdict=None
            if verdict is None
            else VerdictOut(state=verdict.state, remark=verdict.remark, decided=verdict.decided_ns),
        )


class RuledOutOut(Out):
    """What looked like a problem and is none."""

    id: str
    kind: FindingKind
    title: str
    resource: Resource
    device: str | None
    start: Time
    end: Time
    evidence: list[EvidenceOut]
    explanation: str

    @classmethod
    def of(cls, excluded: RuledOut) -> "RuledOutOut":
        """From the core's record."""
        return cls(
            id=excluded.id,
            kind=excluded.kind,
            title=excluded.title,
            resource=excluded.resource,
            device=excluded.device,
            start=excluded.start_ns,
            end=excluded.end_ns,
            evidence=[EvidenceOut.of(item) for item in excluded.evidence],
            explanation=excluded.explanation,
        )


class UnjudgedOut(Out):
    """Something that could not be judged, and why."""

    subject: str
    reason: str
    kinds: list[FindingKind]

    @classmethod
    def of(cls, item: Unjudged) -> "UnjudgedOut":
        """From the core's record."""
        return cls(subject=item.subject, reason=item.reason, kinds=list(item.kinds))


class DiagnosedWindowOut(Out):
    """The window that was judged, and how much of it was observed."""

    model_config = ConfigDict(frozen=True, populate_by_name=True)

    from_: Time = Field(alias="from")
    to: Time
    coverage: float


class DiagnosisOut(Out):
    """Findings, what was ruled out, and what could not be judged."""

    host: str
    window: DiagnosedWindowOut
    findings: list[FindingOut]
    ruled_out: list[RuledOutOut]
    unjudged: list[UnjudgedOut]

    @classmethod
    def of(
        cls,
        host: str,
        diagnosis: Diagnosis,
        processes: Mapping[str, NamedContributors] | None = None,
        verdicts: Sequence[Verdict] = (),
    ) -> "DiagnosisOut":
        """From the core's diagnosis."""
        window = diagnosis.window
        parts = processes or {}

        def said(finding: Finding) -> Verdict | None:
            return next(
                (
                    each
                    for each in verdicts
                    if each.is_of(finding.kind, finding.device, finding.start_ns, finding.end_ns)
                ),
                None,
            )

        return cls(
            host=host,
            window=DiagnosedWindowOut(from_=window.start_ns, to=window.end_ns, coverage=diagnosis.coverage),
            findings=[FindingOut.of(finding, parts.get(finding.id), said(finding)) for finding in diagnosis.findings],
            ruled_out=[RuledOutOut.of(excluded) for excluded in diagnosis.ruled_out],
            unjudged=[UnjudgedOut.of(item) for item in diagnosis.unjudged],
        )


class BadVerdict(ReditusError, ValueError):
    """A verdict that says nothing."""


class VerdictIn(BaseModel):
    """What to make of a finding. Dismissing one needs a reason; open without a remark takes back what was said."""

    kind: str = Field(max_length=60, description="The finding's.")
    device: Name | None = Field(default=None, description="The finding's.")
    start: Moment = Field(description="The finding's, RFC 3339.")
    end: Moment = Field(description="The finding's, RFC 3339.")
    state: Literal["open", "confirmed", "dismissed"]
    remark: Annotated[str, StringConstraints(strip_whitespace=True, max_length=2_000, pattern=r"^[^\x00]*$")] = ""

    def verdict(self, decided_ns: int) -> Verdict:
        """Raise BadVerdict for a kind that no finding has, and for a dismissal without a reason."""
        problems = [item.id for item in FINDING_KINDS if item.is_problem]
        if self.kind not in problems:
            raise BadVerdict(f"{shown(self.kind)} is no kind of finding; there are {', '.join(problems)}")
        if self.state == "dismissed" and not self.remark:
            raise BadVerdict("dismissing a finding needs a reason, so that others can follow; give it as remark")
        start_ns, end_ns = parse_time(self.start), parse_time(self.end)
        return Verdict(self.kind, self.device, start_ns, max(end_ns, start_ns + 1), self.state, self.remark, decided_ns)


class UsageOut(Out):
    """What a process had at a tick. Rates are null where the interval is unknown."""

    cpu_cores: float | None
    system_cores: float | None = Field(description="The part of cpu_cores that the kernel used for it.")
    memory_bytes: float
    read_bytes_per_s: float | None
    write_bytes_per_s: float | None
    major_faults_per_s: float | None
    minor_faults_per_s: float | None
    blocked_tasks: float | None = Field(description="Time blocked on I/O over time; where the kernel keeps it, else 0.")
    threads: int
    waiting_tasks: float | None = Field(
        description="Threads that were ready to run and had no core, on average; where it was recorded, else 0."
    )


class ProcessOut(Out):
    """A process at the tick."""

    pid: int
    start: int = Field(description="Clock ticks from the machine's start to the process's; tells equal pids apart.")
    name: str | None
    user: str | None
    group: str | None = Field(description="Its control group's path.")
    parent: int | None
    arguments: str | None
    state: str
    core: int
    usage: UsageOut


class ThreadOut(Out):
    """A thread at the tick."""

    tid: int
    pid: int = Field(description="The process that it belongs to.")
    start: int
    name: str | None
    state: str
    core: int
    usage: UsageOut = Field(description="Its own; memory and threads are the process's, and 0 here.")


class ProcessesOut(Out):
    """The heaviest processes at the tick."""

    recorded: bool = Field(description="Whether the archive holds processes at all.")
    tick: Time | None
    processes: list[ProcessOut] = Field(description="The heaviest, by processor use and then memory.")
    threads: list[ThreadOut] = Field(description="The heaviest threads of those, where the plan asks for threads.")
    total: UsageOut | None = Field(description="All processes of the tick, those not listed too.")
    states: dict[str, int]
    ended_cores: float | None = Field(
        description="Processor use that no process of the tick accounts for: of processes that ended before it, and of "
        "interrupts."
    )
