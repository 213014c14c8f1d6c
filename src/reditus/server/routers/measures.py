"""The catalogue of measures, whole and per archive."""

from uuid import UUID

from fastapi import APIRouter

from reditus.analysis.catalogue import available_measures
from reditus.core.counters import COUNTERS
from reditus.core.measures import MEASURES
from reditus.server.context import StoreDep
from reditus.server.schemas import AvailableOut, CounterOut, MeasureOut

router = APIRouter(tags=["measures"])


@router.get("/measures")
def list_measures() -> list[MeasureOut]:
    """Every measure that Reditus can derive."""
    return [MeasureOut.of(measure) for measure in MEASURES.values()]


@router.get("/counters")
def list_counters() -> list[CounterOut]:
    """Every counter that a recorder keeps. Its name may stand wherever a measure's may."""
    return [CounterOut.of(counter) for counter in COUNTERS.values()]


@router.get("/archives/{archive_id}/measures")
def list_available_measures(archive_id: UUID, store: StoreDep) -> list[AvailableOut]:
    """The measures that an archive's counters can give, each with its devices."""
    with store.reading(archive_id) as reader:
        found = available_measures(reader)
    return [
        AvailableOut(**MeasureOut.of(each.measure).model_dump(), devices=list(each.devices), aliases=list(each.aliases))
        for each in found
    ]
