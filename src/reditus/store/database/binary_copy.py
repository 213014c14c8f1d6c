"""Rows of blocks in PostgreSQL's binary COPY form (its manual, "COPY", Binary Format)."""

import struct
from collections.abc import Sequence
from uuid import UUID

from sqlalchemy.orm import Session

from reditus.core.blocks import Block
from reditus.store.database.connection import driver_of
from reditus.store.database.offset_table import stored

COPY = """
copy blocks (host_id, archive_id, schema_id, first_ns, last_ns, boot, interval_ns, ticks, directory, data)
from stdin (format binary)
"""
_SIGNATURE = b"PGCOPY\n\xff\r\n\0" + struct.pack("!ii", 0, 0)
_END = struct.pack("!h", -1)
_FIELDS = 10
# Each field after its length: two ids, the schema, two times, the boot, the interval, and the ticks; the directory's
# length at the end.
_FRONT = struct.Struct("!hi16si16siiiqiqi16siqiii")
_LENGTH = struct.Struct("!i")


def copy_rows(session: Session, rows: Sequence[tuple[UUID, int, Block]]) -> None:
    """Insert blocks, each with its host and the id of its schema; those of earlier formats in today's."""
    with driver_of(session).cursor() as cursor, cursor.copy(COPY) as copy:
        copy.write(b"".join([_SIGNATURE, *(_row(*row) for row in rows), _END]))


def _row(host: UUID, schema: int, block: Block) -> bytes:
    block = block.current()
    directory = stored(block.directory)
    front = _FRONT.pack(
        _FIELDS, 16, host.bytes, 16, block.archive.bytes, 4, schema, 8, block.first_ns, 8, block.last_ns,
        16, block.boot.bytes, 8, block.interval_ns, 4, block.ticks,
        len(directory),
    )  # fmt: skip
    return b"".join([front, directory, _LENGTH.pack(len(block.data)), block.data])
