"""What can be wrong with a file that is read."""

from reditus.core.errors import ReditusError


class ExchangeError(ReditusError):
    """Base of the errors of formats."""


class CaptureError(ExchangeError, ValueError):
    """Not a field capture, or nothing in it can be used."""
