"""A host or an archive, a window of it, and measures over that window."""

import re
import warnings
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any, Protocol

from reditus.client.errors import ClientError
from reditus.core.durations import parse_duration
from reditus.core.rfc3339 import parse_time, spell_time

if TYPE_CHECKING:
    from http.client import HTTPResponse

TIME = "time"
_SHORT = re.compile(r"^(\d{4}-\d\d-\d\d[T ]\d\d:\d\d)(Z|[+-]\d\d:\d\d)$")


class DamageWarning(UserWarning):
    """Something in the window is damaged, and not in what was read."""


class Asks(Protocol):
    """What requests go to."""

    def json(self, path: str, query: Any = None) -> Any:
        """An answer as JSON."""

    def get(self, path: str, query: Any = None) -> "HTTPResponse":
        """An answer as it comes."""


@dataclass(frozen=True, slots=True)
class Timeline:
    """A host or an archive, whole or in a window. Nothing is read before measures are."""

    server: Asks
    id: str
    name: str
    start: str | None = None
    end: str | None = None

    def window(self, start: str, length: str) -> "Timeline":
        """The part that begins at a time and is so long, or lasts until then: `"2026-11-13T01:00Z", "8h"`. Raise
        ValueError for what is neither.
        """
        start_ns = parse_time(_full(start))
        try:
            end_ns = start_ns + parse_duration(length)
        except ValueError as why:
            if "T" not in length and ":" not in length:
                raise
            end_ns = parse_time(_full(length))
            if end_ns <= start_ns:
                raise ValueError(f"a window ends after it begins: {length} is not after {start}") from why
        return replace(self, start=spell_time(start_ns), end=spell_time(end_ns))

    def measures(self, *names: str) -> "Measures":
        """Every tick of some measures: NAME, NAME@DEVICE, or NAME@* for every device."""
        if not names:
            raise ValueError("name at least one measure; `available()` lists them")
        return Measures(self, names)

    def available(self) -> dict[str, str]:
        """The measures that there are, by name, with their titles."""
        found = self.server.json(f"/api/archives/{self.id}/measures")
        return {str(item["name"]): str(item["title"]) for item in found}

    def findings(self) -> list[dict[str, Any]]:
        """What ran out, since when and because of what, as the API has it."""
        query = {"from": self.start, "to": self.end}
        return list(self.server.json(f"/api/archives/{self.id}/diagnosis", query)["findings"])


@dataclass(frozen=True, slots=True)
class Measures:
    """Measures over a window. Each way of reading them is one request; keep what it returns."""

    timeline: Timeline
    names: Sequence[str]

    def reader(self) -> Any:
        """A pyarrow.RecordBatchReader: batches as they come, for what does not fit into memory."""
        import pyarrow as pa

        return pa.ipc.open_stream(self._answer())

    def arrow(self) -> Any:
        """A pyarrow.Table: `time` in UTC, and a column of doubles for each series, null where nothing is known. Its
        numbers stand where they were received.
        """
        import pyarrow as pa

        with self._answer() as answer:
            return pa.ipc.open_stream(pa.py_buffer(_whole(answer))).read_all()

    def numpy(self) -> dict[str, Any]:
        """Arrays by name: `time` as datetime64[ns], the others as doubles, NaN where nothing is known. Columns that are
        known throughout and came in one piece are not copied.
        """
        table = self.arrow().combine_chunks()
        return {name: _array(table.column(name)) for name in table.column_names}

    def pandas(self) -> Any:
        """A pandas.DataFrame with the time as its index."""
        return self.arrow().to_pandas(split_blocks=True, self_destruct=True).set_index(TIME)

    def polars(self) -> Any:
        """A polars.DataFrame over the same memory."""
        import polars

        return polars.from_arrow(self.arrow())

    def _answer(self) -> "HTTPResponse":
        query = {"measure": list(self.names), "format": "arrow", "from": self.timeline.start, "to": self.timeline.end}
        answer = self.timeline.server.get(f"/api/archives/{self.timeline.id}/table", query)
        left_out = answer.headers.get("Reditus-Left-Out")
        if left_out is not None:
            warnings.warn(f"{self.timeline.name}: {left_out}", DamageWarning, stacklevel=3)
        return answer


def _whole(answer: "HTTPResponse") -> bytearray:
    """A body of a length that was said, received where it stays. Raise ClientError where it breaks off."""
    body = bytearray(answer.length or 0)
    place = memoryview(body)
    while place:
        received = answer.readinto(place)
        if not received:
            raise ClientError(f"the answer broke off {len(place):,} bytes before its end; ask again")
        place = place[received:]
    return body


def _array(column: Any) -> Any:
    (chunk,) = column.chunks or [column.combine_chunks()]
    return chunk.to_numpy(zero_copy_only=False)


def _full(text: str) -> str:
    """RFC 3339 wants seconds; people leave them out."""
    found = _SHORT.match(text)
    return text if found is None else f"{found[1]}:00{found[2]}"
