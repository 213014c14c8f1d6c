"""How the server's process keeps its memory."""

import ctypes
import gc

# mallopt(3), <malloc.h>.
M_TRIM_THRESHOLD, M_TOP_PAD, M_MMAP_THRESHOLD = -1, -2, -3
KEPT_BYTES = 128 * 2**20
STEP_BYTES = 32 * 2**20
LARGEST_BYTES = 32 * 2**20
"""The most that glibc takes from its own heap."""


def keep_what_is_freed() -> None:
    """Let the C library keep up to KEPT_BYTES that were freed. A day of ticks is half a megabyte a column, and without this
    every such array is asked of the kernel anew, page by page: measured, a seventh of the time that reading a day takes.

    Also leave what is loaded by now out of Python's garbage collection: it stays.
    """
    # Other C libraries (musl) have no such call, and their own ways.
    mallopt = getattr(ctypes.CDLL(None), "mallopt", None)
    if mallopt is not None:
        mallopt(M_MMAP_THRESHOLD, LARGEST_BYTES)
        mallopt(M_TRIM_THRESHOLD, KEPT_BYTES)
        mallopt(M_TOP_PAD, STEP_BYTES)
    gc.collect()
    gc.freeze()
