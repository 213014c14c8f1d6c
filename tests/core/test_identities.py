"""Who processes are, on the wire."""

from uuid import UUID

import pytest
from hypothesis import given
from hypothesis import strategies as st

from builders import ARCHIVE, a_block
from reditus.core.batches import read_batch, read_records
from reditus.core.errors import BlockError, BlockVersionError
from reditus.core.identities import Identities, Identity

BOOT = UUID(int=7)
STITCH = Identity(pid=12, start=3400, name="stitch (tiles)", user="lab", group="/lab", parent=1)
TEXT = st.text(st.characters(exclude_characters="\0", exclude_categories=["Cs"]), max_size=200)
NUMBER = st.integers(0, (1 << 63) - 1)


@given(st.builds(Identity, pid=NUMBER, start=NUMBER, name=TEXT, user=TEXT, group=TEXT, parent=NUMBER,
                 arguments=st.none() | TEXT))  # fmt: skip
def test_they_come_back_as_they_went(item):
    answer = Identities(ARCHIVE, BOOT, (item,))
    assert list(read_records(answer.to_bytes() * 2)) == [answer, answer]


def test_blocks_and_identities_are_reported_apart():
    answer, block = Identities(ARCHIVE, BOOT, (STITCH,)), a_block()
    batch = read_batch(block.to_bytes() + answer.to_bytes() + block.to_bytes())
    assert (batch.blocks, batch.identities, batch.markers) == ([block, block], [answer], [])


@pytest.mark.parametrize(
    ("damage", "said"),
    [
        (lambda raw: raw[:20], "cut off"),
        (lambda raw: raw[:-1], "cut off"),
        (lambda raw: raw[:50] + b"x" + raw[51:], "damaged"),
        (lambda raw: raw[:40] + b"\xff\xff\xff\x7f" + raw[44:], "breaks a limit"),
    ],
)
def test_damage_is_reported(damage, said):
    raw = Identities(ARCHIVE, BOOT, (STITCH,)).to_bytes()
    with pytest.raises(BlockError, match=said):
        list(read_records(damage(raw)))


def test_a_newer_version_is_not_guessed_at():
    raw = bytearray(Identities(ARCHIVE, BOOT, (STITCH,)).to_bytes())
    raw[4] = 2
    with pytest.raises(BlockVersionError, match="version 2"):
        list(read_records(bytes(raw)))


@pytest.mark.parametrize("change", [{"pid": -1}, {"pid": "12"}, {"name": "a\0b"}, {"user": "u" * 501}])
def test_what_makes_no_sense_is_refused(change):
    odd = Identity(**{**{"pid": 1, "start": 2, "name": "n", "user": "u", "group": "", "parent": 0}, **change})
    with pytest.raises(BlockError, match=r"is not one of pid|U\+0000"):
        list(read_records(Identities(ARCHIVE, BOOT, (odd,)).to_bytes()))
