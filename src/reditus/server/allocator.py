"""How the server's process keeps its memory."""

import ctypes
import gc
import time

# mallopt(3), <malloc.h>.
M_TRIM_THRESHOLD, M_TOP_PAD, M_MMAP_THRESHOLD = -1, -2, -3
CACHE_BYTES = 24 * 2**20
STEP_BYTES = 4 * 2**20
LARGEST_BYTES = 4 * 2**20
"""The most that glibc takes from its own heap: a column of a day is less, a response or a batch may be more."""
GIVEN_EVERY_S = 3.0
_libc = ctypes.CDLL(None)


def configure_allocator() -> None:
    """Let the C library keep up to CACHE_BYTES that were freed. A day of ticks is half a megabyte a column, and without
    this every such array is requested from the kernel again, page by page: measured, a seventh of the time that
    reading a day takes.

    Also leave what is loaded by now out of Python's garbage collection: it stays.
    """
    # Other C libraries (musl) have no such call, and their own ways.
    mallopt = getattr(_libc, "mallopt", None)
    if mallopt is not None:
        mallopt(M_MMAP_THRESHOLD, LARGEST_BYTES)
        mallopt(M_TRIM_THRESHOLD, CACHE_BYTES)
        mallopt(M_TOP_PAD, STEP_BYTES)
    gc.collect()
    gc.freeze()


_given_s = 0.0


def give_back() -> None:
    """Give the system what lies free in the middle of the heap: after work that took much at once, most of it does. Not
    more often than every few seconds: it costs some milliseconds, and what is given back has to be requested again.
    """
    global _given_s  # noqa: PLW0603  of the process's one heap
    trim = getattr(_libc, "malloc_trim", None)
    now_s = time.monotonic()
    if trim is not None and now_s - _given_s > GIVEN_EVERY_S:
        _given_s = now_s
        trim(0)
