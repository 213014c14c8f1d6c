"""What ran out, since when, and what only looks like it. Arrays in, findings out."""

from reditus.core.diagnosis.engine import KINDS, diagnose, needed_measures
from reditus.core.diagnosis.finding import Diagnosis, Evidence, Finding, RuledOut

__all__ = ["KINDS", "Diagnosis", "Evidence", "Finding", "RuledOut", "diagnose", "needed_measures"]
