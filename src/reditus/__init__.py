"""Reditus: record a machine's counters, replay them, and be reported what ran out."""

from importlib import import_module
from typing import Any

__version__ = "0.1.0"


def connect(url: str = "http://127.0.0.1:8460", token: str | None = None) -> Any:
    """Talk to a server from a notebook or a program: a `reditus.client.Connection`. Needs `pip install
    'reditus[client]'`.
    """
    # The recorder's wheel has this module, and no client.
    return import_module("reditus.client").Connection(url, token)
