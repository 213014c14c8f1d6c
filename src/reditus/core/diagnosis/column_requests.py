"""Columns that a rule reads itself, beside those of measures: of every device that a counter has."""

from typing import NoReturn

from reditus.core.errors import UnknownCounter
from reditus.core.frame import Frame
from reditus.core.measures import Measure, Resource, Unit
from reditus.core.measures.measure import Need, Reach


def every(counter: str, *fixed: tuple[str, str]) -> Measure:
    """Asks for a counter of all devices, and is no measure: it cannot be derived."""
    return _request(counter, fixed, Reach.EVERY)


def of_machine(counter: str, *fixed: tuple[str, str]) -> Measure:
    """Asks for a counter of the machine as a whole, and is no measure either."""
    return _request(counter, fixed, Reach.MACHINE)


def _request(counter: str, fixed: tuple[tuple[str, str], ...], reach: Reach) -> Measure:
    def derive(_: Frame, __: str | None) -> NoReturn:
        raise UnknownCounter(counter)

    return Measure(
        f"columns of {counter} {dict(fixed)}",
        counter,
        Unit.COUNT,
        Resource.PROCESSOR,
        "",
        "",
        (Need(counter, fixed, reach, optional=True),),
        derive,
    )
