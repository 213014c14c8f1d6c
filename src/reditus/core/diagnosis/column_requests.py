"""Columns that a rule reads itself, beside those of measures: of every device that a counter has."""

from typing import NoReturn

from reditus.core.errors import UnknownCounter
from reditus.core.frame import Frame
from reditus.core.measures import Measure, Resource, Unit
from reditus.core.measures.measure import Need, Reach


def every(counter: str, *fixed: tuple[str, str]) -> Measure:
    """Asks for a counter of all devices, and is no measure: it cannot be derived."""

    def derive(_: Frame, __: str | None) -> NoReturn:
        raise UnknownCounter(counter)

    return Measure(
        f"every {counter}",
        counter,
        Unit.COUNT,
        Resource.PROCESSOR,
        "",
        "",
        (Need(counter, fixed, Reach.EVERY),),
        derive,
    )
