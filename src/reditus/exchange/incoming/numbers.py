"""Numbers as people write them: with a comma or a point, with thousands apart, with a unit behind, or missing."""

import re

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from reditus.core.types import FloatArray

MISSING = ("", "-", "--", "nan", "na", "n/a", "null", "none", "?", "#n/a")
MOST_LETTERS = 60
_NUMBER = re.compile(r"^([+-]?[\d.,'\u00a0\u202f ]*\d[\d.,]*(?:[eE][+-]?\d{1,4})?)\s*([^\d\s][^\d]*)?$")


def numbers_of(texts: pa.Array, decimal: str) -> tuple[FloatArray, int]:
    """The numbers of a column of text, NaN where a cell is empty or says that it is missing; and how many cells are
    neither.
    """
    plain = pc.utf8_trim_whitespace(texts)
    if decimal == ",":
        plain = pc.replace_substring(plain, ",", ".")
    empty = pc.equal(plain, "")
    try:
        values = pc.cast(pc.if_else(empty, None, plain), pa.float64())
    except pa.ArrowInvalid:
        return _one_by_one(texts.to_pylist(), decimal)
    return values.to_numpy(zero_copy_only=False).astype(np.float64), 0


def _one_by_one(texts: list[str], decimal: str) -> tuple[FloatArray, int]:
    out = np.full(len(texts), np.nan)
    strange = 0
    for place, text in enumerate(texts):
        found = number_in(text, decimal)
        if found is None:
            strange += text.strip().lower() not in MISSING
        else:
            out[place] = found
    return out, strange


def unit_behind(text: str) -> str:
    """What stands behind the number of a cell.

    >>> unit_behind("12 ms"), unit_behind("3"), unit_behind("n/a")
    ('ms', '', '')
    """
    plain = text.strip()
    found = _NUMBER.match(plain) if len(plain) <= MOST_LETTERS else None
    return (found[2] or "").strip() if found is not None else ""


def number_in(text: str, decimal: str) -> float | None:
    """The number that a cell holds, whatever stands behind it; None where it holds none.

    >>> number_in("1.234,5 MB", ","), number_in("12 %", "."), number_in("n/a", ".")
    (1234.5, 12.0, None)
    """
    plain = text.strip()
    # What is longer is none, and would be looked at again and again.
    found = _NUMBER.match(plain) if len(plain) <= MOST_LETTERS else None
    if found is None:
        return None
    digits = re.sub(r"['\u00a0\u202f ]", "", found[1])
    digits = digits.replace(".", "").replace(",", ".") if decimal == "," else digits.replace(",", "")
    try:
        value = float(digits)
    except ValueError:
        return None
    return value if np.isfinite(value) else None
