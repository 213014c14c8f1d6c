"""A block's directory as it is stored: a byte that tells how long an entry is, then the offsets into the data.

Small blocks are most of what is written, and their offsets nearly half of it. Two bytes an entry do where the data is
shorter than 64 KiB, as it mostly is; what travels has four always.
"""

import numpy as np

NARROW, WIDE = 2, 4
_LEAD = {width: bytes((width,)) for width in (NARROW, WIDE)}
_FORM: dict[int, np.dtype[np.unsignedinteger]] = {NARROW: np.dtype("<u2"), WIDE: np.dtype("<u4")}
_END = 1 << 16


def stored(directory: bytes) -> bytes:
    """From a block's own directory."""
    offsets = np.frombuffer(directory, dtype=_FORM[WIDE])
    if offsets[-1] < _END:
        return _LEAD[NARROW] + offsets.astype(_FORM[NARROW]).tobytes()
    return _LEAD[WIDE] + directory


def directory_in(kept: bytes) -> bytes:
    """A block's own directory, from a stored one."""
    if kept[0] == WIDE:
        return kept[1:]
    return np.frombuffer(kept, dtype=_FORM[kept[0]], offset=1).astype(_FORM[WIDE]).tobytes()


def entries_in(part: bytes, count: int) -> list[int]:
    """Some neighbouring entries, without the leading byte: so many."""
    found: list[int] = np.frombuffer(part, dtype=_FORM[len(part) // count]).tolist()
    return found
