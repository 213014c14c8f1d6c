"""Two field captures held against each other, without server and database."""

from pathlib import Path
from typing import Any

from reditus.cli.captures import capture_of
from reditus.cli.console import Failure
from reditus.core.comparison import aligned_bin_ns, compare, side_of_frame
from reditus.core.comparison.roles import meaning_of
from reditus.core.comparison.samples import keys_of
from reditus.core.comparison.verdict import verdict_of
from reditus.core.errors import WindowError
from reditus.core.fact_changes import fact_changes
from reditus.core.frame import Frame
from reditus.core.rfc3339 import TimeError
from reditus.core.window import Window, parse_window
from reditus.exchange.recording import Recording
from reditus.server.comparison_schemas import ComparisonOut, side_out


def of_files(own: tuple[Path, str | None, str | None], other: tuple[Path, str | None, str | None]) -> dict[str, Any]:
    """Two files, each with its ends: without server and database."""
    recordings = [capture_of(file, None).recording for file, _, _ in (own, other)]
    windows = [_window(recording, *side) for recording, side in zip(recordings, (own, other), strict=True)]
    frames = [recording.frame() for recording in recordings]
    bin_ns = aligned_bin_ns(windows, [_interval_ns(frame) for frame in frames])
    keys = [key for key in keys_of(frames) if meaning_of(key.measure) is not None]
    window, reference = (
        side_of_frame(recording.host_name, frame, keys, part, bin_ns)
        for recording, frame, part in zip(recordings, frames, windows, strict=True)
    )
    found = compare(window, reference, keys)
    sides = side_out(window, str(recordings[0].archive)), side_out(reference, str(recordings[1].archive))
    changes = fact_changes(reference.facts, window.facts)
    shown = ComparisonOut.of(sides, found, verdict_of(found), None, changes, [])
    return shown.model_dump(mode="json", by_alias=True)


def _window(recording: Recording, file: Path, start: str | None, end: str | None) -> Window:
    try:
        extent = recording.window()
        return parse_window(start, end, (extent.start_ns, extent.end_ns))
    except (WindowError, TimeError) as why:
        raise Failure(f"{file}: {why}") from why


def _interval_ns(frame: Frame) -> int:
    return min(int(group.timebase.interval_ns.min()) for group in frame.groups if len(group.timebase))
