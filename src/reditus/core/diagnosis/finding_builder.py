"""Put findings together: what all rules need beside their own thresholds."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from reditus.core.diagnosis.finding import Evidence, Finding, Harm, Kind, RuledOut
from reditus.core.diagnosis.onset import find_onset
from reditus.core.diagnosis.parameters import Parameters
from reditus.core.diagnosis.sustained import Stretch, time_mean
from reditus.core.frame import Timebase
from reditus.core.measures import Resource, measure_named
from reditus.core.measures.measure import or_zero
from reditus.core.types import NS_PER_S, FloatArray

CONFIDENT, ESTIMATED = 0.95, 0.7
AT_LEAST, BELOW = "mean, threshold ≥", "mean, threshold <"


@dataclass(frozen=True, slots=True)
class Held:
    """A measure over a stretch, against what it was held to."""

    measure: str
    values: FloatArray
    threshold: float | None = None
    reads: str = AT_LEAST


@dataclass(frozen=True, slots=True)
class FindingBuilder:
    """One timebase on which a rule judges, of the machine or of a device."""

    timebase: Timebase
    rules: Parameters
    resource: Resource
    device: str | None = None

    def mean(self, values: FloatArray, stretch: Stretch) -> float:
        """0 where nothing is known."""
        return time_mean(values, self.timebase, stretch) or 0.0

    def evidence(self, stretch: Stretch, held: Sequence[Held]) -> tuple[Evidence, ...]:
        """The measures over a stretch, as the finding shows them."""
        return tuple(self._evidence(stretch, each) for each in held)

    def _evidence(self, stretch: Stretch, held: Held) -> Evidence:
        measure, mean = measure_named(held.measure), self.mean(held.values, stretch)
        threshold, reads = held.threshold, held.reads
        # A stretch also holds what came between two that met the threshold: over all of it the mean may not.
        if threshold is not None and (mean >= threshold if reads.endswith("<") else mean < threshold):
            threshold, reads = None, "mean"
        return Evidence(held.measure, self.device if measure.per else None, mean, threshold, measure.unit, reads)

    def seconds(self, values: FloatArray, stretch: Stretch) -> float:
        """Value × time over the stretch."""
        return self.mean(values, stretch) * stretch.length_s(self.timebase)

    def finding(
        self, kind: Kind, stretch: Stretch, *, rise: FloatArray, lost: FloatArray | None, held: Sequence[Held],
        explanation: str, considered: tuple[str, ...], estimated: bool = False, harm: Harm | None = None,
        confidence: float | None = None, search_s: float = 0.0,
    ) -> Finding:  # fmt: skip
        """`rise` is what changes at the beginning, `lost` the share of time that tasks lost; without it nothing counts
        as lost. `harm` is what it cost where stall time is no measure of that; `confidence` where it is neither the
        usual nor that of an estimate. `search_s`: how far around the stretch's first tick the onset may lie, where that
        is more than usual.
        """
        length_s = stretch.length_s(self.timebase)
        share = min(self.mean(lost, stretch), 1.0) if lost is not None else 0.0
        return Finding(
            kind=kind.id,
            title=kind.title,
            resource=self.resource,
            device=self.device,
            start_ns=stretch.start_ns(self.timebase),
            end_ns=stretch.end_ns(self.timebase),
            onset=find_onset(rise, self.timebase, stretch, self._search_ticks(search_s)),
            severity=share,
            time_lost_s=share * length_s,
            time_lost_estimated=estimated or lost is None,
            harm=harm or Harm(share * length_s),
            confidence=confidence or (ESTIMATED if estimated else CONFIDENT),
            evidence=self.evidence(stretch, held),
            explanation=explanation,
            considered=considered,
            next=kind.next_steps,
        )

    def _search_ticks(self, search_s: float) -> int:
        step_s = float(np.median(self.timebase.interval_ns)) / NS_PER_S
        return max(self.rules.onset_search_ticks, int(np.ceil(search_s / step_s)))

    def ruled_out(self, kind: Kind, stretch: Stretch, *, held: Sequence[Held], explanation: str) -> RuledOut:
        """Build what looked like a problem and is none."""
        return RuledOut(
            kind=kind.id,
            title=kind.title,
            resource=self.resource,
            start_ns=stretch.start_ns(self.timebase),
            end_ns=stretch.end_ns(self.timebase),
            evidence=self.evidence(stretch, held),
            explanation=explanation,
            device=self.device,
        )


def known(values: FloatArray | None, count: int) -> FloatArray:
    """The values, or zeros where the host does not tell them: missing is never evidence."""
    return np.zeros(count) if values is None else or_zero(values)


def lasting(rules: Parameters) -> Parameters:
    """The same rules for what only looks like a problem: long pauses do not part it."""
    return replace(rules, merge_break_s=rules.look_alike_merge_s)
