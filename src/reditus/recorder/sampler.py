"""One tick: every source that is due, read once, with the time of its own reading."""

import os
import time
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from functools import partial
from itertools import compress
from typing import NamedTuple, Protocol

import structlog

from reditus.core.plan import Plan
from reditus.core.schema import Column
from reditus.core.types import NS_PER_S, IntArray
from reditus.recorder.batch_parser import RELEARN_EVERY, JointText
from reditus.recorder.device_filter import chosen, leaves_out_idle
from reditus.recorder.file_set import FileSet
from reditus.recorder.kernel_file import CHUNK_BYTES, SHORT_BYTES, KernelFile, rest_of
from reditus.recorder.kernel_text import KernelText
from reditus.recorder.sources import SOURCES, Source

log = structlog.get_logger()

LOOK_FOR_ACTIVE = 30
"""Readings after which it is looked whether a device that is left out as idle has begun to do something."""
FOREVER_NS = 1 << 63
AHEAD_WITHIN_NS = 50_000
"""The noise of each look, kept for each group and tick, would be a tenth of a quiet day's recording."""
RETRY_NS = 60 * NS_PER_S
"""How long a file that could not be read is left alone."""


class Reading(NamedTuple):
    """One group at one tick."""

    group: str
    wall_ns: int
    monotonic_ns: int
    columns: tuple[Column, ...]
    values: IntArray


_reading: Callable[[Iterable[object]], Reading] = partial(tuple.__new__, Reading)
"""As Reading._make, without a step through Python for each."""


class Probe(Protocol):
    """Something that is read otherwise than by parsing a kernel text: filesystems, processes."""

    @property
    def group(self) -> str:
        """The group of counters that the probe reads."""

    @property
    def pace_s(self) -> int:
        """How often it is read at most, in seconds."""

    def read(self, now_ns: int) -> tuple[tuple[Column, ...], IntArray]:
        """Columns (the same object while nothing changes) and their values; empty where there is nothing to tell."""


class SourceReader:
    """Reads one source. A file that is not there, or may not be read, is left alone and tried again now and then."""

    def __init__(self, source: Source, root: str = "/") -> None:
        self.source = source
        self.text = KernelText(source.learn)
        self._file: KernelFile | FileSet = FileSet(source, root) if source.is_set else KernelFile(source.path, root)
        self._read = self._file.read
        self._prepared = (b"", b"")
        self._retry_at_ns = 0
        self.unreadable: str | None = None
        """Why the file could not be read, if it could not."""

    def read(self, now_ns: int) -> bytes:
        """The tick's text, empty where there was nothing to read. `now_ns` is of the monotonic clock."""
        if self.unreadable is not None and now_ns < self._retry_at_ns:
            return b""
        try:
            raw = self._read(now_ns)
        except OSError as why:
            self.lay_aside(why, now_ns)
            return b""
        if self.unreadable is not None:
            log.info("readable again", path=self.source.path)
            self.unreadable = None
        return raw

    def prepared(self, raw: bytes) -> bytes:
        """As the source wants it parsed. That can wait until the tick is: so soon after reading every instruction is
        cold.
        """
        if raw != self._prepared[0] and self.source.prepare is not None:
            self._prepared = (raw, self.source.prepare(raw))
        return self._prepared[1]

    def close(self) -> None:
        """Close its file."""
        self._file.close()

    @property
    def descriptor(self) -> int | None:
        """Of the file while it is open and can be read; None for a set of files."""
        return self._file.descriptor if isinstance(self._file, KernelFile) and self.unreadable is None else None

    def lay_aside(self, why: OSError, now_ns: int) -> None:
        """Leave a file out that cannot be read, and try it again later."""
        reason = why.strerror or str(why)
        if self.unreadable != reason:
            log.info("not readable, left out", path=self.source.path, reason=reason)
        self.unreadable = reason
        self._file.close()  # the thing behind it may come back
        self._retry_at_ns = now_ns + RETRY_NS


