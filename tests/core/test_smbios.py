"""Reading the firmware's table: what stands in it, and what of a broken one still can be read."""

import struct

import pytest
from hypothesis import given
from hypothesis import strategies as st

from reditus.core.fact_parts import ModuleFacts
from reditus.core.smbios import Firmware, read_firmware


def structure(kind, body, *texts):
    """`body` begins behind the header."""
    ended = b"".join(text.encode() + b"\0" for text in texts) or b"\0"
    return struct.pack("<BBH", kind, len(body) + 4, kind) + body + ended + b"\0"


def a_module(size, extended=0, kind=0x1A, speed=3_200):
    body = bytearray(0x28 - 4)
    struct.pack_into("<H", body, 0x0C - 4, size)
    body[0x10 - 4], body[0x12 - 4], body[0x17 - 4] = 1, kind, 2
    struct.pack_into("<H", body, 0x15 - 4, speed)
    struct.pack_into("<I", body, 0x1C - 4, extended)
    struct.pack_into("<H", body, 0x20 - 4, speed)
    return structure(17, bytes(body), "DIMM A1", "Maker of Modules")


def a_processor(status):
    body = bytearray(0x2A - 4)
    body[0x18 - 4] = status
    return structure(4, bytes(body), "CPU 0")


SYSTEM = structure(1, bytes([1, 2, 0, 3]) + bytes(16), "Fernhold Works", "Press 9", "SERIAL-4711")
BOARD = structure(2, bytes([1, 2]), "Fernhold Works", "B-12")
END = structure(127, b"")
WHOLE = (
    SYSTEM
    + BOARD
    + a_processor(0x41)
    + a_processor(0x00)
    + a_module(0x4000)
    + a_module(0x7FFF, 65_536)
    + a_module(0)
    + END
)


def test_a_whole_table_is_read():
    found = read_firmware(WHOLE)
    assert (found.maker, found.model, found.board) == ("Fernhold Works", "Press 9", "Fernhold Works B-12")
    assert found.sockets == 1
    assert [item.size_bytes for item in found.modules] == [16 << 30, 64 << 30, 0]
    assert found.modules[0] == ModuleFacts("DIMM A1", 16 << 30, "DDR4", 3_200_000_000, "Maker of Modules")
    assert found.problem is None


def test_marks_of_one_piece_of_hardware_are_not_read():
    assert "SERIAL-4711" not in repr(read_firmware(WHOLE))


@pytest.mark.parametrize(
    ("size", "size_bytes"), [(0xFFFF, None), (0x8400, 1 << 20), (0x0800, 2 << 30)], ids=["unknown", "KiB", "MiB"]
)
def test_sizes_come_in_three_ways(size, size_bytes):
    assert read_firmware(a_module(size) + END).modules[0].size_bytes == size_bytes


def test_what_stands_before_a_cut_is_read():
    found = read_firmware(WHOLE[: len(SYSTEM) + len(BOARD) + 3])
    assert (found.model, found.board) == ("Press 9", "Fernhold Works B-12")
    assert found.problem == f"the table ends at byte {len(SYSTEM) + len(BOARD) + 3}, within structure 2"


@pytest.mark.parametrize(
    ("table", "says"),
    [
        (b"", "the table ends at byte 0, within structure 0"),
        (SYSTEM + b"\x04\xff\0\0short", "structure 1 says that it has 255 bytes, where 9 are left"),
        (SYSTEM + b"\x04\x02\0\0\0\0", "structure 1 says that it has 2 bytes, where 6 are left"),
        (SYSTEM[:-2], "the texts of structure 0 do not end"),
        (structure(9, b"") * 5_000, "the table has more than 4096 structures"),
        (bytes(2 << 20), "the table has 2097152 bytes, more than the 1048576 that are read"),
    ],
    ids=["nothing", "too long", "too short", "endless text", "too many", "too big"],
)
def test_a_table_that_lies_is_said_to(table, says):
    assert read_firmware(table).problem == says


def test_what_no_maker_filled_in_is_left_out():
    assert read_firmware(structure(1, bytes([1, 2]), "To Be Filled By O.E.M.", "Default string") + END) == Firmware()


@given(st.binary(max_size=400))
def test_no_bytes_make_it_raise(table):
    read_firmware(table)


@given(st.integers(0, len(WHOLE) - 1), st.integers(0, 255))
def test_no_wrong_byte_makes_it_raise(at, value):
    read_firmware(WHOLE[:at] + bytes([value]) + WHOLE[at + 1 :])
