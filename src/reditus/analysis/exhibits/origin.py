"""What every exhibit says of where its numbers come from."""

import math
from dataclasses import dataclass
from uuid import UUID

import numpy as np

from reditus import __version__
from reditus.core.diagnosis.engine import RULES_VERSION
from reditus.core.measures.catalogue import DERIVATION_VERSION
from reditus.core.types import NS_PER_S, FloatArray
from reditus.core.window import Window
from reditus.exchange.bundle.contents import Content, Figure, Kind, Part, Source, Versions
from reditus.store.read.reader import Reader

TITLE_LETTERS = 300


@dataclass(frozen=True, slots=True)
class Pinned:
    """What is the same for every kind of exhibit: of which window, by which clock, and in which view it was pinned."""

    archive: UUID
    archive_name: str
    window: Window
    zone: str
    view: str


def coverage_of(reader: Reader, window: Window) -> float | None:
    """The share of a window that was recorded; None where nothing was."""
    extent = reader.extent
    if extent.first_ns is None or extent.last_ns is None:
        return None
    start_ns, end_ns = max(window.start_ns, extent.first_ns), min(window.end_ns, extent.last_ns + 1)
    if start_ns >= end_ns:
        return 0.0
    lost_ns = sum(
        min(gap.end_ns, end_ns) - max(gap.start_ns, start_ns)
        for gap in reader.gaps(Window(start_ns, end_ns))
        if gap.start_ns < end_ns and gap.end_ns > start_ns
    )
    return max((end_ns - start_ns - lost_ns) / (window.end_ns - window.start_ns), 0.0)


def frozen_content(
    reader: Reader, pinned: Pinned, kind: Kind, title: str, parts: list[Part], figures: list[Figure] | None = None,
    window: Window | None = None,
) -> Content:  # fmt: skip
    """An exhibit of one timeline. `window`: another than the one that was looked at."""
    window = window or pinned.window
    interval_ns, first_ns, last_ns = reader.extent.interval_ns, reader.extent.first_ns, reader.extent.last_ns
    is_recorded = (
        first_ns is not None and last_ns is not None and first_ns < window.end_ns and last_ns >= window.start_ns
    )
    return Content(
        kind=kind,
        title=title[:TITLE_LETTERS],
        source=Source(
            host=reader.scope.host,
            host_name=reader.scope.host_name,
            archive=pinned.archive,
            archive_name=pinned.archive_name,
            interval_s=None if interval_ns is None else interval_ns / NS_PER_S,
            coverage=coverage_of(reader, window),
            recorded_start_ns=max(first_ns, window.start_ns) if first_ns is not None and is_recorded else None,
            recorded_end_ns=min(last_ns, window.end_ns) if last_ns is not None and is_recorded else None,
        ),
        start_ns=window.start_ns,
        end_ns=window.end_ns,
        zone=pinned.zone,
        versions=Versions(reditus=__version__, derivation=DERIVATION_VERSION, rules=RULES_VERSION),
        view=pinned.view,
        figures=figures or [],
        parts=parts,
    )


def known(values: FloatArray) -> list[float | None]:
    """Numbers as they are written down: null for what is unknown."""
    return [None if math.isnan(value) else value for value in np.asarray(values, dtype=np.float64).tolist()]


def number(value: float | None) -> float | None:
    """The same for one."""
    return None if value is None or math.isnan(value) else float(value)
