"""Labelled scenarios: every kind of trouble and every look-alike, alone and in pairs, on small and large hosts."""

from reditus.simulator.library.cases import Case, cases, normal_days
from reditus.simulator.library.scoring import Score, score

__all__ = ["Case", "Score", "cases", "normal_days", "score"]
