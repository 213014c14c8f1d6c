"""The colours of pictures: those of the page, by day and by lamplight (web/src/styles/main.css)."""

from collections.abc import Mapping
from typing import Literal

Theme = Literal["day", "night"]

DAY: Mapping[str, str] = {
    "paper": "#f6f2e9", "leaf": "#fbf9f3", "rule": "#ddd5c4", "rule-strong": "#c9bfaa", "ink": "#1f2930",
    "soft": "#5d6265", "needle": "#9c2f16", "processor": "#2d4a91", "memory": "#1c766a", "swap": "#7d3d79",
    "disk": "#8f5b12", "network": "#56761c", "log": "#5a4a3a", "other": "#4c5a6b",
}  # fmt: skip
NIGHT: Mapping[str, str] = {
    "paper": "#1a1916", "leaf": "#211f1b", "rule": "#38342c", "rule-strong": "#544e42", "ink": "#ece5d6",
    "soft": "#aaa294", "needle": "#f0795a", "processor": "#93abec", "memory": "#5dbcab", "swap": "#cb91c6",
    "disk": "#d9a55c", "network": "#a2c463", "log": "#cdbfa8", "other": "#b3c0cf",
}  # fmt: skip


def inks(theme: Theme) -> Mapping[str, str]:
    """By name, as six hexadecimal digits."""
    return DAY if theme == "day" else NIGHT


def mixed(one: str, other: str, share: float) -> str:
    """Two colours in a proportion, as `color-mix` in sRGB has it.

    >>> mixed("#000000", "#ffffff", 0.5)
    '#808080'
    """
    parts = []
    for at in (1, 3, 5):
        exact = int(one[at : at + 2], 16) * share + int(other[at : at + 2], 16) * (1 - share)
        parts.append(f"{int(exact + 0.5):02x}")
    return f"#{''.join(parts)}"
