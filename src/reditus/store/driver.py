"""The driver itself, under SQLAlchemy's session, for what has to be quick or binary."""

from collections.abc import Mapping
from typing import Any

from psycopg import Connection, Cursor
from sqlalchemy.orm import Session


def driver_of(session: Session) -> Connection[Any]:
    driver = session.connection().connection.driver_connection
    assert isinstance(driver, Connection)
    return driver


def ask(session: Session, statement: str, values: Mapping[str, Any]) -> Cursor[Any]:
    """Run a plain statement, with its answer in binary: as text every byte would come as two, and be turned back one by
    one.
    """
    return driver_of(session).cursor(binary=True).execute(statement, values)


def binary_rows(session: Session, statement: str, values: Mapping[str, Any]) -> list[tuple[Any, ...]]:
    """All that a plain statement finds."""
    with ask(session, statement, values) as cursor:
        return cursor.fetchall()
