"""Values with their units, as a page and a report print them: one scale for all numbers of a picture."""

import math
from dataclasses import dataclass

BINARY = ((2.0**40, "Ti"), (2.0**30, "Gi"), (2.0**20, "Mi"), (2.0**10, "Ki"), (1.0, ""))
DECIMAL = ((1e12, "T"), (1e9, "G"), (1e6, "M"), (1e3, "k"), (1.0, ""))
_TENFOLD = tuple((10 * size if size > 1 else size, prefix) for size, prefix in DECIMAL)
THIN = "\u2009"
GROUPED_FROM = 10_000
"""A number of four digits reads as well without a mark among them, a long one does not."""
MOST_SIGNIFICANT = 4
UNKNOWN = "–"
TICK_STEPS = (1.0, 1.5, 2.0, 3.0, 4.0, 5.0, 6.0, 8.0, 10.0)


@dataclass(frozen=True, slots=True)
class Scale:
    """What values are divided by before they are printed, what is printed behind them, and how many digits."""

    by: float
    unit: str
    digits: int


def _pick(steps: tuple[tuple[float, str], ...], highest: float) -> tuple[float, str]:
    return next((step for step in steps if highest >= step[0]), steps[-1])


def _digits(value: float) -> int:
    return 0 if value >= 100 else 1 if value >= 10 else 2


def scale_for(unit: str, highest: float) -> Scale:
    """One scale for all numbers of a picture, from the highest of them. `unit` is a measure's, or "bits/s" for links,
    of which a value still counts bytes; another unit is printed as it is.

    >>> scale_for("bytes", 3 * 2**30), scale_for("s", 0.004)
    (Scale(by=1073741824.0, unit='GiB', digits=2), Scale(by=0.001, unit='ms', digits=2))
    """
    top = abs(highest)
    if unit in _PREFIXED:
        prefixes, by_unit, name, least = _PREFIXED[unit]
        by, prefix = _pick(prefixes, top * by_unit)
        by = by / 10 if prefixes is _TENFOLD and by > 1 else by
        # A few a minute are some hundredths a second.
        digits = least if by == 1 and least is not None and top < 0.5 else _digits(top * by_unit / by)
        if by == 1 and unit.startswith("bytes"):
            digits = 0
        return Scale(by / by_unit, f"{prefix}{name}", digits)
    if unit == "s" and top < 1:
        return Scale(1e-3, "ms", 0 if top >= 0.1 else 1 if top >= 0.01 else 2)
    fixed = {"share": Scale(0.01, "%", 1 if top < 0.1 else 0), "s": Scale(1, "s", 2), "°C": Scale(1, "°C", 1),
             "1/min": Scale(1, "/min", 0), "count": Scale(1, "", _digits(top))}  # fmt: skip
    return fixed.get(unit, Scale(1, unit, _digits(top)))


_PREFIXED: dict[str, tuple[tuple[tuple[float, str], ...], float, str, int | None]] = {
    "bytes": (BINARY, 1, "B", None),
    "bytes/s": (BINARY, 1, "B/s", None),
    "bits/s": (DECIMAL, 8, "bit/s", None),
    "1/s": (_TENFOLD, 1, "/s", 3),
    "Hz": (DECIMAL, 1, "Hz", None),
}
"""By unit: the prefixes, how many of what is printed make one, its name, and digits of what is next to nothing."""


def _fixed(value: float, digits: int) -> str:
    # Halves go away from zero, as in a browser; that of 0.125 is one in binary too.
    shifted = math.floor(abs(value) * 10**digits + 0.5) / 10**digits
    text = f"{shifted:,.{digits}f}" if shifted >= GROUPED_FROM else f"{shifted:.{digits}f}"
    return f"-{text}" if value < 0 and shifted > 0 else text


def spell_number(value: float | None, scale: Scale) -> str:
    """The number alone, on a scale.

    >>> spell_number(12_345.0, Scale(1, "", 0)), spell_number(None, Scale(1, "", 0))
    ('12,345', '–')
    """
    return UNKNOWN if value is None or math.isnan(value) else _fixed(value / scale.by, scale.digits)


def spell_round(value: float, scale: Scale) -> str:
    """A round number without needless zeros, for axes.

    >>> spell_round(0.04, scale_for("s", 0.04)), spell_round(16 * 2.0**30, scale_for("bytes", 16 * 2.0**30))
    ('40', '16')
    """
    shown = value / scale.by
    if shown == 0:
        return "0"
    digits = max(MOST_SIGNIFICANT - 1 - math.floor(math.log10(abs(shown))), 0)
    text = _fixed(shown, digits)
    return text.rstrip("0").rstrip(".") if "." in text else text


def spell_amount(value: float | None, unit: str) -> str:
    """The number with its unit, on a scale of its own.

    >>> spell_amount(357 * 2.0**20, "bytes"), spell_amount(0.88, "share")
    ('357\\u2009MiB', '88\\u2009%')
    """
    if value is None or math.isnan(value):
        return UNKNOWN
    scale = scale_for(unit, value)
    return f"{spell_number(value, scale)}{THIN}{scale.unit}".rstrip(THIN)


def round_top(highest: float, scale: Scale) -> float:
    """A round top for an axis: at least `highest`, at 1, 1.5, 2, 3, 4, 5, 6 or 8 times a power of ten of the scale.

    >>> round_top(0.0334, scale_for("s", 0.0334))
    0.04
    """
    value = highest / scale.by
    if not value > 0:
        return scale.by
    power = 10.0 ** math.floor(math.log10(value))
    step = next((each for each in TICK_STEPS if each * power >= value * 0.999), 10.0)
    return step * power * scale.by
