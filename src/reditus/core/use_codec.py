"""Use of one bin as it is stored: derived once, and read in place of the ticks for long windows.

A zstd frame with a checksum behind it (`checksums`). Inside: a head (version, number of processes and boots), then
columns, one entry a process each, in the order of `_COLUMNS`, and what was summed up over all.
"""

import struct

import numpy as np
import zstandard

from reditus.core.checksums import verified, with_checksums
from reditus.core.column_codec import ZSTD_LEVEL, unpacked
from reditus.core.errors import BlockError
from reditus.core.types import IntArray
from reditus.core.use import QUANTITIES, Owner, Stay, Use

VERSION = 2
"""Of the format, and of what it holds: it grows whenever what is derived means something else."""
LEVELS_S = (300, 3_600)
"""Length of the stored bins; each a whole multiple of the one before, from which it is made."""
MOST_PROCESSES = 100_000
"""In one bin: far more than slots can change hands."""
_HEAD = struct.Struct("<BII")
_BOOT_BYTES = 16
_COLUMNS = (("boot", "<u4"), ("pid", "<i8"), ("start", "<i8"), ("core", "<i4"), ("first_ns", "<i8"), ("last_ns", "<i8"))
_FLOATS = 3 + len(QUANTITIES)
"""Of each process: memory at first, at last and at most, then its amounts."""
_SUMMED = 1 + 2 * len(QUANTITIES)


def encode_use(use: Use) -> bytes:
    """A use of a single bin, as bytes."""
    owners = sorted(use.amounts)
    boots = sorted({owner.boot for owner in owners})
    places = {boot: at for at, boot in enumerate(boots)}
    stays = [use.stays[owner] for owner in owners]
    columns = {
        "boot": [places[owner.boot] for owner in owners],
        "pid": [owner.pid for owner in owners],
        "start": [owner.start for owner in owners],
        "core": [stay.core for stay in stays],
        "first_ns": [stay.first_ns for stay in stays],
        "last_ns": [stay.last_ns for stay in stays],
    }
    floats = np.zeros((_FLOATS, len(owners)))
    for at, (owner, stay) in enumerate(zip(owners, stays, strict=True)):
        floats[:3, at] = stay.first_bytes, stay.last_bytes, stay.high_bytes
        floats[3:, at] = use.amounts[owner][0]
    summed = np.concatenate([use.seconds[:1], use.whole[0], use.machine[0]])
    body = b"".join(
        (
            _HEAD.pack(VERSION, len(owners), len(boots)),
            *boots,
            *(np.asarray(columns[name], dtype=kind).tobytes() for name, kind in _COLUMNS),
            floats.astype("<f8").tobytes(),
            summed.astype("<f8").tobytes(),
        )
    )
    return with_checksums([zstandard.ZstdCompressor(level=ZSTD_LEVEL).compress(body)], 0)[0]


def decode_use(stored: bytes, edges_ns: IntArray) -> Use:
    """The inverse, between two edges. Raise BlockError for what is no such bytes, and DamagedBlock for what were."""
    most_bytes = _size(MOST_PROCESSES, MOST_PROCESSES)
    body = unpacked(bytes(verified(stored, 0, 0)), most_bytes, of="use")
    if len(body) < _HEAD.size:
        raise BlockError("use without a head")
    version, count, boots = _HEAD.unpack_from(body)
    if version != VERSION or len(body) != _size(count, boots):
        raise BlockError(f"use of version {version} with {count} processes has {len(body)} bytes")
    at = _HEAD.size
    ids = [bytes(body[at + _BOOT_BYTES * boot : at + _BOOT_BYTES * (boot + 1)]) for boot in range(boots)]
    at += _BOOT_BYTES * boots
    columns: dict[str, list[int]] = {}
    for name, kind in _COLUMNS:
        columns[name] = np.frombuffer(body, kind, count, at).tolist()
        at += np.dtype(kind).itemsize * count
    floats = np.frombuffer(body, "<f8", _FLOATS * count, at).reshape(_FLOATS, count)
    summed = np.frombuffer(body, "<f8", _SUMMED, at + floats.nbytes)
    use = Use.nothing(edges_ns)
    use.seconds[0] = summed[0]
    use.whole[0], use.machine[0] = summed[1:].reshape(2, len(QUANTITIES))
    held = floats[:3].T.tolist()
    amounts = np.ascontiguousarray(floats[3:].T)
    for process, (first_bytes, last_bytes, high_bytes) in enumerate(held):
        owner = Owner(ids[columns["boot"][process]], columns["pid"][process], columns["start"][process])
        use.amounts[owner] = {0: amounts[process]}
        use.stays[owner] = Stay(
            columns["first_ns"][process],
            columns["last_ns"][process],
            first_bytes,
            last_bytes,
            high_bytes,
            columns["core"][process],
        )
    return use


def _size(count: int, boots: int) -> int:
    per_process = sum(np.dtype(kind).itemsize for _, kind in _COLUMNS) + 8 * _FLOATS
    return _HEAD.size + _BOOT_BYTES * boots + per_process * count + 8 * _SUMMED
