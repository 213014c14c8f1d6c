"""Arrays in PostgreSQL's binary form (its source, array_send), made at once rather than element by element."""

import struct
from collections.abc import Iterable, Sequence
from uuid import UUID

import numpy as np
from psycopg import Connection
from psycopg.abc import Buffer
from psycopg.adapt import Dumper
from psycopg.pq import Format

_HEAD = struct.Struct("!iiiii")
"""Dimensions, whether there are nulls, the type of the elements, how many, the first one's number."""
_LENGTH = struct.Struct("!i")
_UUID, _INT4, _INT8, _BYTEA = 2950, 23, 20, 17
"""PostgreSQL's own numbers of the types of elements (its catalogue pg_type)."""


class Array(bytes):
    """An array, ready to be sent."""


class Uuids(Array):
    """uuid[]."""

    def __new__(cls, ids: Sequence[UUID]) -> "Uuids":
        """Encode ids."""
        return super().__new__(cls, _array(_UUID, [item.bytes for item in ids]))


class Int4s(Array):
    """int4[]."""

    def __new__(cls, values: Sequence[int]) -> "Int4s":
        """Encode 32-bit integers."""
        return super().__new__(cls, _numbers(_INT4, ">i4", values))


class Int8s(Array):
    """int8[]."""

    def __new__(cls, values: Sequence[int]) -> "Int8s":
        """Encode 64-bit integers."""
        return super().__new__(cls, _numbers(_INT8, ">i8", values))


class Byteas(Array):
    """bytea[]."""

    def __new__(cls, parts: Sequence[bytes]) -> "Byteas":
        """Encode byte strings."""
        return super().__new__(cls, _array(_BYTEA, parts))


def _array(element: int, parts: Sequence[bytes]) -> bytes:
    pieces: list[bytes] = [_HEAD.pack(1, 0, element, len(parts), 1)]
    for part in parts:
        pieces += (_LENGTH.pack(len(part)), part)
    return b"".join(pieces)


def _numbers(element: int, form: str, values: Sequence[int]) -> bytes:
    cells = np.empty(len(values), dtype=[("length", ">i4"), ("value", form)])
    cells["length"] = cells.dtype["value"].itemsize
    cells["value"] = values
    return _HEAD.pack(1, 0, element, len(values), 1) + cells.tobytes()


def _dumper(number: int) -> type[Dumper]:
    class AsItIs(Dumper):
        format = Format.BINARY
        oid = number

        def dump(self, obj: Array) -> Buffer:
            return obj

    return AsItIs


_TYPES: Iterable[tuple[type[Array], int]] = ((Uuids, 2951), (Int4s, 1007), (Int8s, 1016), (Byteas, 1001))
"""Each with PostgreSQL's own number of the array's type."""


def teach(driver: Connection[tuple[object, ...]]) -> None:
    """Let a connection take these as values."""
    for kind, number in _TYPES:
        driver.adapters.register_dumper(kind, _dumper(number))
