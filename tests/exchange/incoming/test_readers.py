"""Anybody's files: recognised, guessed, read into counters, or refused with a sentence."""

import csv
import gzip
import json
import math
from contextlib import suppress
from datetime import datetime, timedelta
from io import StringIO
from zoneinfo import ZoneInfo

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
import zstandard
from hypothesis import HealthCheck, assume, given, settings
from hypothesis import strategies as st

from incoming_values import series_of
from reditus.core.errors import Cancelled, ReditusError
from reditus.core.rfc3339 import parse_time, spell_time
from reditus.core.types import NS_PER_S
from reditus.exchange.incoming.guessing import guess
from reditus.exchange.incoming.looking import look_at, signature_of
from reditus.exchange.incoming.mapping import MappingError, TableMapping
from reditus.exchange.incoming.readers import ImportOptions, read_incoming, recognised
from reditus.exchange.incoming.rows import sample_of

MADE = "2026-11-30T00:00:00Z"
BEGIN_NS = parse_time("2026-11-13T01:00:00Z")


def read(path, name=None, **options):
    target = path.with_suffix(".made")
    target.unlink(missing_ok=True)
    return read_incoming(path, name or path.name, ImportOptions(**options), target, MADE, lambda _: None)


def numbers(incoming):
    """By counter and attributes: the times, and the values in the counter's unit."""
    return {(column.counter, tuple(column.attributes)): found for column, found in series_of(incoming).items()}


def file(tmp_path, text, name="a.csv"):
    path = tmp_path / name
    path.write_bytes(text if isinstance(text, bytes) else text.encode())
    return path


def seconds(count, form="%Y-%m-%d %H:%M:%S"):
    start = datetime(2026, 11, 13, 1, 0, 0)  # noqa: DTZ001 -- spelled without a zone
    return [(start + timedelta(seconds=second)).strftime(form) for second in range(count)]


def test_a_plain_table(tmp_path):
    rows = "\n".join(f"{when},{number},{number * 2.5}" for number, when in enumerate(seconds(5)))
    incoming = read(file(tmp_path, f"Time,Requests,Latency (ms)\n{rows}\n"))
    found = numbers(incoming)
    times, requests = found["Requests", ()]
    assert times == [BEGIN_NS + second * NS_PER_S for second in range(5)]
    assert requests == [0, 1, 2, 3, 4]
    assert found["Latency", ()][1] == pytest.approx([0, 0.0025, 0.005, 0.0075, 0.01])
    kinds = {column.counter: column for column in incoming.file.head.schemas[0].columns}
    assert kinds["Requests"].kind.value == "cumulative"
    assert kinds["Latency"].unit == "s"
    assert any("UTC" in remark for remark in incoming.remarks)
    assert any("Requests: never fall" in remark for remark in incoming.remarks)
    assert incoming.file.head.host_name == "a"


def test_heads_of_several_rows_decimal_commas_and_missing_cells(tmp_path):
    rows = ["12.11.2026 23:59:58;1,5;;x", "12.11.2026 23:59:59;-2,25;7;x", "13.11.2026 00:00:00;1.000,5;8;x"]
    text = "\n".join(
        ["Report of plant 3", "made by someone;yes", "", "Datum;Temp;Fill", "", "Datum;Temp;Fill;Note", ";°C;%;", *rows]
    )
    incoming = read(file(tmp_path, text), mapping=None)
    found = numbers(incoming)
    assert found["Temp", ()][1] == [1.5, -2.25, 1000.5]
    assert np.isnan(found["Fill", ()][1][0])
    assert found["Fill", ()][1][1:] == [7, 8]
    assert {column.unit for column in incoming.file.head.schemas[0].columns} == {"Cel", "%"}
    assert ("Note", ()) not in found
    assert any("day first" in remark for remark in incoming.remarks)


