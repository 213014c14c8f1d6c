"""The driver itself, under SQLAlchemy's session, for what has to be quick or binary."""

import select
from collections.abc import Mapping
from typing import Any

import psycopg
from psycopg import Connection, Cursor
from sqlalchemy import Engine, event
from sqlalchemy.exc import DisconnectionError
from sqlalchemy.orm import Session


def ping_on_checkout(engine: Engine) -> None:
    """Take no connection from the pool that the database has ended. Asking it a question would tell as well, but takes
    as long as a part of the work.
    """

    @event.listens_for(engine, "checkout")
    def look(driver: Connection[Any], *_: object) -> None:
        # No statement was sent: what can be read is the end, or the database's last words.
        ready = select.poll()
        try:
            ready.register(driver.fileno(), select.POLLIN)
        except psycopg.OperationalError as why:
            raise DisconnectionError from why
        if ready.poll(0):
            raise DisconnectionError


def force_generic_plans(engine: Engine) -> None:
    """Let each connection plan a statement once. All find their rows by keys that begin with the host, whichever it is;
    what each reading asks first took longer to plan than to answer.
    """

    @event.listens_for(engine, "connect")
    def plan(driver: Connection[Any], *_: object) -> None:
        driver.execute("set plan_cache_mode = force_generic_plan")
        driver.execute("set jit = off")
        driver.commit()  # what is set in a transaction that is undone is not set


def driver_of(session: Session) -> Connection[Any]:
    """The psycopg connection below a session."""
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
