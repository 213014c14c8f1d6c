"""Background work: retention, sealing, rollups, scrubbing, judging what is at rest.

Archives are isolated from each other: an error in one is logged once, and tried again with back-off.
"""

import time
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from enum import StrEnum
from functools import partial
from threading import Lock
from uuid import UUID

import structlog

from reditus.analysis.diagnosis import SpanCache, diagnose_timeline
from reditus.analysis.hours import grow_hours
from reditus.analysis.rollups import grow_rollups
from reditus.analysis.use_rollups import grow_use
from reditus.analysis.windows import requested_window
from reditus.core.errors import DamagedBlock, ReditusError
from reditus.core.types import NS_PER_S
from reditus.store.archives.lifecycle import UNDO_S
from reditus.store.database.damage import again_elsewhere
from reditus.store.errors import DatabaseDamaged, DatabaseUnavailable, UnknownArchive
from reditus.store.read.reader import Allowance
from reditus.store.store import Store

log = structlog.get_logger()

FIRST_RETRY_S = 60.0
LAST_RETRY_S = 6 * 3_600.0
REST_S = 300
"""An archive without a tick for so long does not grow; those that do are judged as they are looked at."""
MOST_LISTED = 20


class Task(StrEnum):
    """What is done in the background."""

    SEALING = "sealing"
    ROLLUPS = "rollups"
    RETENTION = "retention"
    SCRUBBING = "scrubbing"
    JUDGING = "judging"


OVERDUE_S = {Task.SEALING: 600.0, Task.ROLLUPS: 1_800.0, Task.RETENTION: 3_600.0, Task.SCRUBBING: 3_600.0}
"""A task that has not gone through for so long is overdue. Diagnoses are made on request, and never overdue."""


@dataclass(slots=True)
class Failure:
    """What goes wrong with one archive again and again."""

    archive: UUID
    reason: str
    since_ns: int
    times: int = 1
    retry_ns: int = 0


@dataclass(frozen=True, slots=True)
class TaskReport:
    """How a task does."""

    task: Task
    last_success_ns: int | None
    overdue: bool
    failing: list[Failure]


@dataclass(slots=True)
class _TaskState:
    last_success_ns: int | None = None
    failing: dict[UUID, Failure] = field(default_factory=dict)


class Journal:
    """What background work has done and what fails. Safe from several threads."""

    def __init__(self, clock: Callable[[], int] = time.time_ns) -> None:
        self._clock = clock
        self._begun_ns = clock()
        self._lock = Lock()
        self._tasks = {task: _TaskState() for task in Task}

    def run(self, task: Task, archive: UUID, work: Callable[[], object]) -> bool:
        """Do some work for one archive, unless it failed recently. Return whether it went through.

        Raise DatabaseUnavailable where the database cannot be reached at all: then it is nothing about this archive.
        """
        with self._lock:
            failure = self._tasks[task].failing.get(archive)
            if failure is not None and self._clock() < failure.retry_ns:
                return False
        try:
            work()
        except UnknownArchive:
            self.succeeded(task, archive)  # removed meanwhile
            return True
        except DatabaseDamaged as why:
            self.failed(task, archive, why)
            return False
        except DatabaseUnavailable:
            raise
        except Exception as why:  # noqa: BLE001  whatever it is, the other archives do not suffer from it
            self.failed(task, archive, why)
            return False
        self.succeeded(task, archive)
        return True

    def succeeded(self, task: Task, archive: UUID | None = None) -> None:
        """A task went through: for an archive, or as a whole."""
        with self._lock:
            state = self._tasks[task]
            state.last_success_ns = self._clock()
            recovered = state.failing.pop(archive, None) if archive is not None else None
        if recovered is not None:
            log.info(f"{task} works again", archive=str(archive), failed_times=recovered.times)

    def failed(self, task: Task, archive: UUID, why: Exception) -> None:
        """A task failed for an archive; the same reason is logged once."""
        reason = f"{type(why).__name__}: {why}"[:500]
        now_ns = self._clock()
        with self._lock:
            failing = self._tasks[task].failing
            before = failing.get(archive)
            times = 1 if before is None else before.times + 1
            wait_s = min(FIRST_RETRY_S * 2.0 ** min(times - 1, 30), LAST_RETRY_S)
            since_ns = now_ns if before is None else before.since_ns
            failing[archive] = Failure(archive, reason, since_ns, times, now_ns + round(wait_s * NS_PER_S))
        if before is None or before.reason != reason:
            log.error(f"{task} failed for an archive", archive=str(archive), exc_info=why)

    def forget_others(self, archives: Iterable[UUID]) -> None:
        """Archives that are not there any more fail no more."""
        there = set(archives)
        with self._lock:
            for state in self._tasks.values():
                for archive in state.failing.keys() - there:
                    del state.failing[archive]

    def reports(self) -> list[TaskReport]:
        """How each task does, in the order of `Task`."""
        now_ns = self._clock()
        with self._lock:
            return [
                TaskReport(
                    task,
                    state.last_success_ns,
                    now_ns - (state.last_success_ns or self._begun_ns) > OVERDUE_S.get(task, float("inf")) * NS_PER_S,
                    sorted(state.failing.values(), key=lambda item: item.since_ns)[:MOST_LISTED],
                )
                for task, state in self._tasks.items()
            ]


