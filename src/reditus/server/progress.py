"""How far long work is, by an id that its client made."""

from threading import Lock
from uuid import UUID

from cachetools import LRUCache

MOST_JOBS = 200


class Progress:
    """What is done of how much, by job. Safe from several threads."""

    def __init__(self) -> None:
        self._jobs = LRUCache[UUID, tuple[int, int, str]](MOST_JOBS)
        self._lock = Lock()

    def at(self, job: UUID | None, done: int, total: int, doing: str) -> None:
        """Note how far a job is; nothing where it has no id."""
        if job is not None:
            with self._lock:
                self._jobs[job] = (done, total, doing)

    def of(self, job: UUID) -> tuple[int, int, str]:
        """Done, of how much, and with what it is busy."""
        with self._lock:
            return self._jobs.get(job, (0, 0, ""))

    def ended(self, job: UUID | None) -> None:
        """Forget a job."""
        if job is not None:
            with self._lock:
                self._jobs.pop(job, None)
