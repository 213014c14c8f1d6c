"""What the command line shows: steps with their time, tables, and failures in one sentence."""

import sys
import time
from collections.abc import Iterable, Iterator
from contextlib import contextmanager

from rich.console import Console, ConsoleOptions, RenderableType
from rich.segment import Segment

from reditus.core.errors import ReditusError
from reditus.core.outside import terminal_text

_PIPED_WIDTH = 200


class SafeConsole(Console):
    """A console that prints every text through `terminal_text`, tables and all: names come from machines where anybody
    may have chosen them.
    """

    def render(self, renderable: RenderableType, options: ConsoleOptions | None = None) -> Iterable[Segment]:
        """Render without anything that could steer a terminal."""
        for segment in super().render(renderable, options):
            yield segment if segment.control else Segment(_safe_lines(segment.text), segment.style)


def _safe_lines(text: str) -> str:
    if text.isascii() and text.isprintable():
        return text
    return "\n".join(map(terminal_text, text.split("\n")))


def say(line: str) -> None:
    """Print a line as it is, but for what would steer the terminal."""
    print(terminal_text(line), flush=True)


out = SafeConsole(highlight=False, width=None if sys.stdout.isatty() else _PIPED_WIDTH)
err = SafeConsole(stderr=True, highlight=False, width=None if sys.stderr.isatty() else _PIPED_WIDTH)


class Failure(ReditusError):
    """A command cannot do what was requested; the message says why and what would work. It may hold anything that came
    from outside: what prints it makes that safe.
    """


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