def maintain(
    store: Store,
    journal: Journal,
    *,
    only_grown: bool = False,
    undo_s: float = UNDO_S,
    stop: Callable[[], bool] = lambda: False,
    give_way: Callable[[], bool] = lambda: True,
) -> int:
    """One round over all archives: remove deleted ones, expire what plans no longer keep, merge small blocks, and
    extend rollups. Return by how many blocks there are fewer after merging.

    `only_grown` leaves out archives that have not grown enough since the last round for anything to merge. `stop` is
    called between archives, `give_way` before each part of the work: it may wait, and says whether to go on. Raise
    DatabaseUnavailable where the database cannot be reached.
    """
    archives = [archive for _, archive in store.upkeep.archives()]
    due, recorders = store.upkeep.due_for_removal(undo_s), store.upkeep.recorders_with_plans()
    journal.forget_others(archives)
    for archive in due:
        journal.run(Task.RETENTION, archive, partial(store.upkeep.remove, archive, undo_s))
    for recorder in recorders:
        journal.run(Task.RETENTION, recorder, partial(store.recorders.expire, recorder, time.time_ns()))
    journal.succeeded(Task.RETENTION)
    grown = store.take_grown()
    if only_grown:
        failing = {failure.archive for report in journal.reports() for failure in report.failing}
        archives = [archive for archive in archives if archive in grown | failing]
    vanished = 0
    for archive in archives:
        if stop():
            return vanished
        merged: list[int] = []
        journal.run(Task.SEALING, archive, partial(_compact, store, archive, merged))
        vanished += sum(merged)
        journal.run(Task.ROLLUPS, archive, partial(extend_rollups, store, archive, give_way))
    journal.succeeded(Task.SEALING)
    journal.succeeded(Task.ROLLUPS)
    return vanished


def _compact(store: Store, archive: UUID, merged: list[int]) -> None:
    merged.append(store.compact(archive))


def extend_rollups(store: Store, archive: UUID, give_way: Callable[[], bool] = lambda: True) -> None:
    """Extend an archive's rollups, in short transactions, so that appending never waits long; `give_way` is called
    before each, and says whether to go on. Damaged ones are derived again.
    """
    try:
        again_elsewhere(lambda: _extend(store, archive, give_way))
    except (DamagedBlock, DatabaseDamaged) as why:
        log.error("damaged rollups are derived again", archive=str(archive), reason=str(why))
        store.drop_rollups(archive)
        _extend(store, archive, give_way)


def _extend(store: Store, archive: UUID, give_way: Callable[[], bool]) -> None:
    more = True
    while more and give_way():
        with store.extending_rollups(archive) as reader:
            more = grow_rollups(reader, archive)
            more |= grow_hours(reader, archive)
            # What the map and the strips are drawn from comes first.
            more = more or grow_use(reader, archive)


def scrub(
    store: Store, journal: Journal, *, most_blocks: int, every_s: float, stop: Callable[[], bool] = lambda: False
) -> int:
    """Verify some blocks of the archives that are due for it. Return how many."""
    checked: list[int] = []
    for host, archive in store.upkeep.scrub_turns(every_s):
        if stop() or sum(checked) >= most_blocks:
            break
        left = most_blocks - sum(checked)
        journal.run(Task.SCRUBBING, archive, partial(_scrub_archive, store, host, archive, left, checked))
    journal.succeeded(Task.SCRUBBING)
    return sum(checked)


def _scrub_archive(store: Store, host: UUID, archive: UUID, most_blocks: int, counts: list[int]) -> None:
    checked = 0
    while checked < most_blocks:
        found = store.upkeep.scrub_slice(host, archive)
        checked += max(found.checked, 1)
        for damage in found.damage:
            log.error("damaged block", archive=str(archive), first_ns=damage.first_ns, reason=damage.reason)
        counts.append(max(found.checked, 1))
        if found.next is None:
            return


def judge_at_rest(
    store: Store,
    journal: Journal,
    cache: SpanCache,
    done: dict[UUID, int],
    *,
    most: int = 2,
    allowance: Allowance | None = None,
    stop: Callable[[], bool] = lambda: False,
) -> int:
    """Judge some archives that no longer grow and were not judged since they did, so that their findings are there when
    they are opened. Return how many.

    `done` holds the end, in nanoseconds since the epoch, up to which each archive was judged; it is extended. Judging
    ends as soon as `stop` says so: spans that were judged by then are kept in the cache.
    """
    archives = store.archives.all()
    for gone in done.keys() - {archive.id for archive in archives}:
        del done[gone]
    rested_ns = time.time_ns() - REST_S * NS_PER_S
    judged: list[UUID] = []
    for archive in archives:
        if stop() or len(judged) >= most:
            break
        last_ns = archive.last_ns
        # Only what is really judged counts as such: what is passed over has not succeeded.
        if (
            archive.deleted_ns is None
            and last_ns is not None
            and last_ns < rested_ns
            and done.get(archive.id) != last_ns
        ):
            work = partial(_judge, store, archive.id, last_ns, cache, done, judged, allowance, stop)
            journal.run(Task.JUDGING, archive.id, work)
    return len(judged)


class _Stopped(ReditusError):
    """The server ends, or requests come first."""


def _judge(
    store: Store, archive: UUID, last_ns: int, cache: SpanCache, done: dict[UUID, int], judged: list[UUID],
    allowance: Allowance | None, stop: Callable[[], bool],
) -> None:  # fmt: skip
    def check() -> None:
        if stop():
            raise _Stopped

    try:
        with store.reading(archive, check, allowance) as reader:
            diagnose_timeline(reader, requested_window(reader, None, None), cache)
    except _Stopped:
        return
    done[archive] = last_ns
    judged.append(archive)
