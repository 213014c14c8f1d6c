"""Measures as files: the same numbers in every format, tick by tick."""

import csv
import json
import re
from datetime import UTC, datetime, timedelta
from io import BytesIO, StringIO

import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from sqlalchemy import text

from cases import BEGIN_NS, MINUTE_NS, SHORT, at, load_whole, served
from reditus.analysis import newest
from reditus.core.window import Window
from reditus.exchange.formats import FORMATS
from reditus.exchange.tables.text import defused

ARCHIVE = str(SHORT.archive)
NAMES = ["cpu.busy", "memory.available", "disk.read.rate@*"]
EPOCH = datetime(1970, 1, 1, tzinfo=UTC)


@pytest.fixture(scope="module")
def client(cluster):
    with served(cluster) as (client, _):
        load_whole(client, SHORT)
        yield client


def table(client, form, status=200, names=NAMES, **query):
    params = {"measure": names, "format": form, "from": at(5), "to": at(8)} | query
    answer = client.get(f"/api/archives/{ARCHIVE}/table", params=params)
    assert answer.status_code == status, answer.text
    return answer


@pytest.fixture(scope="module")
def series(client):
    """The same by the API that charts are drawn from: ticks, for they fit."""
    query = {"measure": NAMES, "from": at(5), "to": at(8), "width": 2_000}
    found = client.get(f"/api/archives/{ARCHIVE}/series", params=query).json()
    begin, end = (datetime.fromisoformat(at(minutes)) for minutes in (5, 8))
    out = {}
    for item in found["series"]:
        name = item["measure"] if item["device"] is None else f"{item['measure']}@{item['device']}"
        times = [EPOCH + timedelta(milliseconds=at_ms) for at_ms in found["times_ms"][item["times"]]]
        out[name] = {when: value for when, value in zip(times, item["mean"], strict=True) if begin <= when < end}
    return out


def of_wide(answer):
    names, units, *rows = csv.reader(StringIO(answer.text, newline=""))
    assert names[0] == "time"
    assert units[0] == "RFC 3339"
    return {
        name: {datetime.fromisoformat(row[0]): float(row[place]) if row[place] else None for row in rows}
        for place, name in enumerate(names[1:], 1)
    }


def of_long(answer):
    head, *rows = csv.reader(StringIO(answer.text, newline=""))
    assert head == ["time", "measure", "device", "value", "unit"]
    out = {}
    for when, measure, device, value, _ in rows:
        out.setdefault(f"{measure}@{device}" if device else measure, {})[datetime.fromisoformat(when)] = float(value)
    return out


def of_lines(answer):
    out = {}
    for row in map(json.loads, answer.text.splitlines()):
        when = datetime.fromisoformat(row.pop("time"))
        for name, value in row.items():
            out.setdefault(name, {})[when] = value
    return out


SAMPLE = re.compile(r'reditus_(\w+)\{host="stitch-01"(?:,device="(.*)")?\} (\S+) (\d+\.\d{3})')
FAMILIES = {
    "cpu_busy_cores": "cpu.busy", "memory_available_bytes": "memory.available",
    "disk_read_rate_bytes_per_second": "disk.read.rate",
}  # fmt: skip


def of_samples(answer):
    *lines, end = answer.text.splitlines()
    assert end == "# EOF"
    assert lines[0] == "# TYPE reditus_cpu_busy_cores gauge"
    out = {}
    for line in lines:
        if not line.startswith("#"):
            family, device, value, at_s = SAMPLE.fullmatch(line).groups()
            name = FAMILIES[family] if device is None else f"{FAMILIES[family]}@{device}"
            out.setdefault(name, {})[EPOCH + timedelta(milliseconds=int(at_s.replace(".", "")))] = float(value)
    return out


def of_arrow(arrow):
    times = arrow.column("time").to_pylist()
    return {name: dict(zip(times, arrow.column(name).to_pylist(), strict=True)) for name in arrow.column_names[1:]}


READERS = {
    "csv": of_wide,
    "csv-long": of_long,
    "jsonl": of_lines,
    "arrow": lambda answer: of_arrow(pa.ipc.open_stream(answer.content).read_all()),
    "parquet": lambda answer: of_arrow(pq.read_table(BytesIO(answer.content))),
    "openmetrics": of_samples,
}


@pytest.mark.parametrize("form", READERS)
def test_every_format_has_the_very_same_ticks(client, series, form):
    answer = table(client, form)
    assert answer.headers["content-type"].startswith(FORMATS[form].media_type.partition(";")[0])
    assert answer.headers["content-disposition"] == f'attachment; filename="stitch-01{FORMATS[form].extension}"'
    found = READERS[form](answer)
    assert set(found) == set(series)
    for name, values in series.items():
        assert len(values) == 180
        known = {when: value for when, value in values.items() if value is not None}
        assert {when: value for when, value in found[name].items() if value is not None} == known


