"""All measures, by name, in the order in which screens list them."""

from reditus.core.errors import UnknownMeasure
from reditus.core.measures.disk import DISK, SWAP_DISK
from reditus.core.measures.filesystem import FILESYSTEM
from reditus.core.measures.heat import HEAT
from reditus.core.measures.measure import Measure
from reditus.core.measures.memory import MEMORY, SWAP
from reditus.core.measures.network import NETWORK
from reditus.core.measures.process import is_process, process_measure
from reditus.core.measures.processor import PROCESSOR
from reditus.core.measures.protocols import PROTOCOLS
from reditus.core.measures.raw import counter_measure, is_counter
from reditus.core.measures.strain import STRAIN

DERIVATION_VERSION = 5
"""Grows whenever a formula changes, so that what was computed before is computed again."""

_IN_ORDER = (PROCESSOR, HEAT, MEMORY, SWAP, SWAP_DISK, DISK, FILESYSTEM, NETWORK, PROTOCOLS, STRAIN)
MEASURES: dict[str, Measure] = {measure.name: measure for part in _IN_ORDER for measure in part}


def measure_named(name: str) -> Measure:
    """A measure of the catalogue, a counter as it is (raw.py), or one process's (process.py). Raise UnknownMeasure,
    naming the nearest ones.
    """
    if is_counter(name):
        return counter_measure(name)
    if is_process(name):
        return process_measure(name)
    try:
        return MEASURES[name]
    except KeyError:
        raise UnknownMeasure(name, MEASURES) from None
