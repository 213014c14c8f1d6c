"""What is different: a window of an archive or host against a reference."""

import re
from collections.abc import Sequence
from itertools import pairwise
from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, Depends, Query, Request

from reditus.analysis.comparison import (
    Interval,
    common_bin_ns,
    compare_sides,
    finding_changes,
    interval_of,
    read_side,
)
from reditus.analysis.diagnosis import diagnose_timeline
from reditus.analysis.windows import requested_window
from reditus.core.comparison import Comparison
from reditus.core.comparison.verdict import verdict_of
from reditus.core.durations import spell_duration
from reditus.core.errors import WindowError
from reditus.core.fact_changes import fact_changes
from reditus.core.rfc3339 import spell_time
from reditus.core.types import NS_PER_S
from reditus.core.window import Window
from reditus.server.cancellation import check_cancelled, run_until_disconnect
from reditus.server.comparison_schemas import ComparisonOut, FindingChangeOut, side_out
from reditus.server.context import Context, ContextDep
from reditus.server.schemas import Moment
from reditus.store.archives.log_lines import LineChoice

router = APIRouter(prefix="/archives/{archive_id}/comparison", tags=["comparison"])

LEAST_COVERED = 0.9
ALIKE_LENGTH = 1.1
PACKAGES = re.compile(r"^(dpkg|apt|rpm|dnf|yum|zypper|pacman|apk)\b", re.IGNORECASE)
"""Logs of what is installed on the machine, by the names that distributions give them."""
MOST_MARKERS, MOST_BETWEEN, MOST_LETTERS = 5_000, 60, 200
_Requested = tuple[UUID, str | None, str | None]
Start = Annotated[Moment | None, Query(alias="from", description="RFC 3339; else the archive's beginning.")]
End = Annotated[Moment | None, Query(alias="to", description="RFC 3339; else the archive's end.")]
With = Annotated[UUID | None, Query(alias="with", description="Archive or host of the reference; else the same.")]
WithStart = Annotated[Moment | None, Query(alias="with_from", description="RFC 3339; else its beginning.")]
WithEnd = Annotated[Moment | None, Query(alias="with_to", description="RFC 3339; else its end.")]


def sides_of(
    archive_id: UUID,
    start: Start = None,
    end: End = None,
    other: With = None,
    other_start: WithStart = None,
    other_end: WithEnd = None,
) -> list[_Requested]:
    """The window and the reference that a request is for: of which archive or host, from when, until when."""
    return [(archive_id, start, end), (other or archive_id, other_start, other_end)]


Sides = Annotated[list[_Requested], Depends(sides_of)]


@router.get("")
async def read_comparison(
    requested: Sides,
    request: Request,
    context: ContextDep,
) -> ComparisonOut:
    """Every measure of both sides, what differs beyond chance ranked by what it means for work, and a sentence."""

    def work() -> ComparisonOut:
        intervals = [_interval(context, *side) for side in requested]
        if intervals[0].window == intervals[1].window and requested[0][0] == requested[1][0]:
            raise WindowError("window and reference are the same stretch; choose another reference")
        bin_ns = common_bin_ns(intervals)
        # One after the other: a request takes one connection.
        read = []
        for (archive, _, _), interval in zip(requested, intervals, strict=True):
            with context.store.reading(archive, check_cancelled, context.budget.long) as reader:
                read.append(read_side(reader, interval.window, bin_ns))
        found = compare_sides(read[0], read[1], check_cancelled)
        sides = [side_out(item.side, str(archive)) for item, (archive, _, _) in zip(read, requested, strict=True)]
        return ComparisonOut.of(
            (sides[0], sides[1]),
            found.measures,
            verdict_of(found.measures),
            found.programs,
            fact_changes(read[1].side.facts, read[0].side.facts) + _since(context, requested, intervals),
            _limits(intervals, found.measures),
        )

    return await run_until_disconnect(request, work, context.lanes.long)


@router.get("/findings")
async def read_finding_changes(
    requested: Sides,
    request: Request,
    context: ContextDep,
) -> list[FindingChangeOut]:
    """Findings of both sides: which are new, gone, longer or shorter."""

    def work() -> list[FindingChangeOut]:
        found = []
        for archive, since, until in requested:
            with context.store.reading(archive, check_cancelled, context.budget.long) as reader:
                found.append(
                    diagnose_timeline(reader, requested_window(reader, since, until), context.judged).diagnosis
                )
        return [FindingChangeOut.of(change) for change in finding_changes(*found)]

    return await run_until_disconnect(request, work, context.lanes.long)


def _interval(context: Context, archive: UUID, start: str | None, end: str | None) -> Interval:
    with context.store.reading(archive, check_cancelled, context.budget.long) as reader:
        return interval_of(reader, requested_window(reader, start, end))


def _since(context: Context, requested: Sequence[_Requested], intervals: Sequence[Interval]) -> list[str]:
    """What changed about one host between two of its windows, where its newest facts do not tell it: its facts, what
    people noted, and what package managers logged.
    """
    if requested[0][0] != requested[1][0]:
        return []
    first, last = sorted(interval.window.end_ns for interval in intervals)
    if first == last:
        return []
    history = context.store.archives.facts_history(requested[0][0])
    out = []
    for (_, before), (since_ns, after) in pairwise(history):
        if first < since_ns <= last:
            out += [f"{spell_time(since_ns)}: {change}" for change in fact_changes(before, after)]
    with context.store.reading(requested[0][0], check_cancelled, context.budget.long) as reader:
        logs = {info.name for info in reader.logs() if PACKAGES.search(info.name)}
    choice = LineChoice(logs=("", *sorted(logs)))  # remarks are of no log
    for marker in context.store.markers.read(requested[0][0], Window(first, last), choice, MOST_MARKERS).markers:
        if first < marker.at_ns <= last and (marker.kind == "note" or marker.log in logs):
            out.append(f"{spell_time(marker.at_ns)}: {marker.text[:MOST_LETTERS]}")
    return sorted(out)[:MOST_BETWEEN]


def _limits(intervals: Sequence[Interval], found: Comparison) -> list[str]:
    """What limits the answer, in sentences."""
    out = []
    own_s, its_s = (interval.window.length_s for interval in intervals)
    if max(own_s, its_s) > ALIKE_LENGTH * min(own_s, its_s):
        out.append(f"The window is {spell_duration(own_s)} long and the reference {spell_duration(its_s)}.")
    for side, name in ((found.window, "window"), (found.reference, "reference")):
        if not side.stats:
            out.append(f"The {name} holds no ticks.")
            continue
        seen_s = max(float(stats.observed_s.sum()) for stats in side.stats.values())
        if seen_s < LEAST_COVERED * side.window.length_s:
            out.append(f"Of the {name} {seen_s / side.window.length_s:.0%} was recorded.")
    paces = sorted({interval.interval_ns for interval in intervals})
    if len(paces) > 1:
        spelled = " and ".join(spell_duration(pace_ns / NS_PER_S) for pace_ns in paces)
        out.append(f"The sides were recorded every {spelled}: peaks of the finer one are higher for it.")
    return out
