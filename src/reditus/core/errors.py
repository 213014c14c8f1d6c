"""The root of all errors, and those of the core. Each layer has a tree of its own below the root.

Errors subclass the builtin a caller would already catch:

    ReditusError
    ├── CoreError                    below
    ├── StoreError                   reditus.store.errors
    ├── RecorderError                reditus.recorder.errors
    ├── ExchangeError                reditus.exchange.errors
    ├── ServerError                  reditus.server.errors
    └── Failure                      reditus.cli.console: a command that cannot be carried out

    CoreError
    ├── BlockError(ValueError)       bytes that are no block, or not a whole one
    │   ├── BlockVersionError        a block from a newer Reditus
    │   └── DamagedBlock             a column whose checksum does not match
    ├── SchemaError(ValueError)      columns that do not describe a block
    ├── UnknownCounter(LookupError)
    ├── UnknownMeasure(LookupError)
    ├── WindowError(ValueError)      a stretch of time that makes no sense
    ├── ZoneError(ValueError)        a name that is no time zone (exchange/log_reading)
    ├── UnknownLog(ValueError)       a file whose lines tell no time that is known (log_text)
    ├── TimeError(ValueError)        a text that is no RFC 3339 time (rfc3339)
    ├── OutsideError(ValueError)     a text or number from outside that cannot be used (outside)
    ├── PlanError, FactsError(ValueError)  a plan, or facts of a host, that cannot be read (plan, facts)
    └── Cancelled                    the client no longer waits for the answer
"""

from collections.abc import Collection
from difflib import get_close_matches


class ReditusError(Exception):
    """Base of all errors that Reditus raises; the message says what was wrong, and what would be right."""


class CoreError(ReditusError):
    """Base of all errors of the core; the message says the rule, the value got and the way out."""


class BlockError(CoreError, ValueError):
    """Bytes that are not a whole, valid block."""


class BlockVersionError(BlockError):
    """A block whose format is newer than this Reditus can read."""


class DamagedBlock(BlockError):
    """A column of a block whose bytes are not those that were written."""


class SchemaError(CoreError, ValueError):
    """A schema that cannot describe a block's columns."""


class WindowError(CoreError, ValueError):
    """A window that ends before it starts, or lies outside representable time."""


class Cancelled(CoreError):
    """The operation was cancelled."""

    def __init__(self) -> None:
        super().__init__("the client went away before its answer was ready")


class UnknownCounter(CoreError, LookupError):
    """No counter of that name in the catalogue."""

    def __init__(self, name: str) -> None:
        super().__init__(f"no counter is named {name!r}; `core/counters.py` lists all of them")
        self.name = name


class UnknownMeasure(CoreError, LookupError):
    """No measure of that name, or not for that device."""

    def __init__(self, name: str, known: Collection[str]) -> None:
        near = get_close_matches(name, list(known), n=3, cutoff=0.4)
        hint = f"did you mean {', '.join(near)}?" if near else "GET /api/measures lists all of them"
        super().__init__(f"no measure is named {name!r}; {hint}")
        self.name = name
