"""The ways in which the driver says that the database cannot be reached, as errors of the store."""

from collections.abc import Iterator
from contextlib import contextmanager

import psycopg
from sqlalchemy.exc import DBAPIError, InterfaceError, OperationalError
from sqlalchemy.exc import TimeoutError as PoolTimeout

from reditus.store.errors import DatabaseDamaged, DatabaseDiskFull, DatabaseUnavailable

DISK_FULL = "53100"
"""SQLSTATE of a full disk (PostgreSQL's manual, appendix A)."""
NO_SPACE = "No space left on device"
DAMAGED = ("XX", "58030", "58P01")
"""Beginnings of the SQLSTATEs of damaged files: data or index corrupted, an internal error, a read error, a missing
file.
"""


@contextmanager
def translate_driver_errors() -> Iterator[None]:
    """Turn the driver's many ways of losing the database into DatabaseUnavailable, a full disk into DatabaseDiskFull,
    and damaged files into DatabaseDamaged.
    """
    try:
        yield
    except DatabaseUnavailable:
        raise
    except (OperationalError, InterfaceError, PoolTimeout, psycopg.OperationalError, psycopg.InterfaceError) as why:
        if is_damage(why):
            raise damaged(why) from why
        if _is_full(why):
            raise DatabaseDiskFull(f"the disk of the database is full: {_first_line(why)}") from why
        raise DatabaseUnavailable(f"the database cannot be reached: {_first_line(why)}") from why
    except (DBAPIError, psycopg.Error) as why:
        if is_damage(why):
            raise damaged(why) from why
        if isinstance(why, DBAPIError) and why.connection_invalidated:
            raise DatabaseUnavailable(f"the database went away: {_first_line(why)}") from why
        raise


def is_damage(why: Exception) -> bool:
    """Whether the driver says that files of the database are damaged."""
    origin = getattr(why, "orig", None) or why
    return (getattr(origin, "sqlstate", None) or "").startswith(DAMAGED)


def damaged(why: Exception) -> DatabaseDamaged:
    """The error for a page that PostgreSQL cannot read."""
    return DatabaseDamaged(f"files of the database are damaged ({_first_line(why)}); see docs/operation.md, Restoring")


def _is_full(why: Exception) -> bool:
    origin = getattr(why, "orig", None) or why
    return getattr(origin, "sqlstate", None) == DISK_FULL or NO_SPACE in str(origin)


def _first_line(why: Exception) -> str:
    origin = getattr(why, "orig", None) or why
    return next(iter(str(origin).strip().splitlines()), "no reason given")
