"""What comes from outside, checked in one place: texts, numbers, and JSON as a whole.

Nothing that passes here can trip what comes after: no NUL, which PostgreSQL keeps in no text; no half of a surrogate
pair, which no UTF-8 holds; no number that is infinite, none at all, or wider than 64 bits; nothing nested deeper than
anybody needs.
"""

import json
import math
from typing import Any, NoReturn

from reditus.core.errors import CoreError

MOST_DEPTH = 24
LEAST_WHOLE, MOST_WHOLE = -(1 << 63), (1 << 63) - 1
MOST_DIGITS = 400
"""Of one number in JSON: the longest double that anybody writes out has 308 digits before its point."""
_SHOWN = 60


class OutsideError(CoreError, ValueError):
    """Something from outside that cannot be taken; `pointer` says where it stands (RFC 6901)."""

    def __init__(self, pointer: str, what: str) -> None:
        super().__init__(f"{pointer}: {what}" if pointer else what)
        self.pointer, self.what = pointer, what


def text_problem(value: object, longest: int, *, shortest: int = 0) -> str | None:
    """What keeps a value from being a text; None where it is one.

    >>> text_problem("vda", 10), text_problem("a\\0", 10), text_problem("x" * 11, 10)
    (None, 'a text without the character U+0000', 'a text of at most 10 characters, not 11')
    """
    if not isinstance(value, str):
        return f"a text, not {shown(value)}"
    if len(value) > longest:
        return f"a text of at most {longest} characters, not {len(value)}"
    if len(value) < shortest:
        return f"a text of at least {shortest} characters"
    if "\0" in value:
        return "a text without the character U+0000"
    if not value.isascii() and any("\ud800" <= letter <= "\udfff" for letter in value):
        return "a text of whole characters: it holds half of a surrogate pair"
    return None


def whole_problem(value: object, least: int = 0, most: int = MOST_WHOLE) -> str | None:
    """What keeps a value from being a whole number within bounds; None where it is one."""
    if not isinstance(value, int) or isinstance(value, bool):
        return f"a whole number, not {shown(value)}"
    return None if least <= value <= most else f"a whole number from {least} to {most}, not {shown(value)}"


def number_problem(value: object, least: float, most: float) -> str | None:
    """The same for any number that is finite."""
    if not isinstance(value, int | float) or isinstance(value, bool):
        return f"a number, not {shown(value)}"
    if not math.isfinite(value) or not least <= value <= most:
        return f"a number from {least:g} to {most:g}, not {shown(value)}"
    return None


def shown(value: object) -> str:
    """A value as an error may show it: short, and safe whatever it is."""
    if isinstance(value, int) and not isinstance(value, bool) and value.bit_length() > 128:
        return f"a number of {value.bit_length()} bits"
    text = ascii(value)
    return text if len(text) <= _SHOWN else f"{text[: _SHOWN - 1]}…"


def strict_json(text: bytes | str) -> Any:
    """Parse JSON from outside. Raise OutsideError for what is none, and for what no part of Reditus can use.

    >>> strict_json('{"cores": 2}')
    {'cores': 2}
    """
    try:
        value = json.loads(text, parse_constant=_no_constant, parse_int=_whole, parse_float=_finite)
    except RecursionError:
        raise OutsideError("", "it is nested far too deep") from None
    except UnicodeDecodeError as why:
        raise OutsideError("", f"it is not UTF-8 at byte {why.start}") from None
    except json.JSONDecodeError as why:
        raise OutsideError("", f"it is no JSON: at character {why.pos}, {why.msg}") from None
    check_value(value)
    return value


def check_value(value: object, pointer: str = "", depth: int = 0) -> None:
    """Raise OutsideError for a value, read from JSON, that holds what no part of Reditus can use."""
    if isinstance(value, str):
        problem = text_problem(value, MOST_WHOLE)
        if problem:
            raise OutsideError(pointer, problem)
    elif isinstance(value, dict | list):
        if depth >= MOST_DEPTH:
            raise OutsideError(pointer, f"nested deeper than {MOST_DEPTH} levels")
        pairs = value.items() if isinstance(value, dict) else enumerate(value)
        for key, part in pairs:
            here = f"{pointer}/{ascii(key)[1:-1] if isinstance(key, str) else key}"
            if isinstance(key, str) and (problem := text_problem(key, MOST_WHOLE)):
                raise OutsideError(here[:_SHOWN], f"a name that is {problem}")
            check_value(part, here, depth + 1)


def _no_constant(name: str) -> NoReturn:
    raise OutsideError("", f"JSON has no {name}; leave the number out, or write null")


def _whole(digits: str) -> int:
    if len(digits) > MOST_DIGITS or not LEAST_WHOLE <= (value := int(digits)) <= MOST_WHOLE:
        raise OutsideError("", f"a whole number of {len(digits)} digits; whole numbers have 64 bits")
    return value


def _finite(digits: str) -> float:
    value = float(digits) if len(digits) <= MOST_DIGITS else math.inf
    if not math.isfinite(value):
        raise OutsideError("", f"a number beyond all bounds: {digits[:20]}…")
    return value


def terminal_text(text: str) -> str:
    """A text as a terminal may print it: what would steer the terminal, or turn the order of what stands beside it, is
    shown
    as its code point.

    >>> terminal_text("a\\x1b[31mb")
    'a\\\\x1b[31mb'
    """
    if text.isascii() and text.isprintable():
        return text
    return "".join(letter if letter.isprintable() else ascii(letter)[1:-1] for letter in text)
