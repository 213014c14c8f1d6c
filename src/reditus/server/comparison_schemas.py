"""What goes over the wire of comparisons."""

from collections.abc import Sequence
from typing import Literal

from pydantic import Field

from reditus.analysis.comparison import FindingChange, ProgramChange, Used
from reditus.core.comparison import Comparison, Difference, Side
from reditus.core.comparison.differences import Distribution, shapes_of
from reditus.core.comparison.roles import Role
from reditus.core.comparison.thresholds import threshold_of
from reditus.core.comparison.verdict import Verdict, What
from reditus.core.measures import Resource, Unit
from reditus.core.types import NS_PER_S, FloatArray
from reditus.server.schemas import Out, Time

MOST_ALIKE = 60


class SideOut(Out):
    """One side of a comparison."""

    host: str
    archive: str = Field(description="The id that was requested.")
    start: Time
    end: Time
    bin_s: float = Field(description="Length of the bins that both sides were compared in.")


class DistributionOut(Out):
    """One side's values of a measure, in its unit. Quantiles are of the bins' means, lowest and highest of ticks."""

    values: int
    low: float
    q1: float
    median: float
    q3: float
    p95: float
    p99: float
    high: float
    mean: float
    above: float | None = Field(description="Share of the values from the rule's threshold on, where there is one.")
    shape: list[float] = Field(description="Density over equal parts of the scale, the highest is 1.")

    @classmethod
    def of(cls, found: Distribution, shape: FloatArray) -> "DistributionOut":
        """From the core's."""
        return cls(
            values=found.values,
            low=found.low,
            q1=found.q1,
            median=found.median,
            q3=found.q3,
            p95=found.p95,
            p99=found.p99,
            high=found.high,
            mean=found.mean,
            above=found.above,
            shape=[round(float(value), 3) for value in shape],
        )


class DifferenceOut(Out):
    """A measure of a device on both sides."""

    measure: str
    title: str
    device: str | None
    reference_device: str | None
    unit: Unit
    resource: Resource
    role: Role = Field(description="What the measure tells of work.")
    window: DistributionOut
    reference: DistributionOut
    scale_low: float
    scale_high: float
    scale_log: bool = Field(description="Whether the shapes stand on a logarithmic scale.")
    delta: float = Field(description="Cliff's delta, −1 to 1: 1 where every value of the window is above.")
    delta_low: float
    delta_high: float = Field(description="Between these delta lies, 95 % sure.")
    threshold: float | None = Field(description="From which a rule takes it for trouble, in the measure's unit.")
    shift: float = Field(description="Hodges–Lehmann shift, in the measure's unit.")
    shift_low: float
    shift_high: float
    ratio: float = Field(description="Times as much; what is next to nothing counts as a floor, 64 is the most.")
    p: float = Field(description="How likely such a delta is where nothing differs.")
    likewise: list[str] = Field(description="Other devices of which the same can be said.")

    @classmethod
    def of(cls, item: Difference, window: Side, reference: Side) -> "DifferenceOut":
        """With the shapes of both distributions on one scale."""
        shapes = shapes_of(item, window, reference)
        return cls(
            measure=item.measure.name,
            title=item.measure.title,
            device=item.device,
            reference_device=item.reference_device,
            unit=item.measure.unit,
            resource=item.measure.resource,
            role=item.role,
            threshold=threshold_of(item.measure.name),
            window=DistributionOut.of(item.window, shapes.window),
            reference=DistributionOut.of(item.reference, shapes.reference),
            scale_low=shapes.low,
            scale_high=shapes.high,
            scale_log=shapes.log,
            delta=item.effect.delta,
            delta_low=item.effect.low,
            delta_high=item.effect.high,
            shift=item.shift,
            shift_low=item.shift_low,
            shift_high=item.shift_high,
            ratio=item.ratio,
            p=item.effect.p,
            likewise=list(item.likewise),
        )


