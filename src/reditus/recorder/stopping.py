"""A stop request, by a signal or another thread, without a lock that the stopped thread may hold.

`threading.Event.set()` in a signal handler takes the lock that `wait()` of the same thread may hold at that instant,
and then waits for itself for ever. A byte in a pipe needs no lock: every waiter waits for the pipe.
"""

import os
import select
import signal
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from types import FrameType
from typing import Protocol

STOP_SIGNALS = (signal.SIGINT, signal.SIGTERM)


class Stoppable(Protocol):
    """What a loop asks whether it is to end; `threading.Event` is one too."""

    def is_set(self) -> bool:
        """Whether it was set."""

    def wait(self, timeout: float | None = None) -> bool:
        """Wait until it is set or the time is over. Return whether it was set."""


class StopSwitch:
    """Set once, and for good. `set` may be called from a signal handler."""

    def __init__(self) -> None:
        self._read, self._write = os.pipe2(os.O_CLOEXEC | os.O_NONBLOCK)
        self._set = False
        self.signal: int | None = None
        """The first signal that set it."""

    def set(self) -> None:
        """Wake all who wait."""
        if not self._set:
            os.write(self._write, b"\0")
            self._set = True

    def is_set(self) -> bool:
        """Whether it was set."""
        return self._set

    def wait(self, timeout: float | None = None) -> bool:
        """Wait until it is set, or for so many seconds; return whether it is set."""
        if self._set:
            return True
        ready, _, _ = select.select([self._read], [], [], None if timeout is None else max(timeout, 0.0))
        return bool(ready)

    def take(self, number: int, _: FrameType | None) -> None:
        """The handler of a signal."""
        self.signal = self.signal or number
        self.set()

    def close(self) -> None:
        """Close both ends of the pipe."""
        os.close(self._read)
        os.close(self._write)


Handler = Callable[[int, FrameType | None], object]


@contextmanager
def handling(handler: Handler) -> Iterator[None]:
    """Handle the signals that ask to stop, also where they were handed down ignored, as a shell does to what it runs in
    the background. What was there before is there again afterwards.
    """
    before = [(number, signal.signal(number, handler)) for number in STOP_SIGNALS]
    try:
        yield
    finally:
        for number, old in before:
            signal.signal(number, old if old is not None else signal.SIG_DFL)


def raise_interrupt(number: int, _: FrameType | None) -> None:
    """A handler for what may be broken off anywhere."""
    if number == signal.SIGINT:
        raise KeyboardInterrupt
    raise SystemExit(128 + number)
