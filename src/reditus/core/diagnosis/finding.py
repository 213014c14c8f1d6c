"""Findings and what was ruled out, with the evidence inside."""

from collections.abc import Sequence
from dataclasses import dataclass, field

from reditus.core.measures import Resource, Unit
from reditus.core.types import NS_PER_S
from reditus.core.window import Window


@dataclass(frozen=True, slots=True)
class Evidence:
    """A measure over the finding's interval, against the threshold it was held to."""

    measure: str
    device: str | None
    value: float
    threshold: float | None
    unit: Unit
    reads: str
    """The comparison in words, such as "mean, threshold ≥"."""


@dataclass(frozen=True, slots=True)
class Onset:
    """When a finding began, and how sure that is."""

    at_ns: int
    uncertainty_s: float
    """The change lies within this many seconds on either side."""


@dataclass(frozen=True, slots=True)
class Pattern:
    """How a finding recurs."""

    kind: str
    """`once`, `periodic`, or `days`: on several days, at no steady distance."""
    period_s: float | None = None


@dataclass(frozen=True, slots=True)
class Occurrence:
    """One of the times that a finding was there."""

    start_ns: int
    end_ns: int


@dataclass(frozen=True, slots=True)
class Harm:
    """What a finding cost: stall time where that is the measure, else what the kind itself is measured by."""

    seconds: float
    of: str = "of stall time"
    """What the seconds are of, to be printed behind them: "with one core full", "of extra wait"."""


@dataclass(frozen=True, slots=True)
class Finding:
    """Something ran out, on a device or the machine, from `start_ns` to `end_ns`."""

    kind: str
    title: str
    resource: Resource
    device: str | None
    start_ns: int
    end_ns: int
    onset: Onset
    severity: float
    """0 to 1: the share of the interval that tasks lost."""
    time_lost_s: float
    time_lost_estimated: bool
    """Whether the time lost had to be estimated, for lack of stall totals."""
    harm: "Harm"
    """What it cost, in its own measure."""
    confidence: float
    """0 to 1: lower where the best evidence was missing."""
    evidence: tuple[Evidence, ...]
    explanation: str
    considered: tuple[str, ...]
    next: tuple[str, ...]
    pattern: Pattern = field(default_factory=lambda: Pattern("once"))
    occurrences: tuple["Occurrence", ...] = ()
    """When it was there, where it came more than once: in order. Empty where it is one stretch from start to end."""
    caused_by: tuple[str, ...] = ()
    """Ids of findings that brought this one about."""
    symptoms: tuple[str, ...] = ()
    """Ids of findings that this one brought about."""

    @property
    def id(self) -> str:
        """Stable for the same finding in the same archive."""
        return f"{self.kind}/{self.device or 'machine'}/{self.start_ns // NS_PER_S}"

    @property
    def length_s(self) -> float:
        """From start to end, in seconds."""
        return (self.end_ns - self.start_ns) / NS_PER_S


def summed_harm(findings: Sequence[Finding], weights: Sequence[float] = ()) -> Harm:
    """Of findings of one kind taken together, each weighed by the share of it that counts; of time that is left, the
    last one's.
    """
    last = findings[-1].harm
    if last.of.startswith("until"):
        return last
    shares = weights or [1.0] * len(findings)
    return Harm(sum(item.harm.seconds * share for item, share in zip(findings, shares, strict=True)), last.of)


@dataclass(frozen=True, slots=True)
class RuledOut:
    """Something that looks like a problem and is none."""

    kind: str
    title: str
    resource: Resource
    start_ns: int
    end_ns: int
    evidence: tuple[Evidence, ...]
    explanation: str
    device: str | None = None

    @property
    def id(self) -> str:
        """Kind, device and second of the start: the same in every answer over the same ticks."""
        return f"{self.kind}/{self.device or 'machine'}/{self.start_ns // NS_PER_S}"


@dataclass(frozen=True, slots=True)
class Kind:
    """What a finding's or a ruled-out entry's id stands for, in general."""

    id: str
    title: str
    is_problem: bool
    meaning: str
    evidence: tuple[str, ...]
    look_alikes: str
    requires: tuple[str, ...] = ()
    """Measures, or counters without a measure, of which one has to be there: with none it cannot be judged at all."""
    next_steps: tuple[str, ...] = ()
    """What to look at next, where it is found."""
    without: str = ""
    """What decides instead where a counter is missing, and what then cannot be reported."""


@dataclass(frozen=True, slots=True)
class Unjudged:
    """Something that could not be judged."""

    subject: str
    """Kinds by their titles, or devices."""
    reason: str
    kinds: tuple[str, ...]
    """Ids of the kinds that could therefore not be found, or not fully."""


@dataclass(frozen=True, slots=True)
class Diagnosis:
    """What ran out in a window, and what only looked like it."""

    window: Window
    coverage: float
    """Share of the window that was observed."""
    findings: tuple[Finding, ...]
    """The most time lost first."""
    ruled_out: tuple[RuledOut, ...]
    unjudged: tuple[Unjudged, ...] = ()
    """What could not be judged: with much of it, an empty list of findings is no sign of health."""
