"""Rows of figures, printed plainly."""

from collections.abc import Sequence


def show(title: str, rows: Sequence[tuple[str, str]]) -> None:
    width = max(len(name) for name, _ in rows)
    print(f"\n{title}")
    for name, value in rows:
        print(f"  {name:<{width}}  {value}")
