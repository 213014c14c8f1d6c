"""Reditus: record a machine's counters, replay them, and be reported what ran out."""

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from reditus.client import Connection

__version__ = "0.1.0"


def connect(url: str = "http://127.0.0.1:8460", token: str | None = None) -> "Connection":
    """Talk to a server from a notebook or a program; see `reditus.client`. Needs `pip install 'reditus[client]'`."""
    from reditus.client import Connection

    return Connection(url, token)
