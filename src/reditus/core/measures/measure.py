"""What a measure is, and the few verbs by which measures are written down."""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field
from enum import Enum
from string import ascii_letters, digits

import numpy as np

from reditus.core.counters import COUNTERS, counter_named
from reditus.core.frame import Frame, Series
from reditus.core.schema import Column
from reditus.core.types import FloatArray

_HARMLESS = frozenset(ascii_letters + digits + "_.-/:")


class Resource(Enum):
    """What a measure belongs to, in the order in which screens show them."""

    PROCESSOR = "processor"
    MEMORY = "memory"
    SWAP = "swap"
    DISK = "disk"
    NETWORK = "network"
    LOG = "log"
    """What was logged meanwhile."""
    OTHER = "other"
    """What others count, under their own names."""


class Unit(Enum):
    """Units that measures come in; screens may print bytes and seconds in larger ones."""

    CORES = "cores"
    TASKS = "tasks"
    SHARE = "share"
    """0 to 1."""
    BYTES = "bytes"
    BYTES_PER_S = "bytes/s"
    PER_S = "1/s"
    SECONDS = "s"
    COUNT = "count"
    CELSIUS = "°C"
    PER_MIN = "1/min"
    WATTS = "W"
    HERTZ = "Hz"


class Per(Enum):
    """What a measure has devices of. The value is the counter attribute that names them."""

    CORE = "cpu.logical_number"
    DISK = "system.device"
    INTERFACE = "network.interface.name"
    FILESYSTEM = "system.filesystem.mountpoint"
    SENSOR = "hw.id"
    LOG = "log.name"
    """Of lines that were logged, which are no counters."""
    OTHER = "other"
    """All attributes of a counter that is not in the catalogue."""


class Reach(Enum):
    """Whose columns a need asks for."""

    MACHINE = "machine"
    """The column without a device."""
    THIS = "this"
    """The column of the requested device."""
    EVERY = "every"
    """The columns of all devices."""
    WHOLE = "whole"
    """The columns of all devices, where the request is for the machine as a whole."""


@dataclass(frozen=True, slots=True)
class Need:
    """Columns that a measure reads: a counter, attributes that are fixed, and whose."""

    counter: str
    fixed: tuple[tuple[str, str], ...] = ()
    reach: Reach = Reach.MACHINE
    optional: bool = False

    def matches(self, column: Column, device: str | None) -> bool:
        """Whether a column is one that the need is after, for a device or for the machine (None)."""
        if column.counter != self.counter:
            return False
        if self.counter not in COUNTERS:
            return self.reach is Reach.EVERY or spell_attributes(column) == device
        rest = dict(column.attributes)
        if any(rest.pop(key, None) != value for key, value in self.fixed):
            return False
        if self.reach is Reach.MACHINE:
            return not rest
        by = counter_named(self.counter).device
        named = rest.pop(by, None) if by else None
        if named is None or rest:
            return False
        return named == device if self.reach is Reach.THIS else self.reach is Reach.EVERY or device is None


Derivation = Callable[[Frame, str | None], Series]


@dataclass(frozen=True, slots=True, eq=False)
class Measure:
    """A measure with everything that explains it. `derive` raises UnknownCounter where the host lacks a counter."""

    name: str
    title: str
    unit: Unit
    resource: Resource
    help: str
    formula: str
    needs: tuple[Need, ...]
    derive: Derivation = field(repr=False)
    per: Per | None = None
    """Whether the measure has devices."""
    whole: bool = True
    """Whether it is also known of the machine as a whole."""
    total: Unit | None = None
    """The unit of mean × time, where that makes sense (bytes of a rate in bytes/s)."""
    per_event: bool = False
    """Whether it has a value only at ticks at which something happened: without requests there is no wait."""

    def devices(self, columns: Iterable[Column]) -> list[str]:
        """The devices for which the required columns are there, in natural order."""
        if self.per is None:
            return []
        by_device: dict[str, list[Column]] = {}
        for column in columns:
            device = column.attribute(self.per.value)
            if device is not None:
                by_device.setdefault(device, []).append(column)
        required = [need for need in self.needs if not need.optional and need.reach is Reach.THIS]
        return sorted(
            (
                device
                for device, own in by_device.items()
                if all(any(need.matches(column, device) for column in own) for need in required)
            ),
            key=natural_key,
        )


def spell_attributes(column: Column) -> str | None:
    """What tells the columns of a counter apart that is not in the catalogue; None where it has no attributes. Letters
    that mean something in a link or in a request are escaped as in an address (RFC 3986).

    >>> from reditus.core.schema import Kind
    >>> spell_attributes(Column.of("jobs", {"queue": "mail, urgent", "zone": "a"}, unit="1", kind=Kind.LEVEL))
    'queue=mail%2C%20urgent&zone=a'
    """
    return "&".join(f"{escaped(key)}={escaped(value)}" for key, value in column.attributes) or None


def escaped(text: str) -> str:
    """Percent-encoded but for letters, digits and what means nothing in links and requests.

    >>> escaped("räume; warm")
    'r%C3%A4ume%3B%20warm'
    """
    return "".join(
        letter if letter in _HARMLESS else "".join(f"%{byte:02X}" for byte in letter.encode()) for letter in text
    )


def natural_key(name: str) -> tuple[tuple[int, int, str], ...]:
    """Sort key by which cpu10 comes after cpu9."""
    parts: list[tuple[int, int, str]] = []
    number = text = ""
    for letter in name + "\0":
        if letter.isdecimal():
            number += letter
            continue
        if number:
            parts.append((0, int(number), ""))
            number = ""
        text = letter
        parts.append((1, 0, text))
    return tuple(parts)


def ratio(above: FloatArray, below: FloatArray) -> FloatArray:
    """above / below, NaN where below is 0."""
    out = np.empty(below.shape if above.shape == below.shape else np.broadcast_shapes(above.shape, below.shape))
    out.fill(np.nan)
    return np.divide(above, below, out=out, where=below > 0)


def or_zero(values: FloatArray) -> FloatArray:
    """0 where nothing is known."""
    out: FloatArray = np.where(np.isnan(values), 0.0, values)
    return out


def highest(each: Sequence[FloatArray]) -> FloatArray:
    """The highest of several at each tick; unknown only where all are."""
    values = np.stack(each)
    known = ~np.isnan(values)
    if known.all():
        most: FloatArray = values.max(axis=0)
        return most
    peak = np.where(known, values, -np.inf).max(axis=0)
    out: FloatArray = np.where(known.any(axis=0), peak, np.nan)
    return out


def add(parts: Iterable[Series]) -> Series:
    """Sum over samples of one timebase. A device that is not there adds nothing; unknown only if all are."""
    every = list(parts)
    if len(every) == 1:
        return every[0]
    values = np.stack([part.values for part in every])
    total = np.add.reduce(values)
    known = ~np.isnan(values)
    if not known.all():
        total = np.where(known.any(axis=0), np.where(known, values, 0.0).sum(axis=0), np.nan)
    return Series(every[0].timebase, total)
