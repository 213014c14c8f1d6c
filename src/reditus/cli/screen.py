"""What the command line shows: steps with their time, tables, and failures in one sentence."""

import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager

from rich.console import Console

_PIPED_WIDTH = 200
out = Console(highlight=False, width=None if sys.stdout.isatty() else _PIPED_WIDTH)
err = Console(stderr=True, highlight=False, width=None if sys.stderr.isatty() else _PIPED_WIDTH)


class Failure(Exception):
    """A command cannot do what was asked; the message says why and what would work."""


@contextmanager
def step(title: str) -> Iterator[None]:
    """Show what is being done while it is, and afterwards how long it took if that was noticeable."""
    started = time.monotonic()
    if err.is_terminal:
        with err.status(f"{title} …"):
            yield
    else:
        err.print(f"· {title} …")
        yield
    err.print(f"· {title}: done in {time.monotonic() - started:.1f} s")
