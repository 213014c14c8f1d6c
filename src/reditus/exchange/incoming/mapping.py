"""How the columns of anybody's table become counters: guessed, shown, corrected, and kept for the next file."""

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from reditus.core.counters import COUNTERS
from reditus.core.outside import shown
from reditus.core.schema import Kind
from reditus.exchange.errors import ExchangeError

MOST_COLUMNS = 20_000
MOST_TEXT = 200
MOST_MEANINGS = 400
EPOCHS = {"epoch-s": 10**9, "epoch-ms": 10**6, "epoch-us": 10**3, "epoch-ns": 1}
"""Nanoseconds in one of what is counted since 1970."""
ISO = "iso"

Text = Annotated[str, StringConstraints(min_length=1, max_length=200, pattern=r"^[^\x00-\x1f\x7f]+$")]
Place = Annotated[int, Field(ge=0, lt=MOST_COLUMNS)]


class MappingError(ExchangeError, ValueError):
    """A mapping that cannot be, or does not fit the file."""


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class TimeMapping(_Part):
    """Which columns say when, and how."""

    places: Annotated[list[Place], Field(min_length=1, max_length=2)] = Field(
        description="One column, or a date and a time of day."
    )
    form: Text = Field(
        description="`iso`, `epoch-s`, `epoch-ms`, `epoch-us`, `epoch-ns`, or a pattern of strptime: `%d.%m.%Y %H:%M`."
    )
    zone: Text = Field(default="UTC", description="Of times that have none themselves: a name such as Europe/Berlin.")


class Meaning(_Part):
    """What numbers under a name are."""

    counter: Text = Field(description="One of the catalogue, so that rules judge it, or a name of its own.")
    attributes: Annotated[dict[str, str], Field(max_length=8)] = Field(
        default_factory=dict, description="Printable texts of 1 to 200 letters."
    )
    unit: Annotated[str, StringConstraints(max_length=40, pattern=r"^[^\x00-\x1f\x7f]*$")] = Field(
        default="1", description="After UCUM. That of the catalogue for a counter of the catalogue."
    )
    kind: Literal["level", "cumulative", "rate"] = Field(
        default="level", description="`rate`: so much a second, added up over time to what only grows."
    )
    scale: tuple[Annotated[int, Field(ge=1, le=10**15)], Annotated[int, Field(ge=1, le=10**15)]] = Field(
        default=(1, 1), description="The value in the unit is the number in the file times the first over the second."
    )

    @property
    def grows(self) -> bool:
        """Whether what is stored only grows."""
        return self.kind != "level"

    def check(self) -> None:
        """Raise MappingError where it is not what the catalogue says of its counter, or no column can be called so."""
        for text in (*self.attributes, *self.attributes.values()):
            if not (1 <= len(text) <= MOST_TEXT and text.isprintable()):
                raise MappingError(f"an attribute is a printable text of 1 to {MOST_TEXT} letters, not {shown(text)}")
        known = COUNTERS.get(self.counter)
        if known is None:
            return
        if self.unit != known.unit or self.grows != (known.kind is Kind.CUMULATIVE):
            fitting = "cumulative, or a rate," if known.kind is Kind.CUMULATIVE else known.kind.value
            raise MappingError(
                f"{self.counter} is {fitting} in {known.unit}; set unit and kind so, and the scale to fit, or give the "
                "column another name"
            )
        allowed = {*known.attributes, *([known.device] if known.device else [])}
        if not set(self.attributes) <= allowed:
            raise MappingError(f"{self.counter} has the attributes {', '.join(sorted(allowed)) or 'none'}")


class ColumnMapping(Meaning):
    """What a column means."""

    place: Place


class LongMapping(_Part):
    """A table with a row a value."""

    names: Annotated[list[Place], Field(min_length=1, max_length=8)] = Field(
        description="The columns that say what it is a value of: the first is its name, others tell devices apart."
    )
    value: Place
    unit: Place | None = None
    meanings: Annotated[dict[str, Meaning | None], Field(max_length=MOST_MEANINGS)] = Field(
        default_factory=dict,
        description="What names mean; null leaves one out. Of others it is guessed from name and unit.",
    )


class TableMapping(_Part):
    """Everything that reading a table takes."""

    delimiter: Annotated[str, StringConstraints(min_length=1, max_length=1)] = ","
    decimal: Literal[".", ","] = "."
    encoding: Literal["utf-8", "latin-1", "utf-16"] = "utf-8"
    names_row: Annotated[int, Field(ge=0, le=100)] | None = Field(default=0, description="Which row names the columns.")
    units_row: Annotated[int, Field(ge=0, le=100)] | None = None
    first_row: Annotated[int, Field(ge=0, le=101)] = Field(default=1, description="Which row is the first of data.")
    time: TimeMapping
    columns: Annotated[list[ColumnMapping], Field(max_length=MOST_COLUMNS)] = Field(default_factory=list)
    long: LongMapping | None = None

    def check(self) -> None:
        """Raise MappingError for a mapping that no file can be read by."""
        if self.long is None and not self.columns:
            raise MappingError("no column is mapped to a counter")
        if self.long is not None:
            # A schema cannot say it of keys.
            for name, meaning in self.long.meanings.items():
                if not 1 <= len(name) <= MOST_TEXT or not name.isprintable():
                    raise MappingError(f"a name is a printable text of 1 to {MOST_TEXT} letters, not {shown(name)}")
                if meaning is not None:
                    meaning.check()
        seen: dict[tuple[str, tuple[tuple[str, str], ...]], int] = {}
        for column in self.columns:
            column.check()
            key = (column.counter, tuple(sorted(column.attributes.items())))
            if key in seen:
                raise MappingError(
                    f"columns {seen[key] + 1} and {column.place + 1} are both {column.counter} with the same "
                    "attributes; tell them apart by an attribute"
                )
            seen[key] = column.place