class UsedOut(Out):
    """What a program used, a second of what was recorded."""

    cores: float
    memory_bytes: float
    read_bytes_per_s: float
    written_bytes_per_s: float
    processes: int

    @classmethod
    def of(cls, used: Used) -> "UsedOut":
        """From the analysis."""
        return cls(
            cores=used.cores,
            memory_bytes=used.memory_bytes,
            read_bytes_per_s=used.read_bytes_per_s,
            written_bytes_per_s=used.written_bytes_per_s,
            processes=used.processes,
        )


class ProgramChangeOut(Out):
    """A program on both sides."""

    name: str
    what: Literal["new", "gone", "heavier", "lighter"]
    window: UsedOut
    reference: UsedOut


class FindingChangeOut(Out):
    """A kind of finding of a device on both sides."""

    what: Literal["new", "gone", "longer", "shorter"]
    kind: str
    title: str
    device: str | None
    window_s: float
    reference_s: float

    @classmethod
    def of(cls, change: FindingChange) -> "FindingChangeOut":
        """From the analysis."""
        return cls(
            what=change.what,
            kind=change.kind,
            title=change.title,
            device=change.device,
            window_s=change.window_s,
            reference_s=change.reference_s,
        )


class NotComparedOut(Out):
    """What could not be compared, and why."""

    measure: str
    device: str | None
    why: str


class ComparisonOut(Out):
    """What is different between two windows, the most telling first."""

    window: SideOut
    reference: SideOut
    what: What
    sentence: str
    because: list[str]
    compared: int = Field(description="Measures of devices that were held against each other.")
    differences: list[DifferenceOut] = Field(description="Beyond chance, and large enough to matter.")
    alike: list[DifferenceOut] = Field(description="Some of the others, the nearest to a difference first.")
    programs: list[ProgramChangeOut] | None = Field(description="Null where a side has no processes.")
    changes: list[str] = Field(description="What is different about the machine itself.")
    unmatched: list[str] = Field(description="Devices on one side only, as sentences.")
    not_compared: list[NotComparedOut]
    gaps: list[str] = Field(description="What limits the answer, as sentences.")

    @classmethod
    def of(
        cls, sides: tuple[SideOut, SideOut], found: Comparison, verdict: Verdict,
        programs: Sequence[ProgramChange] | None, changes: Sequence[str], limits: Sequence[str],
    ) -> "ComparisonOut":  # fmt: skip
        """From the analysis."""
        return cls(
            window=sides[0],
            reference=sides[1],
            what=verdict.what,
            sentence=verdict.sentence,
            because=list(verdict.because),
            compared=found.compared,
            differences=[DifferenceOut.of(item, found.window, found.reference) for item in found.differences],
            alike=[DifferenceOut.of(item, found.window, found.reference) for item in found.alike[:MOST_ALIKE]],
            programs=None
            if programs is None
            else [
                ProgramChangeOut(
                    name=item.name,
                    what=item.what,
                    window=UsedOut.of(item.window),
                    reference=UsedOut.of(item.reference),
                )
                for item in programs
            ],
            changes=list(changes),
            unmatched=_unmatched(found),
            not_compared=[
                NotComparedOut(measure=name, device=device, why=why) for name, device, why in found.one_sided
            ],
            gaps=list(limits),
        )


def _unmatched(found: Comparison) -> list[str]:
    out = []
    for per, match in found.unmatched.items():
        kind = per.name.lower()
        for names, side in ((match.only_window, "window"), (match.only_reference, "reference")):
            if names:
                out.append(f"{kind} {', '.join(names)}: in the {side} only")
    return out


def side_out(side: Side, archive: str) -> SideOut:
    """A side as it is shown."""
    return SideOut(
        host=side.name,
        archive=archive,
        start=side.window.start_ns,
        end=side.window.end_ns,
        bin_s=side.bin_ns / NS_PER_S,
    )