@pytest.mark.parametrize(
    ("spell", "form"),
    [
        (spell_time, "iso"),
        (lambda at: str(at // NS_PER_S), "epoch-s"),
        (lambda at: str(at // 10**6), "epoch-ms"),
        (lambda at: f"{at / NS_PER_S:.3f}", "epoch-s"),
        (lambda at: datetime.fromtimestamp(at / NS_PER_S, ZoneInfo("UTC")).strftime("%d/%b/%Y:%H:%M:%S +0000"), None),
        (lambda at: datetime.fromtimestamp(at / NS_PER_S, ZoneInfo("UTC")).strftime("%m/%d/%Y %I:%M:%S %p"), None),
        (lambda at: datetime.fromtimestamp(at / NS_PER_S, ZoneInfo("UTC")).strftime("%a %b %d %H:%M:%S %Y"), None),
        (lambda at: datetime.fromtimestamp(at / NS_PER_S, ZoneInfo("UTC")).strftime("%Y-%m-%d,%H:%M:%S"), "iso"),
    ],
)
def test_times_in_any_notation(tmp_path, spell, form):
    rows = "\n".join(f"{spell(BEGIN_NS + second * NS_PER_S)},{second % 3}.5" for second in range(6))
    heads = "date,time,x" if "%Y-%m-%d,%H" in rows or rows.split("\n")[0].count(",") == 2 else "when,x"
    path = file(tmp_path, f"{heads}\n{rows}\n")
    if form is not None:
        assert guess(sample_of(path)).mapping.time.form == form
    assert numbers(read(path))["x", ()][0] == [BEGIN_NS + second * NS_PER_S for second in range(6)]


def test_an_hour_that_is_there_twice(tmp_path):
    zone = ZoneInfo("Europe/Berlin")
    begin = datetime(2026, 10, 25, 0, 30, tzinfo=ZoneInfo("UTC"))
    moments = [begin + timedelta(minutes=15 * step) for step in range(8)]
    rows = "\n".join(f"{moment.astimezone(zone):%Y-%m-%d %H:%M:%S},{step % 3}" for step, moment in enumerate(moments))
    path = file(tmp_path, f"when,x\n{rows}\n")
    mapping = guess(sample_of(path)).mapping
    local = mapping.model_copy(update={"time": mapping.time.model_copy(update={"zone": "Europe/Berlin"})})
    times, _ = numbers(read(path, mapping=local.model_dump()))["x", ()]
    assert times == [int(moment.timestamp()) * NS_PER_S for moment in moments]


def test_names_of_any_punctuation_and_names_twice(tmp_path):
    out = StringIO()
    writer = csv.writer(out)
    writer.writerow(["when", 'say "hi", {x=1}; ~', "x", "x", "=1+1"])
    writer.writerows([when, step % 2, step % 3, -step, 1] for step, when in enumerate(seconds(4)))
    found = numbers(read(file(tmp_path, out.getvalue())))
    assert found['say "hi", {x=1}; ~', ()][1] == [0, 1, 0, 1]
    assert found["x (2)", ()][1] == [0, -1, -2, -3]


def test_what_means_the_same_becomes_ours(tmp_path):
    rows = "\n".join(f"{when},{1000 - step},{step * 7},{step * 512}" for step, when in enumerate(seconds(5)))
    head = '"time","MemAvailable","pgmajfault","system.disk.io{disk.io.direction=""read"",system.device=""sda""}"'
    found = numbers(read(file(tmp_path, f"{head}\n{rows}\n")))
    assert found["system.memory.linux.bytes", (("linux.memory.field", "MemAvailable"),)][1][0] == 1000 * 1024
    assert found["system.paging.linux.events", (("linux.paging.event", "pgmajfault"),)][1] == [0, 7, 14, 21, 28]
    assert found["system.disk.io", (("disk.io.direction", "read"), ("system.device", "sda"))][1][1] == 512


def test_a_row_a_value(tmp_path):
    rows = [f"{when},{name},{device},{step + place},bytes" for step, when in enumerate(seconds(6))
            for place, (name, device) in enumerate([("used", "a"), ("used", "b, c"), ("free", "")])
            if (step, place) != (2, 1)]  # fmt: skip
    quoted = [row.replace("b, c", '"b, c"') for row in rows]
    found = numbers(read(file(tmp_path, "time,measure,device,value,unit\n" + "\n".join(quoted))))
    assert found["free", ()][1] == [2, 3, 4, 5, 6, 7]
    assert found["used", (("device", "a"),)][1] == [0, 1, 2, 3, 4, 5]
    assert [known for known in found["used", (("device", "b, c"),)][1] if not np.isnan(known)] == [1, 2, 4, 5, 6]


def test_names_of_a_row_a_value_mean_what_is_said(tmp_path):
    rows = [
        f"{when},{name},{device},{value}"
        for step, when in enumerate(seconds(6))
        for name, device, value in (("reads/s", "sda", 4 * step), ("reads/s", "sdb", step), ("noise", "", 7))
    ]
    path = file(tmp_path, "time,name,device,value\n" + "\n".join(rows))
    look = look_at(path, path.name, None)
    assert [(item.name, item.device, item.cells[:3]) for item in look.names] == [
        ("reads/s", "sda", ["0", "4", "8"]), ("reads/s", "sdb", ["0", "1", "2"]), ("noise", "", ["7", "7", "7"]),
    ]  # fmt: skip
    assert {item.meaning.unit for item in look.names if item.name == "reads/s"} == {"1/s"}
    operations = {
        "counter": "system.disk.operations", "attributes": {"disk.io.direction": "read"}, "unit": "{operation}",
        "kind": "rate",
    }  # fmt: skip
    mapping = look.mapping.model_dump()
    mapping["long"]["meanings"] = {"reads/s": operations, "noise": None}
    assert [item.meaning for item in look_at(path, path.name, TableMapping(**mapping)).names][2] is None
    incoming = read(path, mapping=mapping)
    found = numbers(incoming)
    read_by = ("disk.io.direction", "read")
    assert found["system.disk.operations", (read_by, ("system.device", "sda"))][1] == [0, 4, 12, 24, 40, 60]
    assert found["system.disk.operations", (read_by, ("system.device", "sdb"))][1] == [0, 1, 3, 6, 10, 15]
    assert len(found) == 2
    assert incoming.remarks[-1] == "left out: noise"


def test_rows_of_one_name_may_have_different_units(tmp_path):
    rows = [f"{when},wait,{value},{unit}" for when, (value, unit) in zip(
        seconds(4), ((900, "us"), (1.2, "ms"), (0, ""), (2, "s")), strict=True)]  # fmt: skip
    path = file(tmp_path, "time,measure,value,unit\n" + "\n".join(rows))
    mapping = look_at(path, path.name, None).mapping.model_dump() | {
        "long": {"names": [1], "value": 2, "unit": 3}, "columns": [],
    }  # fmt: skip
    expected = pytest.approx([0.0009, 0.0012, 0, 2])
    assert look_at(path, path.name, TableMapping(**mapping)).names[0].values == expected
    assert numbers(read(path, mapping=mapping))["wait", ()][1] == expected


def test_names_of_one_counter_are_refused_whatever_their_scale(tmp_path):
    rows = [f"{when},{name},{value}" for when in seconds(3) for name, value in (("a", 1), ("b", 2))]
    path = file(tmp_path, "time,name,value\n" + "\n".join(rows))
    meanings = {"a": {"counter": "x"}, "b": {"counter": "x", "scale": [1, 1000]}}
    mapping = {
        "time": {"places": [0], "form": "iso"}, "long": {"names": [1], "value": 2, "meanings": meanings},
    }  # fmt: skip
    with pytest.raises(MappingError, match="a and b are both x"):
        read(path, mapping=mapping)


def test_rows_that_do_not_fit_are_counted(tmp_path):
    rows = [f"{when},{step}.5" for step, when in enumerate(seconds(8))]
    rows[3] += ",more"
    rows[4] = "yesterday,1.5"
    rows[5] = rows[2]
    rows[6] = rows[6].replace("6.5", "broken")
    incoming = read(file(tmp_path, "when,x\n" + "\n".join(rows)))
    said = "\n".join(incoming.remarks)
    assert "1 row with more or fewer cells" in said
    assert "1 row without a time of the form iso left out; the first says 'yesterday'" in said
    assert "1 row of a time that was there already" in said
    assert "x: 1 cell" in said
    assert len(numbers(incoming)["x", ()][0]) == 5


def test_wide_tables_and_other_letters(tmp_path):
    names = ",".join(f"räume {place}" for place in range(10_000))
    row = ",".join(["1.5"] * 10_000)
    text = f"zeit,{names}\n" + "\n".join(f"{when},{row}" for when in seconds(3))
    found = numbers(read(file(tmp_path, text.encode("latin-1"))))
    assert len(found) == 10_000
    assert found["räume 9999", ()][1] == [1.5, 1.5, 1.5]
    found = numbers(
        read(file(tmp_path, "zeit,räume\n2026-11-13 01:00:00,1.5\n2026-11-13 01:00:01,2.5\n".encode("utf-16")))
    )
    assert found["räume", ()][1] == [1.5, 2.5]


def test_typed_tables(tmp_path):
    times = pa.array([BEGIN_NS + second * NS_PER_S for second in range(4)], pa.timestamp("ns", tz="UTC"))
    table = pa.table({"time": times, "a": [1, 2, None, 4], "b": [0.5, 1.5, 2.5, 3.5], "c": ["x", "y", "z", "w"]})
    pq.write_table(table, tmp_path / "t.parquet")
    with pa.OSFile(str(tmp_path / "t.arrows"), "wb") as sink, pa.ipc.new_stream(sink, table.schema) as stream:
        stream.write_table(table)
    lines = [{"time": spell_time(BEGIN_NS + step * NS_PER_S), "a": value, "b": step + 0.5, "c": "x"}
             for step, value in enumerate([1, 2, None, 4])]  # fmt: skip
    (tmp_path / "t.jsonl").write_text("\n".join(map(json.dumps, lines)))
    for name in ("t.parquet", "t.arrows", "t.jsonl"):
        found = numbers(read(tmp_path / name))
        assert set(found) == {("a", ()), ("b", ())}, name
        assert found["b", ()] == ([BEGIN_NS + second * NS_PER_S for second in range(4)], [0.5, 1.5, 2.5, 3.5]), name
        assert np.isnan(found["a", ()][1][2]), name


def test_openmetrics(tmp_path):
    text = """# TYPE jobs counter
# HELP jobs Jobs that were done.
jobs_total{queue="a",note="x\\"y\\n"} 1 1794474000.5
jobs_total{queue="a",note="x\\"y\\n"} 4 1794474001.5
# TYPE temp_celsius gauge
# UNIT temp_celsius celsius
temp_celsius 20.5 1794474001.5 # {trace="1"} 3
temp_celsius NaN 1794474002.5
loose 1
# EOF
"""
    incoming = read(file(tmp_path, text, "m.om"))
    columns = {column.counter: column for schema in incoming.file.head.schemas for column in schema.columns}
    assert columns["jobs_total"].kind.value == "cumulative"
    assert dict(columns["jobs_total"].attributes) == {"queue": "a", "note": 'x"y '}
    assert columns["temp_celsius"].unit == "Cel"
    found = numbers(incoming)
    assert found["temp_celsius", ()][0] == [1794474000500000000, 1794474001500000000, 1794474002500000000]
    assert "1 sample without a time" in incoming.remarks[0]


@pytest.mark.parametrize(
    ("name", "content", "said"),
    [
        ("a.csv", b"", "is empty"),
        ("a.csv", b"\x7fELF\x01\x00\x00\x00", "begins with 7f 45 4c 46"),
        ("a.parquet", b"time,x\n2026-01-01 00:00:00,1\n", "is called like Parquet, but its contents are CSV"),
        ("a.csv", b"PAR1junk", "its contents are Parquet"),
        ("a.parquet", b"PAR1junk", "cannot be read as Parquet"),
        ("a.arrows", b"\xff\xff\xff\xff\x10\x00\x00\x00", "cannot be read as an Arrow IPC stream"),
        ("a.zip", b"PK\x03\x04", "damaged zip"),
        ("a.jsonl", b'{"time": 1', "line 1 is no JSON"),
        ("a.jsonl", b'{"a": 1}\n', "no key of the objects is a time"),
        ("a.om", b"# TYPE x gauge\nx one 1.5\n", "line 2"),
        ("a.om", b"# TYPE x gauge\nx 1\n", "no sample of the file has a time"),
        ("a.om", b"# TYPE x gauge\nx 1 1e999999999\n", "is no time in seconds"),
        ("a.csv", b"when,b\n2026-01-01 00:00:00," + b"1" * 100_000 + b"x\n", "holds numbers"),
        ("a.txt", b"a" * 60_000 + b"\n" + b"b" * 60_000 + b"\n", "is data"),
        ("a.csv", b"a,b\n1,2\n3,4\n", "no column is a time"),
        ("a.csv", b"when,b\n2026-01-01 00:00:00,x\n2026-01-01 00:00:01,y\n", "holds numbers"),
        ("a.csv", b"some words and nothing else\n", "is data"),
    ],
)
def test_what_is_refused_and_why(tmp_path, name, content, said):
    with pytest.raises(ReditusError) as caught:
        read(file(tmp_path, content, name))
    assert said in str(caught.value)
    assert not list(tmp_path.glob("*.zip.part"))


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ({"columns": [{"place": 1, "counter": "system.uptime", "unit": "By"}]}, "system.uptime is level in s"),
        ({"columns": [{"place": 1, "counter": "a"}, {"place": 1, "counter": "a"}]}, "tell them apart"),
        ({"columns": []}, "no column is mapped"),
        (
            {
                "columns": [
                    {
                        "place": 1, "counter": "system.disk.io", "unit": "By", "kind": "cumulative",
                        "attributes": {"x": "y"},
                    }
                ]
            },
            "has the attributes",
        ),
    ],
)  # fmt: skip
def test_a_mapping_that_cannot_be(change, said):
    given = {"time": {"places": [0], "form": "iso"}, "columns": [{"place": 1, "counter": "a"}]} | change
    with pytest.raises(MappingError, match=said):
        TableMapping.model_validate(given).check()


def test_a_mapping_that_does_not_fit(tmp_path):
    path = file(tmp_path, "when,x\n2026-01-01 00:00:00,1\n")
    mapping = {"time": {"places": [0], "form": "iso"}, "columns": [{"place": 7, "counter": "a"}]}
    with pytest.raises(MappingError, match="column 8; the rows have 2"):
        read(path, mapping=mapping)


def test_the_same_file_read_the_same_way_is_the_same_archive(tmp_path):
    path = file(tmp_path, "when,x\n2026-01-01 00:00:00,1\n2026-01-01 00:00:01,2\n")
    first, again = read(path).file.head, read(path).file.head
    other = read(path, host="elsewhere").file.head
    assert (first.host, first.archive) == (again.host, again.archive)
    assert other.host != first.host


cells = st.text(st.characters(codec="utf-8", exclude_characters="\0"), max_size=12)


@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(rows=st.lists(st.lists(cells, min_size=1, max_size=4), min_size=1, max_size=8))
def test_any_text_is_read_or_refused(tmp_path, rows):
    out = StringIO()
    csv.writer(out).writerows(rows)
    path = file(tmp_path, out.getvalue())
    assume(path.stat().st_size)
    with suppress(ReditusError):
        read(path)


@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    values=st.lists(st.floats(-1e90, 1e90) | st.just(float("nan")), min_size=2, max_size=30).filter(
        lambda found: not all(map(math.isnan, found))
    ),
    step_ms=st.integers(100, 3_600_000),
)
def test_whatever_numbers_come_back_to_the_bit(tmp_path, values, step_ms):
    rows = [
        f"{spell_time(BEGIN_NS + place * step_ms * 10**6)},{'' if math.isnan(value) else repr(value)},1"
        for place, value in enumerate(values)
    ]
    mapping = {
        "time": {"places": [0], "form": "iso"},
        "columns": [{"place": 1, "counter": "a"}, {"place": 2, "counter": "b"}],
    }
    times, found = numbers(read(file(tmp_path, "when,a,b\n" + "\n".join(rows)), mapping=mapping))["a", ()]
    assert times == [BEGIN_NS + place * step_ms * 10**6 for place in range(len(values))]
    assert np.array_equal(np.array(found), np.array(values), equal_nan=True)


def test_recognised_by_what_it_is(tmp_path):
    assert recognised(file(tmp_path, "# field capture 1 host=x\n@tick 1\n"), "some.txt") == "capture"
    assert recognised(file(tmp_path, "a;b\n1;2\n"), "some.txt") == "csv"


PACKERS = {"gz": gzip.compress, "zst": zstandard.compress}
TABLE = "when,x\n" + "".join(f"{spell_time(BEGIN_NS + second * NS_PER_S)},{second}.5\n" for second in range(300))


@pytest.mark.parametrize("ending", PACKERS)
def test_packed_files_are_what_is_packed_in_them(tmp_path, ending):
    path = file(tmp_path, PACKERS[ending](TABLE.encode()), name=f"pumps.csv.{ending}")
    assert recognised(path, path.name) == "csv"
    look = look_at(path, path.name, None)
    assert len(look.times_ns) == 199
    plain = file(tmp_path, TABLE, name="pumps.csv")
    assert look == look_at(plain, plain.name, None)
    assert signature_of(path, path.name) == signature_of(plain, plain.name)
    whole = read(path)
    assert numbers(whole)["x", ()][1] == [second + 0.5 for second in range(300)]
    # The same table is the same archive, packed or not.
    assert read(plain).file.head == whole.file.head
    assert not list(tmp_path.glob("*.plain"))


def test_packed_files_that_are_damaged_or_too_much_are_refused(tmp_path):
    packed = gzip.compress("".join(f"{second * 7919 % 10_007}\n" for second in range(400_000)).encode())
    for content, said in (
        (packed[:-2_000], "damaged or cut off behind"),
        (packed[:5], "damaged or cut off"),
        (gzip.compress(packed), "unpack it once"),
        (gzip.compress(b""), "empty"),
        (gzip.compress(b"when,x\n" + b"2026-11-13T01:00:00Z,1\n" * (4 << 20)), "150 times its size"),
        (gzip.compress(b"\0\1\2" * 100), "no file that can be read"),
    ):
        path = file(tmp_path, content, name="pumps.csv.gz")
        with pytest.raises(ReditusError, match=said):
            read(path)
        assert [left.name for left in tmp_path.iterdir()] == ["pumps.csv.gz"]
    path = file(tmp_path, gzip.compress(TABLE.encode()), name="pumps.parquet.gz")
    with pytest.raises(ReditusError, match="called like Parquet, but its contents are CSV"):
        read(path)


def test_what_is_packed_is_unpacked_no_further_than_it_is_cancelled(tmp_path):
    path = file(tmp_path, gzip.compress(TABLE.encode() * 400), name="pumps.csv.gz")

    def cancelled(_):
        raise Cancelled

    with pytest.raises(Cancelled):
        read_incoming(path, path.name, ImportOptions(), tmp_path / "made.zip", MADE, cancelled)
    assert [left.name for left in tmp_path.iterdir()] == ["pumps.csv.gz"]


@pytest.mark.parametrize("name", ["time", "x"])
def test_names_of_columns_that_are_no_text_are_refused(tmp_path, name):
    table = pa.table({"time": pa.array([BEGIN_NS, BEGIN_NS + NS_PER_S], pa.timestamp("ns", tz="UTC")), "x": [1.0, 2.0]})
    sink = pa.BufferOutputStream()
    with pa.ipc.new_stream(sink, table.rename_columns([f"{each}....." for each in table.column_names]).schema) as out:
        out.write_table(table.rename_columns([f"{each}....." for each in table.column_names]))
    content = sink.getvalue().to_pybytes()
    assert f"{name}.....".encode() in content
    path = file(tmp_path, content.replace(f"{name}.....".encode(), name.encode() + b"\xe9...."), "odd.arrows")
    with pytest.raises(MappingError, match="the name of a column is no UTF-8"):
        read(path)
