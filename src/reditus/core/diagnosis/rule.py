"""What a rule is: a declaration that the engine runs, documents and fetches columns for."""

from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass

import numpy as np

from reditus.core.diagnosis.finding import Finding, Kind, RuledOut
from reditus.core.diagnosis.inputs import Readings
from reditus.core.diagnosis.parameters import Parameters
from reditus.core.frame import Timebase
from reditus.core.measures import Measure
from reditus.core.types import NS_PER_S, BoolArray

Judgement = tuple[list[Finding], list[RuledOut]]
"""Findings, and what was ruled out."""


@dataclass(frozen=True, slots=True)
class Context:
    """What a rule judges by."""

    readings: Readings
    parameters: Parameters
    earlier: Sequence[Finding] = ()
    """What the rules before it in the engine's order found."""

    def earlier_of(self, kinds: Collection[Kind]) -> list[Finding]:
        """The earlier findings of these kinds, in the order in which they were found."""
        ids = {kind.id for kind in kinds}
        return [finding for finding in self.earlier if finding.kind in ids]

    def blamed(self, kinds: Collection[Kind], base: Timebase) -> BoolArray:
        """Ticks in and around the earlier findings of these kinds, shape (ticks,): what rises there is no second
        trouble.
        """
        out = np.zeros(len(base), dtype=bool)
        slack_ns = int(self.parameters.io_blame_slack_s * NS_PER_S)
        for finding in self.earlier_of(kinds):
            out |= (base.wall_ns > finding.start_ns - slack_ns) & (base.wall_ns <= finding.end_ns + slack_ns)
        return out


@dataclass(frozen=True, slots=True)
class Rule:
    """A family of kinds that are judged together."""

    id: str
    kinds: tuple[Kind, ...]
    """What it can find or rule out, each with its explanation."""
    needs: tuple[str | Measure, ...]
    """Measures that it reads at the ticks."""
    judge: Callable[[Context], Judgement]
    over_recording: tuple[str, ...] = ()
    """Measures that it reads over the whole of a long recording: a device's normal, growth over days."""
    judge_recording: Callable[[Context], list[Finding]] | None = None
    """What only shows over the whole of a long recording."""
