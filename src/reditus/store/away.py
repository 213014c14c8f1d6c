"""The ways in which the driver says that the database cannot be reached, as errors of the store."""

from collections.abc import Iterator
from contextlib import contextmanager

import psycopg
from sqlalchemy.exc import DBAPIError, InterfaceError, OperationalError
from sqlalchemy.exc import TimeoutError as PoolTimeout

from reditus.store.errors import StoreAway, StoreFull

DISK_FULL = "53100"
"""SQLSTATE of a full disk (PostgreSQL's manual, appendix A)."""
NO_SPACE = "No space left on device"


@contextmanager
def away_as_error() -> Iterator[None]:
    """Turn the driver's many ways of losing the database into StoreAway, and a full disk into StoreFull."""
    try:
        yield
    except (OperationalError, InterfaceError, PoolTimeout, psycopg.OperationalError, psycopg.InterfaceError) as why:
        if _is_full(why):
            raise StoreFull(f"the disk of the database is full: {_first_line(why)}") from why
        raise StoreAway(f"the database cannot be reached: {_first_line(why)}") from why
    except DBAPIError as why:
        if why.connection_invalidated:
            raise StoreAway(f"the database went away: {_first_line(why)}") from why
        raise


def _is_full(why: Exception) -> bool:
    origin = getattr(why, "orig", None) or why
    return getattr(origin, "sqlstate", None) == DISK_FULL or NO_SPACE in str(origin)


def _first_line(why: Exception) -> str:
    origin = getattr(why, "orig", None) or why
    return next(iter(str(origin).strip().splitlines()), "no reason given")
