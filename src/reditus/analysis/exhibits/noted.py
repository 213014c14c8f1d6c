"""Remarks and lines of logs, as exhibits."""

from collections.abc import Sequence

from reditus.analysis.exhibits.judged import NothingPinned
from reditus.analysis.exhibits.origin import TITLE_LETTERS, Pinned, frozen_content
from reditus.analysis.exhibits.tables import Cells
from reditus.core.errors import WindowError
from reditus.core.markers import Marker
from reditus.core.window import Window
from reditus.exchange.bundle.contents import MOST_ROWS, Content, Head, Sentences, Table
from reditus.store.read.reader import Reader


def pin_note(reader: Reader, pinned: Pinned, markers: Sequence[Marker], ident: str) -> Content:
    """A remark, a gap or a single line by its ident. Raise NothingPinned where there is none."""
    marker = next((item for item in markers if item.ident == ident), None)
    if marker is None:
        raise NothingPinned("that note is not in this window any more; it may have been removed")
    said = [marker.text] + ([f"Noted by {marker.source}."] if marker.source else [])
    window = Window(marker.at_ns, max(marker.end_ns or 0, marker.at_ns + 1))
    return frozen_content(reader, pinned, "note", marker.text[:TITLE_LETTERS], [Sentences(lines=said)], window=window)


def pin_log(reader: Reader, pinned: Pinned, markers: Sequence[Marker], total: int, holding: str) -> Content:
    """Lines of logs over the window. Raise WindowError where there are more than an exhibit keeps."""
    lines = [item for item in markers if item.kind == "log"]
    if total > MOST_ROWS:
        raise WindowError(
            f"the window holds {total} such lines, and an exhibit keeps at most {MOST_ROWS}; choose fewer by their "
            "severity, their log or what they hold, or a shorter window"
        )
    if not lines:
        raise NothingPinned("no such line of a log is in this window")
    heads = [Head(title="time", unit="ns"), Head(title="severity"), Head(title="source"), Head(title="line")]
    rows: list[Cells] = [[item.at_ns, item.severity or "", item.source, item.text] for item in lines]
    title = f"{len(rows)} lines of logs" + (f" that hold “{holding}”" if holding else "")
    return frozen_content(reader, pinned, "log", title, [Table(title=title, heads=heads, rows=rows)])
