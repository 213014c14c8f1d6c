"""What an exhibit is frozen as: numbers with their units, of which host, when, by which clock and by which versions.

One form for everything that can be pinned, so that a page, a report and another Reditus show any of them: parts that
are charts, tables, shapes of distributions, or sentences. What is written is what a checksum is of (`frozen`).
"""

import hashlib
from typing import Annotated, Literal
from uuid import UUID

import orjson
from pydantic import BaseModel, ConfigDict, Field, StringConstraints, model_validator

from reditus.core.measures import Resource

MOST_POINTS = 4_000
MOST_LINES = 64
MOST_TICKS = 40_000
"""Single values that an exhibit keeps beside what is drawn."""
MOST_PARTS = 24
MOST_ROWS = 2_000
EARLIEST_NS, LATEST_NS = 0, (1 << 62)

Text = Annotated[str, StringConstraints(max_length=4_000, pattern=r"^[^\x00]*$")]
Short = Annotated[str, StringConstraints(max_length=300, pattern=r"^[^\x00-\x08\x0b-\x1f]*$")]
Ns = Annotated[int, Field(ge=EARLIEST_NS, le=LATEST_NS)]
Value = float | None
Column = Annotated[list[Value], Field(max_length=MOST_POINTS)]
Shape = Annotated[list[Annotated[float, Field(ge=0, le=1.001)]], Field(max_length=400)]


class Frozen(BaseModel):
    """Base of what is frozen: nothing unknown, nothing infinite, nothing changed."""

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)


class Figures(Frozen):
    """A line over the window."""

    low: Value = None
    mean: Value = None
    p95: Value = None
    high: Value = None
    total: Value = None
    coverage: float = Field(ge=0, le=1.000001)


class Line(Frozen):
    """One line or layer of a chart."""

    label: Short
    names: Annotated[list[Short], Field(max_length=MOST_LINES)] = Field(
        description="The measures that it is of, as NAME or NAME@DEVICE; several are added up, or their mean is taken."
    )
    weight: float = Field(ge=0, le=1, description="How strongly it is drawn.")
    width: float = Field(ge=0, le=8)
    dash: Annotated[list[Annotated[float, Field(ge=0, le=100)]], Field(max_length=8)] = []
    values: Column = Field(description="In the chart's unit, along its times; null is unknown.")
    figures: Figures | None = None


class Band(Frozen):
    """The lowest and highest of each bin."""

    low: Column
    high: Column


class Ticks(Frozen):
    """The single ticks of the lines, where they are few enough to be kept beside what is drawn of them."""

    times_ns: Annotated[list[Ns], Field(max_length=MOST_TICKS)]
    columns: Annotated[list[Annotated[list[Value], Field(max_length=MOST_TICKS)]], Field(max_length=MOST_LINES)]


class Chart(Frozen):
    """Lines or layers over the window."""

    part: Literal["chart"] = "chart"
    title: Short
    about: Short = Field(default="", description="Of which devices, in words.")
    resource: Resource
    unit: Short
    stacked: bool = False
    log: bool = False
    top: float = Field(description="The value at the upper edge.")
    height: float = Field(default=100, ge=20, le=600)
    bin_s: float | None = Field(description="Length of the bins that are drawn; null: single ticks.")
    times_ns: Annotated[list[Ns], Field(max_length=MOST_POINTS)]
    lines: Annotated[list[Line], Field(max_length=MOST_LINES)]
    band: Band | None = None
    missing: Short | None = None
    ticks: Ticks | None = None

    @model_validator(mode="after")
    def _fits(self) -> "Chart":
        columns = [line.values for line in self.lines]
        if self.band is not None:
            columns += [self.band.low, self.band.high]
        if any(len(column) != len(self.times_ns) for column in columns):
            raise ValueError(f"a chart of {len(self.times_ns)} times has as many values in each line")
        if self.ticks is not None and any(len(column) != len(self.ticks.times_ns) for column in self.ticks.columns):
            raise ValueError("ticks have a value in each column for each of their times")
        if self.ticks is not None and len(self.ticks.columns) * len(self.ticks.times_ns) > MOST_TICKS:
            raise ValueError(f"at most {MOST_TICKS} single values are kept of a chart")
        return self


class Head(Frozen):
    """A column of a table."""

    title: Short
    unit: Short | None = Field(default=None, description='Of numbers; null: a text. "ns": an instant.')


class Table(Frozen):
    """Rows of texts and numbers."""

    part: Literal["table"] = "table"
    title: Short
    heads: Annotated[list[Head], Field(min_length=1, max_length=40)]
    rows: Annotated[list[Annotated[list[Text | float | int | None], Field(max_length=40)]], Field(max_length=MOST_ROWS)]

    @model_validator(mode="after")
    def _fits(self) -> "Table":
        if any(len(row) != len(self.heads) for row in self.rows):
            raise ValueError(f"a table of {len(self.heads)} columns has as many cells in each row")
        return self


class Shapes(Frozen):
    """Two distributions of a measure on one scale."""

    part: Literal["shapes"] = "shapes"
    title: Short
    resource: Resource
    unit: Short
    low: float
    high: float
    log: bool
    window: Shape
    reference: Shape
    window_label: Short
    reference_label: Short
    window_at: float = Field(description="The median, in the unit.")
    reference_at: float


class Sentences(Frozen):
    """What is said in words."""

    part: Literal["sentences"] = "sentences"
    title: Short = ""
    lines: Annotated[list[Text], Field(max_length=MOST_ROWS)]


Part = Annotated[Chart | Table | Shapes | Sentences, Field(discriminator="part")]
Kind = Literal[
    "strip", "figures", "ticks", "moment", "difference", "finding", "ruled-out", "use", "note", "log", "facts"
]


class Figure(Frozen):
    """A number that stands beside an exhibit."""

    label: Short
    value: float | None
    unit: Short


class Source(Frozen):
    """Where the numbers come from."""

    host: UUID
    host_name: Short
    archive: UUID
    archive_name: Short
    interval_s: float | None = Field(description="The shortest distance of ticks.")
    coverage: float | None = Field(description="Share of the window that was recorded.")
    recorded_start_ns: Ns | None = Field(default=None, description="Where what was recorded of the window begins.")
    recorded_end_ns: Ns | None = None


class Versions(Frozen):
    """By what the numbers were made."""

    reditus: Short
    derivation: int
    rules: int


class Content(Frozen):
    """An exhibit as it was frozen."""

    kind: Kind
    title: Text
    source: Source
    start_ns: Ns
    end_ns: Ns
    zone: Short = Field(description="The clock that its times are read by: UTC, or a name of the time zone database.")
    versions: Versions
    view: Text = Field(description="The view that it was pinned in, as an address within Reditus.")
    figures: Annotated[list[Figure], Field(max_length=40)] = []
    parts: Annotated[list[Part], Field(max_length=MOST_PARTS)]

    @model_validator(mode="after")
    def _ordered(self) -> "Content":
        if self.end_ns < self.start_ns:
            raise ValueError("a window ends after it begins")
        return self


def frozen(content: Content) -> bytes:
    """Canonical JSON: sorted keys, no blanks, UTF-8. What a checksum is of."""
    return orjson.dumps(content.model_dump(mode="json"), option=orjson.OPT_SORT_KEYS)


def checksum(data: bytes) -> str:
    """SHA-256, in hex."""
    return hashlib.sha256(data).hexdigest()
