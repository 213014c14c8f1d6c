"""The newest values of what is being recorded, host by host."""

from collections.abc import Iterator
from dataclasses import dataclass
from math import isnan
from uuid import UUID

from reditus.analysis.moment import read_moment
from reditus.core.types import NS_PER_S
from reditus.exchange.tables.table import Head
from reditus.store.errors import UnknownArchive
from reditus.store.records import ArchiveInfo
from reditus.store.store import Store

FRESH_NS = 300 * NS_PER_S
"""What is older is no newest value any more."""
MOST_ARCHIVES = 500


@dataclass(frozen=True, slots=True)
class Newest:
    """A value, and when it is of."""

    host: str
    head: Head
    value: float
    at_ns: int


def newest_values(store: Store, now_ns: int) -> Iterator[Newest]:
    """Every measure of the catalogue that has a value, of each archive that grows; of a host's archives the newest."""
    for info in _growing(store.archives.all(), now_ns):
        yield from _of(store, info.id, info.host.name)


def _growing(every: list[ArchiveInfo], now_ns: int) -> list[ArchiveInfo]:
    """The newest archive of each host, where that is fresh. They come with the newest first."""
    found: dict[UUID, ArchiveInfo] = {}
    for info in every:
        fresh = info.last_ns is not None and now_ns - FRESH_NS <= info.last_ns <= now_ns + FRESH_NS
        if fresh and info.deleted_ns is None and info.host.id not in found:
            found[info.host.id] = info
    return list(found.values())[:MOST_ARCHIVES]


def _of(store: Store, archive: UUID, host: str) -> Iterator[Newest]:
    try:
        with store.reading(archive) as reader:
            last_ns = reader.extent.last_ns
            if last_ns is None:
                return
            moment = read_moment(reader, last_ns)
    except UnknownArchive:
        return  # was removed meanwhile
    for reading in moment.readings:
        if not isnan(reading.value) and moment.tick_ns is not None:
            measure = reading.key.measure
            head = Head(reading.key.name, measure.name, reading.key.device, measure.title, measure.unit.value)
            yield Newest(host, head, reading.value, moment.tick_ns)
