"""What is different between two windows: distributions side by side, ranked by what they mean for work, in words."""

from reditus.core.comparison.differences import Comparison, Difference, compare
from reditus.core.comparison.samples import Side, aligned_bin_ns, side_of_frame

__all__ = ["Comparison", "Difference", "Side", "aligned_bin_ns", "compare", "side_of_frame"]
