"""What goes over the wire of a host's weeks and of what is usual for it."""

from collections.abc import Sequence
from uuid import UUID

import numpy as np
from pydantic import Field

from reditus.analysis.weeks import Growth, Left, Weeks
from reditus.core.comparison.roles import Role
from reditus.core.measures import Resource, Unit
from reditus.core.normal.hours import HOUR_NS
from reditus.core.slow.change_points import Piece
from reditus.core.slow.grouping import Together
from reditus.core.slow.strained import How
from reditus.core.slow.trends import Slope
from reditus.core.types import NS_PER_S, FloatArray
from reditus.server.schemas import Out, Time


class StrainedOut(Out):
    """A resource over the days: each hour's strain, and whether it is strained constantly or comes back."""

    resource: Resource
    hours: list[int | None] = Field(description="Mean strain of each hour in percent, from the first day's 00:00 UTC.")
    how: How
    days: int = Field(description="On so many of the recorded days some hour was strained.")
    of: int
    at_hours: list[int] = Field(description="Hours of the day, UTC, where they are the same on most days.")


class StretchOut(Out):
    """How a measure was from some time on."""

    start: Time
    end: Time
    first: float
    last: float = Field(description="The same as `first` where the measure did not creep.")
    certainty: float = Field(description="0 to 1: how unlikely the change at its start is where nothing changes.")
    uncertainty_s: float = Field(description="The change may have been so much earlier or later, 95 % sure.")


class SlopeOut(Out):
    """A trend a week."""

    a_week: float
    low: float
    high: float
    p: float = Field(description="How likely such a trend is where nothing creeps.")

    @classmethod
    def of(cls, slope: Slope | None) -> "SlopeOut | None":
        """From the core's, which is a week's."""
        if slope is None:
            return None
        return cls(a_week=slope.slope, low=slope.low, high=slope.high, p=slope.p)


class SlowChangeOut(Out):
    """A measure that changed over weeks."""

    measure: str
    title: str
    unit: Unit
    resource: Resource
    role: Role
    device: str | None
    devices: list[str] = Field(description="Devices that changed alike.")
    stretches: list[StretchOut]
    hours: list[float | None] = Field(description="The median of each hour, from `hours_from` on.")


class LeftOut(Out):
    """How long there is room for something, if it goes on as it did."""

    measure: str
    title: str
    unit: Unit
    device: str | None
    then: str = Field(description="What is so, once the limit is reached.")
    now: float
    limit: float
    days: float
    days_low: float
    days_high: float | None = Field(description="Between these it is, 90 % sure; null where there is no telling.")


class GrowthOut(Out):
    """What was wanted of a resource beside how long it took, in natural logarithms a week."""

    resource: Resource
    demand: str
    response: str
    demand_title: str
    response_title: str
    demand_slope: SlopeOut | None
    response_slope: SlopeOut | None


class PartOut(Out):
    """One of the archives that tell of a host."""

    id: UUID
    start: Time
    end: Time
    interval_s: float = Field(description="Where that changes, figures may differ for that reason alone.")


class WeeksOut(Out):
    """A host over weeks."""

    host: str
    host_id: UUID = Field(description="Opens all of its archives as one.")
    archives: list[PartOut] = Field(description="In the order of their beginnings.")
    start: Time
    end: Time
    knows_weeks: bool = Field(
        description="Whether there are two weeks and more, so that no weekend passes for a change."
    )
    strain: list[StrainedOut]
    hours_from: Time
    changes: list[SlowChangeOut]
    left: list[LeftOut]
    growth: list[GrowthOut]

    @classmethod
    def of(cls, weeks: Weeks) -> "WeeksOut":
        """From what the analysis says."""
        return cls(
            host=weeks.host_name,
            host_id=weeks.host,
            archives=[
                PartOut(id=part.archive, start=part.start_ns, end=part.end_ns, interval_s=part.interval_ns / NS_PER_S)
                for part in weeks.parts
            ],
            start=weeks.window.start_ns,
            end=weeks.window.end_ns,
            knows_weeks=weeks.knows_weeks,
            strain=[
                StrainedOut(
                    resource=resource, hours=_percent(row), how=weeks.strained[resource].how,
                    days=weeks.strained[resource].days, of=weeks.strained[resource].of,
                    at_hours=list(weeks.strained[resource].hours),
                )
                for resource, row in weeks.strain.items()
            ],
            hours_from=weeks.first_hour_ns,
            changes=[_change(item, weeks) for item in weeks.changes],
            left=[_left(item) for item in weeks.left],
            growth=[_growth(item) for item in weeks.growth],
        )  # fmt: skip


def _percent(values: FloatArray) -> list[int | None]:
    return [None if np.isnan(value) else round(100 * value) for value in values.tolist()]


def numbers_of(values: FloatArray) -> list[float | None]:
    """To four digits, null for what is unknown."""
    return [None if np.isnan(value) else float(f"{value:.4g}") for value in values.tolist()]


def _change(item: Together, weeks: Weeks) -> SlowChangeOut:
    key = item.lead.key
    return SlowChangeOut(
        measure=key.measure.name,
        title=key.measure.title,
        unit=key.measure.unit,
        resource=key.measure.resource,
        role=item.lead.meaning.role,
        device=key.device,
        devices=list(item.devices),
        stretches=_stretches(item.lead.change.stretches, weeks.first_hour_ns),
        hours=numbers_of(weeks.hours[key.name]),
    )


def _stretches(stretches: Sequence[Piece], first_ns: int) -> list[StretchOut]:
    return [
        StretchOut(
            start=first_ns + stretch.start * HOUR_NS,
            end=first_ns + stretch.stop * HOUR_NS,
            first=stretch.first,
            last=stretch.last,
            certainty=stretch.certainty,
            uncertainty_s=stretch.uncertainty * 3_600.0,
        )
        for stretch in stretches
    ]


def _left(item: Left) -> LeftOut:
    return LeftOut(
        measure=item.key.measure.name,
        title=item.key.measure.title,
        unit=item.key.measure.unit,
        device=item.key.device,
        then=item.then,
        now=item.now,
        limit=item.limit,
        days=item.left.median,
        days_low=item.left.low,
        days_high=item.left.high if np.isfinite(item.left.high) else None,
    )


def _growth(item: Growth) -> GrowthOut:
    return GrowthOut(
        resource=item.resource,
        demand=item.demand.name,
        response=item.response.name,
        demand_title=item.demand.measure.title,
        response_title=item.response.measure.title,
        demand_slope=SlopeOut.of(item.demand_slope),
        response_slope=SlopeOut.of(item.response_slope),
    )


class UsualOut(Out):
    """What is usual for a measure, of each hour of a window."""

    measure: str
    device: str | None
    unit: Unit
    hours_from: Time
    middle: list[float | None]
    low: list[float | None]
    high: list[float | None] = Field(description="The band; null for hours of which too little past is known.")
    weeks: int = Field(description="How many of the same hour of the week it rests on, at least.")
    days: int = Field(description="Where those are fewer than two: how many other days at the same hour.")
    outside: float | None = Field(description="Share of the window outside the band; null where neither is known.")
    missing: str | None


class UnusualOut(Out):
    """How far beyond what is usual anything waited or failed, per bin."""

    start: Time
    bin_s: float
    strain: list[int | None] = Field(description="In percent; null where nothing is known of what is usual.")
    most: list[int | None] = Field(description="Which of `names` it was.")
    names: list[str]
