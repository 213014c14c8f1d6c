"""What goes wrong between a notebook and a server."""

from reditus.core.errors import ReditusError


class ClientError(ReditusError):
    """What the server refused, or that it cannot be reached."""
