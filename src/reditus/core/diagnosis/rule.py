"""What a rule is: a declaration that the engine runs, documents and fetches columns for."""

from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass

from reditus.core.diagnosis.finding import Finding, Kind, RuledOut
from reditus.core.diagnosis.inputs import Readings
from reditus.core.diagnosis.parameters import Parameters
from reditus.core.measures import Measure

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