class _Paced:
    """When the next reading is due, for what is not read at every tick."""

    def __init__(self, every_ns: int, tick_ns: int) -> None:
        self.every_ns = every_ns
        # Ticks come a little early or late; half a tick tells which one was meant.
        self._slack_ns = tick_ns // 2
        self._due_ns = 0

    @property
    def due_from_ns(self) -> int:
        return self._due_ns - self._slack_ns

    def is_due(self, now_ns: int) -> bool:
        if now_ns < self.due_from_ns:
            return False
        behind_ns = now_ns - self._due_ns
        # After a pause the pace begins again; otherwise it keeps to its steps, so that it never drifts.
        self._due_ns = now_ns + self.every_ns if behind_ns > self.every_ns else self._due_ns + self.every_ns
        return True


class _PollGroup:
    """Sources of one pace, read one after the other and parsed together."""

    def __init__(self, readers: list[SourceReader], relearn_every: int) -> None:
        self.readers = readers
        # Past the reader while all is well: at each tick, after a second of other work, every object on the way is
        # cold.
        self._open: list[int | None] = [None for _ in readers]
        self._prepared = [(at, item.prepared) for at, item in enumerate(readers) if item.source.prepare is not None]
        self._groups = [reader.source.group for reader in readers]
        self._joint = JointText([reader.text for reader in readers], relearn_every)

    def read(self, clock: Callable[[], int]) -> "_Texts":
        at_ns = []
        texts = []
        for place, descriptor in enumerate(self._open):
            now_ns = clock()
            at_ns.append(now_ns)
            if descriptor is None:
                texts.append(self.readers[place].read(now_ns))
                self._open[place] = self.readers[place].descriptor
                continue
            try:
                text = os.pread(descriptor, CHUNK_BYTES, 0)
                texts.append(text if len(text) < SHORT_BYTES else rest_of(descriptor, text))
            except OSError as why:
                texts.append(b"")
                self._open[place] = None
                self.readers[place].lay_aside(why, now_ns)
        return _Texts(self, at_ns, texts)

    def parse(self, at_ns: list[int], texts: list[bytes], wall_ahead_ns: int) -> list[Reading]:
        for at, prepared in self._prepared:
            if texts[at]:
                texts[at] = prepared(texts[at])
        values, columns = self._joint.parse(texts), self._joint.columns
        walls_ns = [now_ns + wall_ahead_ns for now_ns in at_ns]
        readings = map(_reading, zip(self._groups, walls_ns, at_ns, columns, values, strict=True))
        # A source without columns has nothing to tell.
        return list(compress(readings, columns))


class _Texts(NamedTuple):
    """What one round read, and when."""

    round: _PollGroup
    at_ns: list[int]
    texts: list[bytes]


class RawTick(NamedTuple):
    """One tick as it was read."""

    monotonic_ns: int
    wall_ahead_ns: int
    rounds: list[_Texts]
    probed: list[Reading]


