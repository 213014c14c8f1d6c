"""What a machine's firmware says of its parts: a reader of the SMBIOS structure table (DMTF DSP0134, version 3).

The table is a row of structures: type, length of the formatted part, handle, the formatted part, then its texts, each
ended by a zero byte and all of them by a second one. Firmware lies: lengths are checked against what is there, and what
cannot be is left out. Serial numbers and other marks of one piece of hardware are not read.
"""

import struct
from collections.abc import Iterator
from dataclasses import dataclass

from reditus.core.fact_parts import ModuleFacts

MOST_BYTES = 1 << 20
MOST_STRUCTURES = 4_096
MOST_TEXT = 120
SYSTEM, BOARD, CHASSIS, PROCESSOR, MEMORY_DEVICE, END = 1, 2, 3, 4, 17, 127
HEADER = struct.Struct("<BBH")
MEBIBYTE, KIBIBYTE = 1 << 20, 1 << 10
# DSP0134, Memory Device, Type: the ones that are met today.
MEMORY_KINDS = {
    0x12: "DDR", 0x13: "DDR2", 0x18: "DDR3", 0x1A: "DDR4", 0x1B: "LPDDR", 0x1C: "LPDDR2", 0x1D: "LPDDR3",
    0x1E: "LPDDR4", 0x20: "HBM", 0x21: "HBM2", 0x22: "DDR5", 0x23: "LPDDR5", 0x24: "HBM3",
}  # fmt: skip
# What firmware writes where its maker filled nothing in.
EMPTY = {"", "to be filled by o.e.m.", "not specified", "none", "unknown", "default string", "system product name"}


@dataclass(frozen=True, slots=True)
class Firmware:
    """What the table says of the machine, and what of it could not be read."""

    maker: str | None = None
    model: str | None = None
    board: str | None = None
    sockets: int = 0
    """Processors that are plugged in."""
    modules: tuple[ModuleFacts, ...] = ()
    problem: str | None = None
    """Where the table ends before it should, in words."""


@dataclass(frozen=True, slots=True)
class _Structure:
    kind: int
    body: bytes
    """The formatted part, header included: offsets are those of the standard."""
    texts: tuple[str, ...]

    def byte(self, at: int) -> int | None:
        return self.body[at] if at < len(self.body) else None

    def word(self, at: int) -> int | None:
        return int.from_bytes(self.body[at : at + 2], "little") if at + 2 <= len(self.body) else None

    def double(self, at: int) -> int | None:
        return int.from_bytes(self.body[at : at + 4], "little") if at + 4 <= len(self.body) else None

    def text(self, at: int) -> str | None:
        """Texts are numbered from one; 0 is none."""
        number = self.byte(at) or 0
        found = self.texts[number - 1] if 0 < number <= len(self.texts) else ""
        return None if found.lower() in EMPTY else found


def read_firmware(table: bytes) -> Firmware:
    """Read a whole table, as /sys/firmware/dmi/tables/DMI has it. Never raises: a table that is cut short or lies about
    its lengths gives what stands before that, and says so.
    """
    found: list[_Structure] = []
    problem = None
    try:
        for structure in _structures(table):
            found.append(structure)
    except ValueError as why:
        problem = str(why)
    system = next((item for item in found if item.kind == SYSTEM), None)
    board = next((item for item in found if item.kind == BOARD), None)
    return Firmware(
        maker=system.text(4) if system else None,
        model=system.text(5) if system else None,
        board=" ".join(filter(None, (board.text(4), board.text(5)))) or None if board else None,
        sockets=sum(_is_populated(item) for item in found if item.kind == PROCESSOR),
        modules=tuple(_module(item) for item in found if item.kind == MEMORY_DEVICE),
        problem=problem,
    )


def _structures(table: bytes) -> Iterator[_Structure]:
    if len(table) > MOST_BYTES:
        raise ValueError(f"the table has {len(table)} bytes, more than the {MOST_BYTES} that are read")
    at = 0
    for number in range(MOST_STRUCTURES):
        if at + HEADER.size > len(table):
            raise ValueError(f"the table ends at byte {len(table)}, within structure {number}")
        kind, length, _ = HEADER.unpack_from(table, at)
        if length < HEADER.size or at + length > len(table):
            raise ValueError(f"structure {number} says that it has {length} bytes, where {len(table) - at} are left")
        end = table.find(b"\0\0", at + length)
        if end < 0:
            raise ValueError(f"the texts of structure {number} do not end")
        texts = tuple(_clean(text) for text in table[at + length : end].split(b"\0"))
        yield _Structure(kind, table[at : at + length], texts)
        if kind == END:
            return
        at = end + 2
    raise ValueError(f"the table has more than {MOST_STRUCTURES} structures")


def _clean(text: bytes) -> str:
    plain = "".join(letter for letter in text.decode("latin-1") if letter.isprintable())
    return " ".join(plain.split())[:MOST_TEXT]


def _is_populated(processor: _Structure) -> bool:
    """Status, bit 6: the socket is populated."""
    status = processor.byte(0x18)
    return status is not None and bool(status & 0x40)


def _module(device: _Structure) -> ModuleFacts:
    speed = device.word(0x20) or device.word(0x15)
    return ModuleFacts(
        slot=device.text(0x10) or device.text(0x11) or "unnamed",
        size_bytes=_size_bytes(device),
        kind=MEMORY_KINDS.get(device.byte(0x12) or 0),
        speed_per_s=speed * 1_000_000 if speed and speed != 0xFFFF else None,
        maker=device.text(0x17),
    )


def _size_bytes(device: _Structure) -> int | None:
    """Size: bit 15 set counts in KiB, else in MiB; 0x7FFF refers to Extended Size, 0xFFFF is unknown."""
    size = device.word(0x0C)
    if size is None or size == 0xFFFF:
        return None
    if size == 0x7FFF:
        extended = device.double(0x1C)
        return None if extended is None else (extended & 0x7FFF_FFFF) * MEBIBYTE
    return (size & 0x7FFF) * (KIBIBYTE if size & 0x8000 else MEBIBYTE)
