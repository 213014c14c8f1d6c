"""What the values of a row a value are of: by its name, what it is of, and its unit."""

import re
from collections.abc import Mapping, Sequence

from reditus.core.counters import COUNTERS, CPU_NUMBER
from reditus.exchange.incoming.guessing import UNITS, column_named
from reditus.exchange.incoming.mapping import ColumnMapping, Meaning

DEVICE = "device"
ALL = ("all", "total", "sum", "-", "*")
"""What programs call all cores together, in small letters."""
_CORE = re.compile(r"^(?:cpu|core)?\s*(\d{1,5})$", re.IGNORECASE)


def series_meaning(
    meanings: Mapping[str, Meaning | None], name: str, devices: Sequence[str], unit: str
) -> ColumnMapping | None:
    """What is known of a name, or guessed; with what it is of as an attribute: that of the counter, where it is one of
    the catalogue. None for what is left out: by the mapping, or because a core has a number and this has none.
    """
    given = meanings.get(name)
    if given is None and name in meanings:
        return None
    mapped = column_named(name or "value", unit) if given is None else ColumnMapping(place=0, **given.model_dump())
    own = [device for device in devices if device]
    known = COUNTERS.get(mapped.counter)
    if known is None:
        named = {f"{DEVICE}{'' if at == 0 else at + 1}": device for at, device in enumerate(devices) if device}
    elif known.device is None or known.device in mapped.attributes:
        named = {}
    elif known.device == CPU_NUMBER and own:
        cores = [core[1] for core in map(_CORE.match, own) if core is not None]
        if not cores and len(own) == 1 and own[0].lower() in ALL:
            named = {}
        elif len(cores) == 1:
            named = {CPU_NUMBER: str(int(cores[0]))}
        else:
            return None
    else:
        named = {known.device: " ".join(own)} if own else {}
    return mapped.model_copy(update={"attributes": {**named, **mapped.attributes}})


def unit_factor(first: str, unit: str) -> float:
    """What a number in a unit is multiplied by in a series whose first number came in another: programs print 900us,
    then 1.2ms. Where either is not known, or they measure different things, numbers stay as they are.

    >>> unit_factor("us", "ms"), unit_factor("", "ms"), unit_factor("ms", "")
    (1000.0, 0.001, 1.0)
    """
    if first == unit or not unit:
        return 1.0
    in_ucum, (up, down) = UNITS.get(unit.lower(), (unit, (1, 1)))
    if not first:
        return up / down
    first_in_ucum, (first_up, first_down) = UNITS.get(first.lower(), (first, (1, 1)))
    return up * first_down / (down * first_up) if in_ucum == first_in_ucum else 1.0
