"""Measures: what is charted and judged, derived from counters when read. A module per resource."""

from reditus.core.measures.catalogue import MEASURES, measure_named
from reditus.core.measures.measure import Measure, Need, Per, Resource, Unit

__all__ = ["MEASURES", "Measure", "Need", "Per", "Resource", "Unit", "measure_named"]