def test_pieces_make_no_seams(client, monkeypatch):
    from reditus.analysis import tables

    whole = table(client, "csv").text
    monkeypatch.setattr(tables, "PIECE_TICKS", 7)
    client.app.state.context.tables.close()  # else it would be the very file
    assert table(client, "csv").text == whole


def test_the_same_is_written_once_and_more_ticks_are_another(cluster, monkeypatch):
    with served(cluster) as (client, store):
        load_whole(client, SHORT)
        query = {"measure": NAMES, "format": "arrow"}
        path = f"/api/archives/{ARCHIVE}/table"
        first = client.get(path, params=query).content
        monkeypatch.setattr("reditus.server.routers.tables.table_of", lambda *_: pytest.fail("read again"))
        assert client.get(path, params=query).content == first
        monkeypatch.undo()
        store.archives.trim(SHORT.archive, Window(BEGIN_NS, BEGIN_NS + 10 * MINUTE_NS))
        rows = pa.ipc.open_stream(client.get(path, params=query).content).read_all().num_rows
        assert rows < pa.ipc.open_stream(first).read_all().num_rows


def test_what_is_damaged_is_said_to_be_left_out(cluster):
    with served(cluster) as (client, store):
        load_whole(client, SHORT)
        with store.engine.begin() as connection:
            connection.execute(text("update blocks set data = set_byte(data, 9, get_byte(data, 9) # 4)"))
        path = f"/api/archives/{ARCHIVE}/table"
        for _ in range(2):
            answer = client.get(path, params={"measure": "cpu.busy", "format": "arrow"})
            assert re.match(r"\d+ stretch(es)? of ticks (is|are) damaged", answer.headers["reditus-left-out"])
        whole = client.get(f"/api/archives/{ARCHIVE}/damage").json()
        assert len(whole) >= int(answer.headers["reditus-left-out"].split()[0])


def test_arrow_says_what_its_columns_are(client):
    schema = pa.ipc.open_stream(table(client, "arrow").content).schema
    assert schema.metadata[b"reditus.host"] == b"stitch-01"
    field = schema.field("memory.available")
    assert field.metadata[b"unit"] == b"bytes"
    assert field.metadata[b"title"] == b"Available memory"


def test_what_is_wrong_is_said_before_anything_is_sent(client):
    assert table(client, "csv", status=404, names=["cpu.bisy"]).json()["type"].endswith("unknown-measure")
    assert table(client, "doc", status=422).json()["type"].endswith("bad-request")
    assert "a window has to end after it starts" in table(client, "csv", status=422, to=at(1)).json()["detail"]
    # A window without ticks is a table without rows.
    assert table(client, "jsonl", **{"from": at(600), "to": at(601)}).text == ""
    assert of_wide(table(client, "csv", **{"from": at(600), "to": at(601)}))["cpu.busy"] == {}


def test_formats_say_what_they_carry_and_lose(client):
    listed = client.get("/api/formats").json()
    assert [item["name"] for item in listed if item["writes"] == "measures"] == list(READERS)
    assert {item["name"] for item in listed if item["writes"] == "archive"} == {"archive", "archive-parquet"}
    assert all(item["carries"] and item["loses"] for item in listed)


@pytest.mark.parametrize("text", ["=cmd|' /C calc'!A0", "+1", "-1", "@SUM(A1)", "\t=1"])
def test_no_text_is_a_formula(text):
    assert defused(text) == f"'{text}"


def test_the_newest_values_for_scraping(client, monkeypatch):
    last = client.get(f"/api/archives/{ARCHIVE}").json()["end"]
    monkeypatch.setattr(newest, "FRESH_NS", 1 << 61)  # what was simulated is long past
    answer = client.get("/metrics")
    assert answer.headers["content-type"] == "application/openmetrics-text; version=1.0.0; charset=utf-8"
    *lines, end = answer.text.splitlines()
    assert end == "# EOF"
    families = [line.split(" ")[2] for line in lines if line.startswith("# TYPE")]
    assert families == sorted(set(families))
    (busy,) = [line for line in lines if line.startswith('reditus_cpu_busy_cores{host="stitch-01"} ')]
    query = {"measure": "cpu.busy", "from": at(30), "to": at(36), "width": 2_000}
    found = client.get(f"/api/archives/{ARCHIVE}/series", params=query).json()["series"][0]["mean"]
    assert float(busy.split(" ")[1]) == found[-1]
    assert float(busy.split(" ")[2]) == pytest.approx(datetime.fromisoformat(last).timestamp(), abs=1.5)
    monkeypatch.undo()
    assert client.get("/metrics").text == "# EOF\n"