class Sampler:
    """All sources of this machine, or of a tree that looks like one (`root`).

    `interval_ns` is the distance of ticks; `every_ns` that of single groups, whole multiples of it. A source that has a
    pace of its own is read no more often than that. Probes belong to the caller, who closes them: they know things from
    reading to reading that outlive a change of plan.
    """

    def __init__(
        self,
        sources: Iterable[Source] = SOURCES,
        root: str = "/",
        *,
        interval_ns: int = NS_PER_S,
        every_ns: Mapping[str, int] | None = None,
        probes: Sequence[Probe] = (),
        plan: Plan | None = None,
    ) -> None:
        self.interval_ns = interval_ns
        requested_ns = every_ns or {}
        forgetful = plan is not None and leaves_out_idle(plan)
        if plan is not None:
            sources = [chosen(item, plan) for item in sources if plan.records(item.group)]
            probes = [probe for probe in probes if plan.records(probe.group)]
            groups = [*(item.group for item in sources), *(probe.group for probe in probes)]
            own = {group: plan.interval_of(group) for group in groups}
            requested_ns = {group: _multiple(wish_ns, interval_ns) for group, wish_ns in own.items() if wish_ns} | dict(
                requested_ns
            )
        readers = [SourceReader(source, root) for source in sources]
        paces = {item.source.group: item.source.pace_s for item in readers} | {
            probe.group: probe.pace_s for probe in probes
        }
        self.intervals_ns = {
            group: requested_ns.get(group, poll_interval_ns(pace, interval_ns)) for group, pace in paces.items()
        }
        """How far apart the readings of each group are."""
        by_pace: dict[int, list[SourceReader]] = {interval_ns: []}
        for reader in readers:
            by_pace.setdefault(self.intervals_ns[reader.source.group], []).append(reader)
        self._always = [_PollGroup(by_pace.pop(interval_ns), _relearn_every(forgetful, often=True))]
        self._slow_groups = [
            (_PollGroup(together, _relearn_every(forgetful, often=False)), _Paced(every_ns, interval_ns))
            for every_ns, together in by_pace.items()
        ]
        self._probes = [(probe, _Paced(self.intervals_ns[probe.group], interval_ns)) for probe in probes]
        self._wall_ahead_ns = 0
        self._slow_due_ns = 0
        """Before then nothing is due that is not read at every tick."""
        self.clock: Callable[[], int] = boot_clock_ns
        """Goes on while the machine sleeps: a time asleep is a gap, not a short interval."""

    def tick(self) -> list[Reading]:
        """Read every source that is due, each with its own time; parse those of one pace all at once."""
        return self.parse(self.read())

    def read(self) -> RawTick:
        """Read every source that is due. What needs no answer at once is cheaper parsed a few ticks together: the
        second one finds the processor's caches warm.
        """
        # Both clocks once, and from then on only the monotonic one: within a tick they do not part.
        clock = self.clock
        begun_ns = clock()
        wall_ahead_ns = self._wall_ahead(time.time_ns() - begun_ns)
        rounds = [together.read(clock) for together in self._always]
        probed: list[Reading] = []
        if begun_ns >= self._slow_due_ns:
            rounds += [together.read(clock) for together, pace in self._slow_groups if pace.is_due(begun_ns)]
            for probe, pace in self._probes:
                if pace.is_due(begun_ns):
                    now_ns = clock()
                    columns, values = probe.read(now_ns)
                    if len(values):
                        probed.append(Reading(probe.group, now_ns + wall_ahead_ns, now_ns, columns, values))
            paces = [pace for _, pace in (*self._slow_groups, *self._probes)]
            self._slow_due_ns = min((pace.due_from_ns for pace in paces), default=FOREVER_NS)
        return RawTick(begun_ns, wall_ahead_ns, rounds, probed)

    def _wall_ahead(self, seen_ns: int) -> int:
        """How far the wall clock is ahead: as before, while it is so but for the time that looking at both clocks
        takes.
        """
        if abs(seen_ns - self._wall_ahead_ns) > AHEAD_WITHIN_NS:
            self._wall_ahead_ns = seen_ns
        return self._wall_ahead_ns

    @staticmethod
    def parse(tick: RawTick) -> list[Reading]:
        """The readings of a tick. Ticks are parsed in the order in which they were read."""
        parsed = [item.round.parse(item.at_ns, item.texts, tick.wall_ahead_ns) for item in tick.rounds]
        return [reading for readings in (*parsed, tick.probed) for reading in readings]

    @property
    def unreadable(self) -> dict[str, str]:
        """Files that cannot be read, by path, with the reason."""
        return {
            reader.source.path: reader.unreadable for reader in self._every_reader() if reader.unreadable is not None
        }

    def close(self) -> None:
        """Close all files."""
        for reader in self._every_reader():
            reader.close()

    def _every_reader(self) -> Iterator[SourceReader]:
        for together in (*self._always, *(item for item, _ in self._slow_groups)):
            yield from together.readers


def _relearn_every(forgetful: bool, *, often: bool) -> int:
    """What is read rarely is looked at each time for devices that begin to do something."""
    if not forgetful:
        return RELEARN_EVERY
    return LOOK_FOR_ACTIVE if often else 1


boot_clock_ns = partial(time.clock_gettime_ns, time.CLOCK_BOOTTIME)


def _multiple(wish_ns: int, interval_ns: int) -> int:
    """The first whole number of intervals that is no shorter than the wish: in a burst ticks may not divide it."""
    return interval_ns * max(1, -(-wish_ns // interval_ns))


def poll_interval_ns(pace_s: int, interval_ns: int) -> int:
    """The first multiple of the interval that is no shorter than the pace."""
    return interval_ns * max(1, -(-pace_s * NS_PER_S // interval_ns))
