"""What ran out, since when, and what only looks like it. Arrays in, findings out."""

from reditus.core.diagnosis.engine import KINDS, diagnose, needed_measures
from reditus.core.diagnosis.finding import Diagnosis, Evidence, Finding, RuledOut, Unjudged

__all__ = ["KINDS", "Diagnosis", "Evidence", "Finding", "RuledOut", "Unjudged", "diagnose", "needed_measures"]
