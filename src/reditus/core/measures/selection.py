"""Which columns the measures need, and which measures the columns can give."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property, lru_cache

from reditus.core.counters import COUNTERS
from reditus.core.errors import UnknownMeasure
from reditus.core.facts import HostFacts
from reditus.core.measures import MEASURES, Measure, Per, measure_named
from reditus.core.measures.measure import Need, Reach, natural_key, spell_attributes
from reditus.core.measures.other import OtherMeasure, is_other, other_measure
from reditus.core.measures.process import is_process
from reditus.core.measures.raw import expanded, is_counter
from reditus.core.schema import Column

LOOPBACK = "lo"
REMEMBERED = 64
"""Archives for which it is remembered what they can give; that changes only when a device comes or goes."""


@dataclass(frozen=True, slots=True)
class StoredColumn:
    """Where a column stands: in which schema, at which place."""

    schema_id: int
    group: str
    position: int
    column: Column


def device_attribute(counter: str) -> str | None:
    """The attribute that names a counter's device; None where it has none, or a newer Reditus knows what it is."""
    return COUNTERS[counter].device if counter in COUNTERS else None


class ColumnSet:
    """The columns of some schemas. The same schemas give the same object, so that work on it can be remembered too."""

    def __init__(self, columns: Sequence[StoredColumn]) -> None:
        self.all = tuple(columns)

    def __iter__(self) -> Iterator[StoredColumn]:
        return iter(self.all)

    def __len__(self) -> int:
        return len(self.all)

    @cached_property
    def by_counter(self) -> dict[str, tuple[StoredColumn, ...]]:
        """The columns by counter, memoised."""
        found: dict[str, list[StoredColumn]] = {}
        for known in self.all:
            found.setdefault(known.column.counter, []).append(known)
        return {counter: tuple(columns) for counter, columns in found.items()}

    @cached_property
    def by_device(self) -> dict[tuple[str, str | None], tuple[StoredColumn, ...]]:
        """By counter and device; None for the columns that are of no device."""
        found: dict[tuple[str, str | None], list[StoredColumn]] = {}
        for counter, columns in self.by_counter.items():
            attribute = device_attribute(counter)
            for known in columns:
                if counter in COUNTERS:
                    device = known.column.attribute(attribute) if attribute else None
                else:
                    device = spell_attributes(known.column)
                found.setdefault((counter, device), []).append(known)
        return {key: tuple(columns) for key, columns in found.items()}

    @cached_property
    def others(self) -> dict[str, OtherMeasure]:
        """The measures of counters that are not in the catalogue, by name, memoised."""
        found = [
            other_measure([item.column for item in columns])
            for counter, columns in self.by_counter.items()
            if counter not in COUNTERS
        ]
        return {measure.name: measure for measure in sorted(found, key=lambda measure: natural_key(measure.name))}


@dataclass(frozen=True, slots=True)
class SeriesKey:
    """A measure, of a device or of the machine."""

    measure: Measure
    device: str | None

    @property
    def name(self) -> str:
        """As a request names it: NAME or NAME@DEVICE."""
        return self.measure.name if self.device is None else f"{self.measure.name}@{self.device}"


@lru_cache(maxsize=REMEMBERED)
def available(known: ColumnSet) -> tuple[tuple[Measure, tuple[str, ...]], ...]:
    """The measures that these columns can give, each with its devices."""
    counters = known.by_counter.keys()
    out = []
    for measure in MEASURES.values():
        required = {need.counter for need in measure.needs if not need.optional}
        optional = {need.counter for need in measure.needs}
        if required <= counters and optional & counters:
            out.append((measure, devices_of(known, measure)))
    return tuple(out)


def everything(known: ColumnSet) -> tuple[SeriesKey, ...]:
    """Every measure of the catalogue that these columns can give, of the machine and of each device."""
    return tuple(SeriesKey(measure, device) for measure, devices in available(known) for device in [None, *devices])


@lru_cache(maxsize=16 * REMEMBERED)
def devices_of(known: ColumnSet, measure: Measure) -> tuple[str, ...]:
    """The devices of which a measure can be derived from these columns, in natural order."""
    needed = {need.counter for need in measure.needs}
    return tuple(measure.devices(item.column for counter in needed for item in known.by_counter.get(counter, ())))


def bottom_devices(facts: HostFacts, measure: Measure, devices: Sequence[str]) -> list[str]:
    """Those devices that tell nothing again which others tell: bottom disks, and interfaces without the loopback."""
    if measure.per is Per.DISK:
        return facts.bottom_disks(devices) or list(devices)
    if measure.per is Per.INTERFACE:
        return [name for name in devices if name != LOOPBACK] or list(devices)
    return list(devices)


@lru_cache(maxsize=4 * REMEMBERED)
def needed_columns(known: ColumnSet, wanted: tuple[SeriesKey, ...]) -> tuple[StoredColumn, ...]:
    """The columns that the measures read, each once."""
    found: dict[StoredColumn, None] = {}
    # What does not depend on the device is the same for each of them.
    shared: dict[Need, tuple[StoredColumn, ...]] = {}
    for key in wanted:
        for need in key.measure.needs:
            if need.reach is Reach.THIS:
                found |= dict.fromkeys(_matching(known, need, key.device))
                continue
            if need.reach is Reach.WHOLE and key.device is not None:
                continue
            if need not in shared:
                shared[need] = _matching(known, need, None)
            found |= dict.fromkeys(shared[need])
    return tuple(found)


def _matching(known: ColumnSet, need: Need, device: str | None) -> tuple[StoredColumn, ...]:
    if need.reach in (Reach.EVERY, Reach.WHOLE):
        near = known.by_counter.get(need.counter, ())
    else:
        # A counter as it is asks for its own column, with the device among what is fixed.
        of = device if need.reach is Reach.THIS else dict(need.fixed).get(device_attribute(need.counter) or "")
        near = known.by_device.get((need.counter, of), ())
    return tuple(item for item in near if need.matches(item.column, device))


EVERY_DEVICE = "*"


def parse_series_keys(text: str, known: ColumnSet) -> list[SeriesKey]:
    """`NAME`, `NAME@DEVICE`, `NAME@*` for every device, or a counter, which stands for all of its columns, with
    some attributes for those that have them.

    Raise UnknownMeasure for a name that is none.
    """
    if is_process(text):  # a name may hold an @
        return [SeriesKey(measure_named(text), None)]
    if is_other(text):
        return _other_keys(text, known)
    if is_counter(text):
        columns = [item.column for item in known.by_counter.get(text.partition("{")[0], ())]
        return [SeriesKey(measure_named(name), None) for name in expanded(text, columns)]
    name, _, device = text.partition("@")
    return _of_devices(measure_named(name), device, known)


def _of_devices(measure: Measure, device: str, known: ColumnSet) -> list[SeriesKey]:
    if device == EVERY_DEVICE:
        return [SeriesKey(measure, found) for found in devices_of(known, measure)]
    return [SeriesKey(measure, device or None)]


def _other_keys(text: str, known: ColumnSet) -> list[SeriesKey]:
    name, _, device = text.partition("@")  # neither holds an @ that is not escaped
    if name not in known.others:
        raise UnknownMeasure(name, known.others)
    return _of_devices(known.others[name], device, known)
