"""What can go wrong while recording.

RecorderError
├── OptionsError(ValueError)        an option that cannot be used
├── SpoolBusy(RuntimeError)         another recorder writes into the spool
├── ServerAway(ConnectionError)     the server cannot be reached; it is tried again
│   └── ServerFault                 it answers with an error of its own
└── Refused(ValueError)             the server does not take what was sent
"""

from reditus.core.errors import ReditusError


class RecorderError(ReditusError):
    """Base of the recorder's errors."""


class SpoolBusy(RecorderError, RuntimeError):
    """Another recorder writes into this spool."""


class ServerAway(RecorderError, ConnectionError):
    """The server cannot be reached, or cannot keep anything at the moment."""


class ServerFault(ServerAway):
    """The server answered that something went wrong with just this, and may go on to answer so."""


class Refused(RecorderError, ValueError):
    """The server will not take this, now or later."""


class OptionsError(RecorderError, ValueError):
    """An option that cannot be used; the message says which, why, and what would be right."""
