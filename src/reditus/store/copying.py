"""Rows of blocks in PostgreSQL's binary COPY form (its manual, "COPY", Binary Format; arrays as in array_send).

The driver can write it too, but takes a millisecond for the offsets of one block: number by number.
"""

import struct
from collections.abc import Sequence
from uuid import UUID

import numpy as np
from sqlalchemy.orm import Session

from reditus.core.blocks import Block
from reditus.store.driver import driver_of

COPY = """
copy blocks (host_id, archive_id, layout_id, first_ns, last_ns, boot, interval_ns, ticks, offsets, data)
from stdin (format binary)
"""
_SIGNATURE = b"PGCOPY\n\xff\r\n\0" + struct.pack("!ii", 0, 0)
_END = struct.pack("!h", -1)
_FIELDS = 10
_INT4 = 23
"""PostgreSQL's own number for the type of the offsets."""
# Each field after its length: two ids, the layout, two times, the boot, the interval, and the ticks.
_FRONT = struct.Struct("!hi16si16siiiqiqi16siqii")
_ARRAY = struct.Struct("!iiiiii")


def copy_rows(session: Session, rows: Sequence[tuple[UUID, int, Block]]) -> None:
    """Insert blocks, each with its host and the id of its layout."""
    with driver_of(session).cursor() as cursor, cursor.copy(COPY) as copy:
        copy.write(b"".join([_SIGNATURE, *(_row(*row) for row in rows), _END]))


def _row(host: UUID, layout: int, block: Block) -> bytes:
    offsets = np.empty((len(block.offsets), 2), dtype=">i4")
    offsets[:, 0] = 4
    offsets[:, 1] = block.offsets
    front = _FRONT.pack(
        _FIELDS, 16, host.bytes, 16, block.archive.bytes, 4, layout, 8, block.first_ns, 8, block.last_ns,
        16, block.boot.bytes, 8, block.interval_ns, 4, block.ticks,
    )  # fmt: skip
    array = _ARRAY.pack(20 + offsets.nbytes, 1, 0, _INT4, len(offsets), 1)
    return b"".join([front, array, offsets.tobytes(), struct.pack("!i", len(block.data)), block.data])
