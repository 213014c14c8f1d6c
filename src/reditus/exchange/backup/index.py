"""Which ticks of an archive a backup has already, so that the next run adds only what is new."""

import json
from bisect import bisect_left
from collections.abc import Iterable, Iterator
from itertools import pairwise
from pathlib import Path
from uuid import UUID

from reditus.core.blocks import Block, only
from reditus.core.types import Json

Key = tuple[bytes, UUID]
Held = tuple[int, int, int]
"""First and last tick of a block, and how many it has."""


class Index:
    """The blocks of an archive that are in a backup. Safe for one thread."""

    def __init__(self) -> None:
        self._held: dict[Key, list[Held]] = {}
        self.added: dict[Key, list[Held]] = {}
        """Since the beginning of this run."""

    def add(self, key: Key, held: Iterable[Held]) -> None:
        """Take note of blocks that are in the backup."""
        own = self._held.setdefault(key, [])
        own.extend(held)
        own.sort()

    def fresh(self, blocks: Iterable[Block]) -> Iterator[Block]:
        """What is not in the backup yet: blocks, or their later ticks. Blocks that were merged meanwhile are
        recognised by their ticks; where that is not sure a block is taken whole, for ticks twice do no harm. A
        longer block around it proves nothing: what came late lies in its gaps.
        """
        for block in blocks:
            new = self._new(block)
            if new is not None:
                self.added.setdefault((new.schema, new.boot), []).append((new.first_ns, new.last_ns, new.ticks))
                yield new

    def _new(self, block: Block) -> Block | None:
        held = self._overlapping(block)
        if not held:
            return block
        if any(first < block.first_ns or last > block.last_ns for first, last, _ in held) or any(
            earlier[1] >= later[0] for earlier, later in pairwise(held)
        ):
            return block
        known, until_ns = sum(ticks for _, _, ticks in held), max(last for _, last, _ in held)
        if known == block.ticks:
            return None
        stretch = block.stretch()
        rest = stretch.wall_ns > until_ns
        return only(block, stretch, rest) if known + int(rest.sum()) == block.ticks else block

    def _overlapping(self, block: Block) -> list[Held]:
        own = self._held.get((block.schema, block.boot), [])
        # Blocks of one backup may overlap a little; of many runs, some do.
        place = max(bisect_left(own, (block.first_ns,)) - 1, 0)
        return [held for held in own[place:] if held[0] <= block.last_ns and held[1] >= block.first_ns]

    def load(self, path: Path) -> Json:
        """Take over what a file's index says. Raise ValueError where it is none."""
        given = json.loads(path.read_text())
        for digest, boots in given["blocks"].items():
            for boot, held in boots.items():
                self.add((bytes.fromhex(digest), UUID(boot)), [(int(a), int(b), int(c)) for a, b, c in held])
        return dict(given)

    def spelled(self) -> Json:
        """What was added, as JSON."""
        out: dict[str, dict[str, list[Held]]] = {}
        for (digest, boot), held in self.added.items():
            out.setdefault(digest.hex(), {})[str(boot)] = held
        return out
