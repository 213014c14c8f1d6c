"""What stands in a batch beside blocks: lists in JSON, each in an envelope that tells if it came whole.

The bytes (little-endian):

    0    4   magic: b"RDTN" who processes are (identities), b"RDTL" markers (markers)
    4    2   format version
    6    2   reserved, 0
    8    16  archive (UUID)
    24   16  boot id (UUID)
    40   4   length of the JSON
    44   ..  JSON: a list, UTF-8
    ..   4   CRC-32 of everything before it
"""

import json
import struct
import zlib
from dataclasses import dataclass
from typing import Any
from uuid import UUID

from reditus.core.errors import BlockError, BlockVersionError
from reditus.core.outside import OutsideError, strict_json, text_problem, whole_problem

VERSION = 1
LONGEST_JSON_BYTES = 1 << 20
MAX_TEXT = 500
_HEAD = struct.Struct("<4sHH16s16sI")
_CRC = struct.Struct("<I")


@dataclass(frozen=True, slots=True)
class Envelope:
    """What every record that is no block has in common: whose it is, and a JSON payload."""

    magic: bytes
    archive: UUID
    boot: UUID
    payload: list[Any]

    def to_bytes(self) -> bytes:
        """Head, payload and CRC, as docs/blocks.md describes them."""
        payload = json.dumps(self.payload, separators=(",", ":"), ensure_ascii=False).encode()
        body = _HEAD.pack(self.magic, VERSION, 0, self.archive.bytes, self.boot.bytes, len(payload)) + payload
        return body + _CRC.pack(zlib.crc32(body))


def read_envelope(batch: memoryview, start: int) -> tuple[Envelope, int]:
    """The envelope that begins at a byte of a batch, and the byte after it. Raise BlockError where there is none."""
    where = f"the list at byte {start}"
    if len(batch) - start < _HEAD.size:
        raise BlockError(f"{where} is cut off: a head has {_HEAD.size} bytes, {len(batch) - start} left")
    magic, version, _, archive, boot, length = _HEAD.unpack_from(batch, start)
    if version > VERSION:
        raise BlockVersionError(f"{where} has format version {version}; this Reditus reads up to {VERSION}")
    if length > LONGEST_JSON_BYTES:
        raise BlockError(f"{where} breaks a limit: at most {LONGEST_JSON_BYTES} bytes, not {length}")
    end = start + _HEAD.size + length + _CRC.size
    if len(batch) < end:
        raise BlockError(f"{where} is cut off: it wants {end - start} bytes, {len(batch) - start} left")
    if _CRC.unpack_from(batch, end - _CRC.size)[0] != zlib.crc32(batch[start : end - _CRC.size]):
        raise BlockError(f"{where} is damaged: its checksum does not match; send it again")
    try:
        payload = strict_json(bytes(batch[start + _HEAD.size : end - _CRC.size]))
    except OutsideError as why:
        raise BlockError(f"{where} cannot be taken: {why}") from why
    if not isinstance(payload, list) or not all(isinstance(entry, dict) for entry in payload):
        raise BlockError(f"{where} is not a list of objects")
    return Envelope(magic, UUID(bytes=archive), UUID(bytes=boot), payload), end


def checked_whole(value: object) -> int:
    """A whole number, not negative. Raise ValueError for anything else."""
    if problem := whole_problem(value):
        raise ValueError(problem)
    assert isinstance(value, int)
    return value


def checked_text(value: object, longest: int = MAX_TEXT) -> str:
    """A text that everything can keep. Raise ValueError for anything else."""
    if problem := text_problem(value, longest):
        raise ValueError(problem)
    assert isinstance(value, str)
    return value
