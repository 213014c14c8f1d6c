"""Names replaced by others, consistently, and a search that shows that none is left.

The same name becomes the same substitute in every bundle of a sender, for a key that the sender alone has makes it
(HMAC-SHA-256, RFC 2104): one who has the substitute and not the key cannot find the name by trying names out.
"""

import hmac
import re
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from hashlib import sha256

DIGITS = 8
SHORTEST = 3
"""Shorter names are replaced where they stand by themselves, and neither replaced nor searched for within sentences."""


class Category(StrEnum):
    """What is replaced, by choice."""

    HOSTS = "hosts"
    USERS = "users"
    PROCESSES = "processes"
    ADDRESSES = "addresses"
    MOUNTS = "mounts"
    LOGS = "logs"


# One word with the digits behind it: a program called `host` is not found in the substitutes of hosts.
STEMS = {
    Category.HOSTS: "host",
    Category.USERS: "user",
    Category.PROCESSES: "program",
    Category.ADDRESSES: "address",
    Category.MOUNTS: "/mount",
    Category.LOGS: "line",
}
HARMLESS = frozenset({"", "/", "root", "0.0.0.0", "::", "127.0.0.1", "::1", "*", "kernel"})
"""Names that are the same on every machine."""


@dataclass
class Pseudonyms:
    """The substitutes of one bundle. Safe for one thread."""

    key: bytes
    categories: frozenset[Category]
    made: dict[str, tuple[Category, str]] = field(default_factory=dict)
    """By original."""
    _pattern: re.Pattern[str] | None = None
    _lower: dict[str, str] = field(default_factory=dict)

    def of(self, category: Category, name: str) -> str:
        """The substitute of a name; the name itself where its category is not replaced, or it is harmless. What has a
        substitute has it everywhere: a user may be called like a host.
        """
        known = self.made.get(name)
        if known is None:
            if category not in self.categories or name in HARMLESS:
                return name
            digest = hmac.new(self.key, f"{category}\0{name}".encode(), sha256).hexdigest()
            known = self.made[name] = (category, f"{STEMS[category]}_{digest[:DIGITS]}")
            self._pattern = None
        return known[1]

    def words(self) -> list[str]:
        """The originals that are looked for within sentences, the longest first."""
        return sorted((name for name in self.made if len(name) >= SHORTEST), key=lambda name: (-len(name), name))

    def within(self, text: str) -> str:
        """A sentence in which every name became its substitute, whatever the case of its letters."""
        if text in self.made:
            return self.made[text][1]
        if self._pattern is None:
            self._lower = {name.lower(): substitute for name, (_, substitute) in self.made.items()}
            self._pattern = re.compile(pattern_of(self.words()).pattern, re.IGNORECASE)
        return self._pattern.sub(self._substituted, text)

    def _substituted(self, match: re.Match[str]) -> str:
        # Some letters have more than one lower case; what cannot be looked up is found by the search afterwards.
        return self._lower.get(match.group().lower(), match.group())


def pattern_of(names: Iterable[str]) -> re.Pattern[str]:
    """Any of the names, standing by itself: no letter or digit of another word touches it."""
    parts = [_bounded(name) for name in names]
    return re.compile("|".join(parts) or r"(?!)")


def _bounded(name: str) -> str:
    before = r"(?<![A-Za-z0-9_])" if name[0].isalnum() or name[0] == "_" else ""
    after = r"(?![A-Za-z0-9_])" if name[-1].isalnum() or name[-1] == "_" else ""
    return f"{before}{re.escape(name)}{after}"


def found_in(texts: Iterable[tuple[str, str]], names: Iterable[str]) -> Iterator[tuple[str, str]]:
    """Where names are left: the place, and the name. Whatever the case of its letters."""
    names = list(names)
    if not names:
        return
    by_lower = {name.lower(): name for name in names}
    pattern = re.compile(pattern_of(sorted(by_lower, key=lambda name: -len(name))).pattern)
    for place, text in texts:
        for match in pattern.finditer(text.lower()):
            yield place, by_lower[match.group()]


def leaves(value: object, place: str = "") -> Iterator[tuple[str, str]]:
    """Every text in JSON, names of members included, with where it stands."""
    if isinstance(value, str):
        yield place, value
    elif isinstance(value, list | tuple):
        for at, item in enumerate(value):
            yield from leaves(item, f"{place}/{at}")
    elif isinstance(value, Mapping):
        for key, item in value.items():
            yield f"{place}/{key}", str(key)
            yield from leaves(item, f"{place}/{key}")
