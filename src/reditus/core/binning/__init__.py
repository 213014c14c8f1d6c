"""Ticks into equal bins without hiding a spike: one family for charts, the strain map, rollups and diagnosis.

`edges` says where bins lie, `binner` makes `stats` of ticks (through `overlap`), and `BinStats.coarser` makes them of
finer bins.
"""

from reditus.core.binning.binner import Binner, bin_series, summarise
from reditus.core.binning.edges import MAX_BINS, aligned_edges, bin_edges, even_edges, rolled_edges
from reditus.core.binning.stats import BinStats

__all__ = [
    "MAX_BINS",
    "BinStats",
    "Binner",
    "aligned_edges",
    "bin_edges",
    "bin_series",
    "even_edges",
    "rolled_edges",
    "summarise",
]
