"""The strain map: how hard each resource and device was pressed over a timeline."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass

from reditus.analysis.series import binned
from reditus.core.binning import BinStats
from reditus.core.measures import Measure, Resource
from reditus.core.measures.selection import SeriesKey, bottom_devices, devices_of
from reditus.core.measures.strain import STRAIN
from reditus.core.types import IntArray
from reditus.core.window import Window
from reditus.store.read.reader import Reader

MOST_DEVICES = 256


@dataclass(frozen=True, slots=True)
class StrainRow:
    """One row: the strain of a resource, or of one of its devices."""

    measure: Measure
    device: str | None


@dataclass(frozen=True, slots=True)
class StrainMap:
    """Strain, 0 to 1, per bin of each row; None for a row that the host cannot give."""

    edges_ns: IntArray
    series: list[BinStats | None]


def read_strain(reader: Reader, rows: Sequence[StrainRow], window: Window, width: int) -> StrainMap:
    """At most `width` bins over the window, from rollups where there are any."""
    found = binned(reader, [SeriesKey(row.measure, row.device) for row in rows], window, width)
    return StrainMap(found.edges_ns, found.series)


def strain_rows(reader: Reader, opened: Collection[Resource]) -> list[StrainRow]:
    """The rows of the map: every resource, and below those that are opened their devices."""
    rows = []
    for measure in STRAIN:
        rows.append(StrainRow(measure, None))
        if measure.resource in opened:
            names = bottom_devices(reader.scope.facts, measure, devices_of(reader.known, measure))
            rows += [StrainRow(measure, name) for name in names[:MOST_DEVICES]]
    return rows
