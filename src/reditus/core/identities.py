"""Who processes are: told once each, in the batch with the ticks that first hold their number.

The bytes (little-endian), a record like a block and standing among blocks:

    0    4   magic b"RDTN"
    4    2   format version
    6    2   reserved, 0
    8    16  archive (UUID)
    24   16  boot id (UUID)
    40   4   length of the JSON
    44   ..  JSON: a list of identities, UTF-8
    ..   4   CRC-32 of everything before it
"""

import json
import struct
import zlib
from collections.abc import Iterator, Sequence
from dataclasses import asdict, dataclass
from uuid import UUID

from reditus.core.blocks import Block, read_block
from reditus.core.errors import BlockError, BlockVersionError

MAGIC = b"RDTN"
VERSION = 1
MAX_JSON_BYTES = 1 << 20
MAX_TEXT = 500
_HEAD = struct.Struct("<4sHH16s16sI")
_CRC = struct.Struct("<I")


@dataclass(frozen=True, slots=True)
class Identity:
    """A process of one boot. A number is given again after a process ended; its start tells them apart."""

    pid: int
    start: int
    """When it began: clock ticks since the machine started, as /proc/PID/stat tells it."""
    name: str
    user: str
    group: str
    """Its control group's path."""
    parent: int
    arguments: str | None = None
    """None unless the plan asks for them: they may hold secrets."""


@dataclass(frozen=True, slots=True)
class Identities:
    archive: UUID
    boot: UUID
    processes: tuple[Identity, ...]

    def to_bytes(self) -> bytes:
        told = json.dumps([asdict(one) for one in self.processes], separators=(",", ":"), ensure_ascii=False).encode()
        body = _HEAD.pack(MAGIC, VERSION, 0, self.archive.bytes, self.boot.bytes, len(told)) + told
        return body + _CRC.pack(zlib.crc32(body))


def read_batch(batch: bytes) -> Iterator[Block | Identities]:
    """Everything in a batch, in its order. Raise BlockError, saying what is wrong and at which byte."""
    if not batch:
        raise BlockError("the body is empty; a batch holds at least one block")
    start, whole = 0, memoryview(batch)
    while start < len(batch):
        read = _read_identities if bytes(whole[start : start + 4]) == MAGIC else read_block
        record, start = read(whole, start)
        yield record


def split(records: Sequence[Block | Identities]) -> tuple[list[Block], list[Identities]]:
    return (
        [one for one in records if isinstance(one, Block)],
        [one for one in records if isinstance(one, Identities)],
    )


def _read_identities(batch: memoryview, start: int) -> tuple[Identities, int]:
    where = f"the list of processes at byte {start}"
    if len(batch) - start < _HEAD.size:
        raise BlockError(f"{where} is cut off: a head has {_HEAD.size} bytes, {len(batch) - start} left")
    _, version, _, archive, boot, length = _HEAD.unpack_from(batch, start)
    if version > VERSION:
        raise BlockVersionError(f"{where} has format version {version}; this Reditus reads up to {VERSION}")
    if length > MAX_JSON_BYTES:
        raise BlockError(f"{where} breaks a limit: at most {MAX_JSON_BYTES} bytes, not {length}")
    end = start + _HEAD.size + length + _CRC.size
    if len(batch) < end:
        raise BlockError(f"{where} is cut off: it wants {end - start} bytes, {len(batch) - start} left")
    if _CRC.unpack_from(batch, end - _CRC.size)[0] != zlib.crc32(batch[start : end - _CRC.size]):
        raise BlockError(f"{where} is damaged: its checksum does not match; send it again")
    try:
        told = json.loads(bytes(batch[start + _HEAD.size : end - _CRC.size]))
        processes = tuple(_identity(one) for one in told)
    except (ValueError, TypeError, KeyError) as why:
        raise BlockError(f"{where} is not a list of pid, start, name, user, group and parent: {why!r}") from why
    return Identities(UUID(bytes=archive), UUID(bytes=boot), processes), end


def _identity(told: dict[str, object]) -> Identity:
    arguments = told.get("arguments")
    return Identity(
        pid=_whole(told["pid"]),
        start=_whole(told["start"]),
        name=_text(told["name"]),
        user=_text(told["user"]),
        group=_text(told["group"]),
        parent=_whole(told["parent"]),
        arguments=None if arguments is None else _text(arguments),
    )


def _whole(value: object) -> int:
    if not isinstance(value, int) or isinstance(value, bool) or not 0 <= value < 1 << 63:
        raise ValueError(f"{value!r} is not a whole number")
    return value


def _text(value: object) -> str:
    # PostgreSQL keeps no NUL in text.
    if not isinstance(value, str) or len(value) > MAX_TEXT or "\0" in value:
        raise ValueError(f"{value!r} is not a text of at most {MAX_TEXT} characters")
    return value
