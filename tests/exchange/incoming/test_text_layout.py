"""Text that programs print at an interval: three shapes, guessed and read; none is a program's own."""

import pytest

from reditus.exchange.incoming.looking import look_at
from reditus.exchange.incoming.mapping import MappingError
from reditus.exchange.incoming.readers import ImportOptions, read_incoming
from reditus.exchange.incoming.text_layout import TextLayout, guessed_layout, rows_of

COLUMNS = """\
press-7 two presses watched by hand   13.11.2026

when      press   parcels/s   wait   jam
23:59:58  left         4.50    0.2     0
23:59:58  right        3.00    0.1     -

when      press   parcels/s   wait   jam
23:59:59  left         4.75    0.3     1
23:59:59  right        2.00    0.1     0
00:00:00  left         1.00    0.1     0
Mean:     left         3.40    0.2     0
"""
PAIRS = """\
2026-11-13T01:00:00Z level=info queue=mail waiting=5 oldest=1.5
2026-11-13T01:00:01Z level=info queue=mail waiting=7 oldest=2.5
2026-11-13T01:00:01Z level=info queue=print waiting=0 oldest=0
2026-11-13T01:00:02Z level=info queue=mail waiting=6 oldest=3.5
"""
BLOCKS = """\
=== state at 2026-11-13 01:00:00
open orders:       12
tills              3
=== state at 2026-11-13 01:01:00
open orders:       15
tills              3
=== state at 2026-11-13 01:02:00
open orders:       11
"""


def read(text, **changes):
    layout = guessed_layout(text).model_copy(update=changes)
    return layout, [(row.time, row.name, row.device, row.value) for row in rows_of(text.splitlines(), layout)]


def test_columns_under_a_head_that_is_repeated():
    layout, rows = read(COLUMNS, date="2026-11-12", ignore=["Mean:"])
    assert (layout.shape, layout.times, layout.devices, layout.form) == ("columns", [0], [1], "time")
    assert rows[:3] == [
        ("2026-11-12 23:59:58", "parcels/s", "left", "4.50"),
        ("2026-11-12 23:59:58", "wait", "left", "0.2"),
        ("2026-11-12 23:59:58", "jam", "left", "0"),
    ]
    # The next day begins where times begin again.
    assert rows[-1] == ("2026-11-13 00:00:00", "jam", "left", "0")
    assert len(rows) == 15


def test_the_head_is_the_line_nearest_to_the_numbers():
    text = "made by hand today\nwhen press parcels wait\n01:00:00 left 4 0.5\n01:00:01 left 5 0.5\n"
    layout = guessed_layout(text)
    assert (layout.head, layout.devices) == (["when", "press", "parcels", "wait"], [1])


def test_pairs():
    layout, rows = read(PAIRS, devices=[1])
    assert layout.shape == "pairs"
    assert rows[:2] == [
        ("2026-11-13T01:00:00Z", "waiting", "mail", "5"), ("2026-11-13T01:00:00Z", "oldest", "mail", "1.5"),
    ]  # fmt: skip
    assert ("2026-11-13T01:00:01Z", "waiting", "print", "0") in rows


def test_blocks():
    layout, rows = read(BLOCKS)
    assert (layout.shape, layout.begin) == ("blocks", "=== state at ")
    assert rows == [
        ("2026-11-13 01:00:00", "open orders", "", "12"), ("2026-11-13 01:00:00", "tills", "", "3"),
        ("2026-11-13 01:01:00", "open orders", "", "15"), ("2026-11-13 01:01:00", "tills", "", "3"),
        ("2026-11-13 01:02:00", "open orders", "", "11"),
    ]  # fmt: skip


def test_blocks_of_tables():
    head = "name  used  free\n"
    text = f"at 2026-11-13 01:00:00\n{head}a  1  2\nb  3  4\nat 2026-11-13 01:00:05\n{head}a  2  1\n"
    layout = TextLayout(shape="blocks", begin="at ", head=["name", "used", "free"], devices=[0])
    rows = [(row.time, row.name, row.device, row.value) for row in rows_of(text.splitlines(), layout)]
    assert rows[:2] == [("2026-11-13 01:00:00", "used", "a", "1"), ("2026-11-13 01:00:00", "free", "a", "2")]
    assert rows[-1] == ("2026-11-13 01:00:05", "free", "a", "1")


@pytest.mark.parametrize("text", ["", "dear reader,\nall is well\n", "1 2 3\n4 5 6\n", "a b c\nd e f\n"])
def test_what_has_none_of_the_shapes(text):
    assert guessed_layout(text) is None


@pytest.mark.parametrize(
    ("layout", "said"),
    [
        ({"shape": "columns"}, "columns need a head"),
        ({"shape": "columns", "head": ["a"], "times": [0], "form": "time"}, "on which day"),
        ({"shape": "columns", "head": ["a"], "times": [0], "form": "time", "date": "2026-13-01"}, "no day"),
    ],
)
def test_what_cannot_be(layout, said):
    with pytest.raises(MappingError, match=said):
        list(rows_of(["x"], TextLayout.model_validate(layout)))


def test_printed_text_becomes_an_archive(tmp_path):
    path = tmp_path / "press.txt"
    path.write_text(COLUMNS)
    look = look_at(path, path.name, None)
    assert look.layout is not None
    assert look.layout.shape == "columns"
    assert "on which day it begins" in look.problem
    layout = look.layout.model_copy(update={"date": "2026-11-12", "ignore": ["Mean:"]})
    seen = look_at(path, path.name, None, layout)
    assert seen.problem is None
    assert [(column.name, column.device) for column in seen.names][:2] == [("parcels/s", "left"), ("wait", "left")]
    assert seen.names[0].values[:2] == [4.5, 4.75]
    options = ImportOptions(layout=layout, host="packing")
    incoming = read_incoming(path, path.name, options, tmp_path / "made.zip", "2026-11-30T00:00:00Z", lambda _: None)
    assert (incoming.file.head.host_name, incoming.file.ticks) == ("packing", 3)
    names = {(column.counter, column.attributes) for schema in incoming.file.head.schemas for column in schema.columns}
    assert ("parcels/s", (("device", "left"),)) in names
    assert sorted(item.name for item in tmp_path.iterdir()) == ["made.zip", "press.txt"]


def test_what_is_guessed_is_read_without_a_layout(tmp_path):
    path = tmp_path / "state.txt"
    path.write_text(BLOCKS)
    target = tmp_path / "made.zip"
    incoming = read_incoming(path, path.name, ImportOptions(), target, "2026-11-30T00:00:00Z", lambda _: None)
    assert incoming.file.ticks == 3
