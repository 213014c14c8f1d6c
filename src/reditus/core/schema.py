"""What the columns of a block are: counters with their attributes, described once and named by a digest.

A schema is content-addressed: the SHA-256 of its canonical JSON names it, so a recorder sends it once and every
block refers to it. When a device appears or leaves, the columns change, and so does the digest.
"""

import hashlib
import json
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from enum import Enum
from functools import cached_property

from reditus.core.errors import SchemaError
from reditus.core.outside import MOST_WHOLE, shown, text_problem, whole_problem
from reditus.core.types import Json

MAX_COLUMNS = 400  # measured: beyond that the offset directory no longer fits a database page inline
MAX_TEXT = 200
DIGEST_BYTES = 32
BITS = (32, 64)
DOUBLE = "double"


class Kind(Enum):
    """How a counter's successive readings relate."""

    CUMULATIVE = "cumulative"
    """Only ever grows, until a restart, a reset or a wrap."""
    LEVEL = "level"
    """A value of the moment."""


@dataclass(frozen=True, slots=True)
class Column:
    """One counter of one device, as recorded: raw integers; value in `unit` = raw × scale[0] / scale[1]."""

    counter: str
    attributes: tuple[tuple[str, str], ...]
    unit: str
    kind: Kind
    scale: tuple[int, int] = (1, 1)
    bits: int = 64
    """Width of the kernel's own field: only a 32-bit one may wrap."""
    double: bool = False
    """Whether the integers are the bits of IEEE 754 doubles: what comes from elsewhere need not be whole
    numbers. NaN is unknown.
    """
    _hash: int = field(init=False, repr=False, compare=False)

    def __post_init__(self) -> None:
        # Columns are looked up thousands of times in one reading.
        object.__setattr__(
            self, "_hash", hash((self.counter, self.attributes, self.unit, self.scale, self.bits, self.double))
        )

    def __hash__(self) -> int:
        return self._hash

    def __reduce__(self) -> tuple[type["Column"], tuple[object, ...]]:
        # Texts have other hashes in another process.
        return Column, (self.counter, self.attributes, self.unit, self.kind, self.scale, self.bits, self.double)

    @property
    def factor(self) -> float:
        """By what a stored integer is multiplied to get the column's unit."""
        return self.scale[0] / self.scale[1]

    def attribute(self, name: str) -> str | None:
        """The value of an attribute; None where the column has none of that name."""
        return next((value for key, value in self.attributes if key == name), None)

    def as_json(self) -> Json:
        """The column as docs/blocks.md describes it."""
        return {
            "counter": self.counter,
            "attributes": dict(self.attributes),
            "unit": self.unit,
            "kind": self.kind.value,
            "scale": list(self.scale),
            "bits": self.bits,
            # Only where it is one: the digests of all other schemas stay what they are.
            **({"number": DOUBLE} if self.double else {}),
        }

    @classmethod
    def of(
        cls,
        counter: str,
        attributes: Mapping[str, str] | None = None,
        *,
        unit: str,
        kind: Kind,
        scale: tuple[int, int] = (1, 1),
        bits: int = 64,
        double: bool = False,
    ) -> "Column":
        """A column whose attributes may come in any order."""
        return cls(counter, tuple(sorted((attributes or {}).items())), unit, kind, scale, bits, double)

    @classmethod
    def from_json(cls, given: Json) -> "Column":
        """Raise SchemaError, naming the part that is wrong, unless `given` is what `as_json` writes."""
        try:
            attributes = {_text(key): _text(value) for key, value in dict(given["attributes"]).items()}
            up, down = (_whole(part, 1) for part in given["scale"])
            column = cls.of(
                _text(given["counter"]),
                attributes,
                unit=_text(given["unit"]),
                kind=Kind(given["kind"]),
                scale=(up, down),
                bits=_whole(given["bits"], min(BITS), max(BITS)),
                double="number" in given,
            )
            if column.double and given["number"] != DOUBLE:
                raise ValueError(f"number is {DOUBLE!r} or left out, not {shown(given['number'])}")
        except (KeyError, TypeError, ValueError, AttributeError) as why:
            raise SchemaError(f"a column wants counter, attributes, unit, kind, scale and bits: {why!r}") from why
        if column.bits not in BITS:
            raise SchemaError(f"bits is 32 or 64, not {column.bits}")
        return column


@dataclass(frozen=True)
class Schema:
    """The columns of the blocks of one group. Groups too wide for one block are cut into numbered parts."""

    group: str
    part: int
    columns: tuple[Column, ...]

    def __post_init__(self) -> None:
        if not 1 <= len(self.columns) <= MAX_COLUMNS:
            raise SchemaError(f"a schema has 1 to {MAX_COLUMNS} columns; {self.group!r} has {len(self.columns)}")
        if len({(column.counter, column.attributes) for column in self.columns}) < len(self.columns):
            raise SchemaError(f"the schema of {self.group!r} names a counter with the same attributes twice")

    @cached_property
    def canonical(self) -> bytes:
        """The JSON whose digest names the schema: sorted keys, no blanks, UTF-8."""
        return json.dumps(self.as_json(), sort_keys=True, separators=(",", ":"), ensure_ascii=False).encode()

    @cached_property
    def digest(self) -> bytes:
        """SHA-256 of the canonical JSON: the name of the schema."""
        return hashlib.sha256(self.canonical).digest()

    def as_json(self) -> Json:
        """The schema as docs/blocks.md describes it."""
        return {
            "group": self.group,
            "part": self.part,
            "columns": [column.as_json() for column in self.columns],
        }

    @classmethod
    def from_json(cls, given: Json) -> "Schema":
        """Raise SchemaError for what is no schema."""
        try:
            group, part, columns = _text(given["group"]), _whole(given["part"], 0), list(given["columns"])
        except (KeyError, TypeError, ValueError, AttributeError) as why:
            raise SchemaError(f"a schema wants group, part and columns: {why!r}") from why
        if not 0 <= part < 1 << 15:
            raise SchemaError(f"a schema's part is 0 to {(1 << 15) - 1}, not {part}")
        return cls(group, part, tuple(Column.from_json(column) for column in columns))


def split_columns(group: str, columns: Iterable[Column]) -> list[Schema]:
    """Cut a group's columns, in their order, into schemas of at most MAX_COLUMNS."""
    every = tuple(columns)
    return [
        Schema(group, part, every[start : start + MAX_COLUMNS])
        for part, start in enumerate(range(0, len(every), MAX_COLUMNS))
    ]


def _text(value: object) -> str:
    if (problem := text_problem(value, MAX_TEXT, shortest=1)) is not None:
        raise ValueError(problem)
    assert isinstance(value, str)
    if not value.isprintable():
        raise ValueError(f"a printable text, not {shown(value)}")
    return value


def _whole(value: object, least: int, most: int = MOST_WHOLE) -> int:
    if problem := whole_problem(value, least, most):
        raise ValueError(problem)
    assert isinstance(value, int)
    return value
