"""Which device of one side is which of the other: by name, else by what it is and how large."""

from collections.abc import Sequence
from dataclasses import dataclass

from reditus.core.facts import HostFacts
from reditus.core.measures import Per
from reditus.core.measures.measure import natural_key


@dataclass(frozen=True, slots=True)
class Matched:
    """Devices of a kind that stand for each other, window first; and those that nothing stands for."""

    pairs: tuple[tuple[str, str], ...]
    only_window: tuple[str, ...]
    only_reference: tuple[str, ...]


def matched(per: Per, window: Sequence[str], reference: Sequence[str], facts: tuple[HostFacts, HostFacts]) -> Matched:
    """Of one kind. Those of the same name come first; of the others each is matched with the first that is alike, in
    natural order: in role, whether it rotates, and size; then in role alone.
    """
    here = [name for name in window if name not in set(reference)]
    there = [name for name in reference if name not in set(window)]
    pairs = [(name, name) for name in window if name in set(reference)]
    for is_exact in (True, False):
        for name in sorted(here, key=natural_key):
            own = _likeness(per, name, facts[0], is_exact=is_exact)
            alike = [
                other
                for other in sorted(there, key=natural_key)
                if own is not None and _likeness(per, other, facts[1], is_exact=is_exact) == own
            ]
            if alike:
                pairs.append((name, alike[0]))
                here.remove(name)
                there.remove(alike[0])
    return Matched(tuple(pairs), tuple(here), tuple(there))


def _likeness(per: Per, name: str, facts: HostFacts, *, is_exact: bool) -> tuple[object, ...] | None:
    """What a device has in common with those that stand for it; None for what only its name tells of."""
    if per is Per.DISK:
        known = facts.disks.get(name)
        role = facts.disk_role(name)
        if not is_exact:
            return (role,)
        return None if known is None else (role, known.rotational, known.size_bytes)
    if per is Per.INTERFACE:
        link = facts.links.get(name)
        if name == "lo" or link is None:
            return None
        return (link.physical, link.speed_bits_per_s) if is_exact else (link.physical,)
    return None
