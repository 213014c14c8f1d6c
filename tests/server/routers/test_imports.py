"""Files that come in through the API: part by part, looked at, read, followed, cancelled, and begun again."""

import time
from uuid import uuid4

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import text

from cases import SHORT, load_whole
from databases import new_database
from reditus.core.rfc3339 import parse_time, spell_time
from reditus.core.types import NS_PER_S
from reditus.server import importing
from reditus.server.app import create_app
from reditus.server.settings import Settings
from reditus.store.imports.records import State
from reditus.store.store import Store

BEGIN_NS = parse_time("2026-11-13T01:00:00Z")
ENDED = ("done", "failed", "cancelled")
PARTS = 3


def table(rows=600, head="when,Requests (1/s),MemAvailable"):
    lines = [f"{spell_time(BEGIN_NS + row * NS_PER_S)},{row % 7}.5,{10_000 - row}" for row in range(rows)]
    return "\n".join([head, *lines]).encode()


@pytest.fixture
def store(cluster):
    made = Store(new_database(cluster))
    made.migrate()
    yield made
    made.close()


@pytest.fixture
def settings(tmp_path):
    return Settings(allowed_hosts=["testserver"], data=tmp_path)


@pytest.fixture
def client(store, settings):
    with TestClient(create_app(store, settings)) as client:
        yield client


def send(client, data, name="numbers.csv", wanted=None, parts=PARTS):
    wanted = wanted or uuid4()
    assert client.put(f"/api/imports/{wanted}", json={"name": name, "size_bytes": len(data)}).status_code == 200
    step = len(data) // parts + 1
    for offset in range(0, len(data), step):
        answer = client.put(
            f"/api/imports/{wanted}/content", params={"offset": offset}, content=data[offset : offset + step]
        )
        assert answer.status_code == 200, answer.text
    assert answer.json()["state"] == "received"
    return wanted


def start(client, wanted, **options):
    answer = client.post(f"/api/imports/{wanted}/start", json=options)
    assert answer.status_code == 200, answer.text


def ended(client, wanted):
    """Once nothing more happens to it."""
    while (item := client.get(f"/api/imports/{wanted}").json())["state"] not in ENDED:
        time.sleep(0.02)
    return item


def look(client, wanted, mapping=None):
    answer = client.post(f"/api/imports/{wanted}/look", json={"mapping": mapping})
    assert answer.status_code == 200, answer.text
    return answer.json()


def kept(settings):
    folder = settings.data / "imports"
    return sorted(path.name for path in folder.iterdir()) if folder.is_dir() else []


def test_a_table_becomes_an_archive(client, settings):
    wanted = send(client, table())
    seen = look(client, wanted)
    assert (seen["format"], seen["problem"], seen["kept"]) == ("csv", None, False)
    assert [column["name"] for column in seen["columns"]] == ["when", "Requests (1/s)", "MemAvailable"]
    assert seen["columns"][2]["values"][0] == 10_000 * 1024
    assert seen["times"][0] == "2026-11-13T01:00:00Z"
    start(client, wanted, host="shop", name="last night")
    item = ended(client, wanted)
    assert (item["state"], item["ticks"], item["problem"]) == ("done", 600, None)
    archive = client.get(f"/api/archives/{item['archive']}").json()
    assert (archive["host"]["name"], archive["name"], archive["ticks"]) == ("shop", "last night", 600)
    query = {"measure": ["other.Requests", "system.memory.linux.bytes{linux.memory.field=MemAvailable}"], "width": 1000}
    found = client.get(f"/api/archives/{item['archive']}/series", params=query).json()
    assert found["series"][0]["mean"][:3] == [0.5, 1.5, 2.5]
    assert found["series"][1]["mean"][0] == 10_000 * 1024
    assert kept(settings) == []


def test_a_mapping_is_corrected_and_kept_for_the_next_file(client):
    first = send(client, table())
    mapping = look(client, first)["mapping"]
    mapping["columns"][0] |= {"counter": "orders", "attributes": {"shop": "3"}, "unit": "{order}/s"}
    start(client, first, mapping=mapping)
    ended(client, first)
    second = send(client, table(30))
    seen = look(client, second)
    assert seen["kept"]
    assert seen["mapping"]["columns"][0]["counter"] == "orders"
    start(client, second, host="shop")
    item = ended(client, second)
    names = [each["name"] for each in client.get(f"/api/archives/{item['archive']}/measures").json()]
    assert "other.orders" in names
    other = send(client, table(head="when,a,b"))
    assert not look(client, other)["kept"]


PRINTED = "when      press  parcels  jams\n" + "".join(
    f"00:00:{second:02}  {press}  {second + 4}  0\n" for second in range(30) for press in ("left", "right")
)


def test_a_layout_is_kept_for_the_next_text_that_is_laid_out_so(client):
    first = send(client, PRINTED.encode(), "press.txt")
    seen = look(client, first)
    assert (seen["kept"], seen["mapping"]) == (False, None)
    layout = seen["layout"] | {"date": "2026-11-13", "names": {"parcels": {"counter": "sorted"}, "jams": None}}
    start(client, first, layout=layout)
    item = ended(client, first)
    assert item["remarks"] == ["left out: jams"]
    # Another day, other presses: it is read the same way, but for the day.
    second = send(client, PRINTED.replace("left", "old").replace("00:00", "07:30").encode(), "later.txt")
    seen = look(client, second)
    assert seen["kept"]
    assert seen["layout"]["names"]["parcels"]["counter"] == "sorted"
    assert seen["layout"]["date"] is None
    assert [(column["name"], column["device"]) for column in seen["names"]][:2] == [
        ("parcels", "old"), ("jams", "old"),
    ]  # fmt: skip
    assert "on which day" in seen["problem"]
    start(client, second, layout=seen["layout"] | {"date": "2026-11-14"})
    names = [each["name"] for each in client.get(f"/api/archives/{ended(client, second)['archive']}/measures").json()]
    assert names == ["other.sorted"]


def test_a_mapping_that_does_not_fit_says_so(client):
    wanted = send(client, table())
    mapping = look(client, wanted)["mapping"]
    wrong = mapping | {"time": {"places": [0], "form": "%d.%m.%Y", "zone": "UTC"}}
    assert "no time of the first rows is of the form %d.%m.%Y" in look(client, wanted, wrong)["problem"]
    assert "no column is mapped" in look(client, wanted, mapping | {"columns": []})["problem"]
    refused = client.post(f"/api/imports/{wanted}/start", json={"mapping": mapping | {"columns": []}})
    assert (refused.status_code, refused.json()["type"]) == (422, "urn:reditus:problem:bad-file")
    start(client, wanted, mapping=wrong)
    item = ended(client, wanted)
    assert item["state"] == "failed"
    assert "no row of the file can be used: 600 rows without a time" in item["problem"]
    assert client.get("/api/archives").json() == []
    # Read another way it is not sent again.
    start(client, wanted, mapping=mapping)
    assert ended(client, wanted)["state"] == "done"


def test_what_fails_leaves_nothing(client, store, settings):
    data = table() + b"\n" + b"PK"
    for name, content, said in (
        ("a.parquet", data, "its contents are CSV"),
        ("a.csv", b"\0\1\2\3" * 9, "begins with"),
        ("a.archive.zip", b"PK" + b"\0" * 50, "damaged zip"),
    ):
        wanted = send(client, content, name)
        answer = client.post(f"/api/imports/{wanted}/start", json={})
        assert answer.status_code == 422
        assert said in answer.json()["detail"]
        assert client.delete(f"/api/imports/{wanted}").status_code == 204
    assert kept(settings) == []
    with store.engine.connect() as connection:
        for name in ("hosts", "archives", "schemas", "blocks", "imports"):
            assert connection.execute(text(f"select count(*) from {name}")).scalar() == 0, name


def test_an_upload_goes_on_where_it_broke_off(client, settings):
    data, wanted = table(), uuid4()
    client.put(f"/api/imports/{wanted}", json={"name": "n.csv", "size_bytes": len(data)})
    path = f"/api/imports/{wanted}/content"
    client.put(path, params={"offset": 0}, content=data[:1000])
    # A part that broke off left bytes behind what was acknowledged.
    with (settings.data / "imports" / str(wanted) / "content").open("ab") as file:
        file.write(b"half a part")
    refused = client.put(path, params={"offset": 500}, content=data[500:])
    assert refused.status_code == 409
    assert "1,000 bytes of n.csv are here; go on there, not at 500" in refused.json()["detail"]
    here = client.put(f"/api/imports/{wanted}", json={"name": "n.csv", "size_bytes": len(data)}).json()[
        "received_bytes"
    ]
    assert client.put(path, params={"offset": here}, content=data[here:] + b"more").status_code == 413
    assert client.put(path, params={"offset": here}, content=data[here:]).json()["state"] == "received"
    assert (settings.data / "imports" / str(wanted) / "content").read_bytes() == data
    assert client.put(path, params={"offset": len(data)}, content=b"x").status_code == 409
    other = client.put(f"/api/imports/{wanted}", json={"name": "other.csv", "size_bytes": 5})
    assert other.status_code == 409


def test_cancelled_in_the_middle(client, store, settings, monkeypatch):
    """The reading waits until it has been cancelled, whenever that is."""
    reached = []

    def slow(path, name, options, target, made, check):
        target.write_bytes(b"half")
        reached.append(name)
        while True:
            check(len(reached))
            time.sleep(0.005)

    monkeypatch.setattr(importing, "read_incoming", slow)
    wanted = send(client, table())
    start(client, wanted)
    while not reached:
        time.sleep(0.005)
    assert client.delete(f"/api/imports/{wanted}").status_code == 409
    assert client.post(f"/api/imports/{wanted}/cancel").json()["state"] == "cancelled"
    while kept(settings):
        time.sleep(0.005)
    assert client.get("/api/archives").json() == []
    assert client.post(f"/api/imports/{wanted}/cancel").status_code == 409
    assert client.delete(f"/api/imports/{wanted}").status_code == 204
    assert client.get(f"/api/imports/{wanted}").status_code == 404


def test_what_was_at_work_is_begun_again_after_a_restart(store, settings, monkeypatch):
    def ends_with_the_server(path, name, options, target, made, check):
        while True:
            check(0)
            time.sleep(0.005)

    with monkeypatch.context() as patched, TestClient(create_app(store, settings)) as client:
        patched.setattr(importing, "read_incoming", ends_with_the_server)
        wanted = send(client, table())
        half = uuid4()
        client.put(f"/api/imports/{half}", json={"name": "half.csv", "size_bytes": 100})
        client.put(f"/api/imports/{half}/content", params={"offset": 0}, content=b"x" * 40)
        start(client, wanted)
        while store.imports.get(wanted).state is not State.READING:
            time.sleep(0.005)
    (settings.data / "imports" / str(uuid4())).mkdir()
    with TestClient(create_app(store, settings)) as client:
        item = ended(client, wanted)
        assert (item["state"], item["ticks"]) == ("done", 600)
        assert client.get(f"/api/imports/{half}").json()["received_bytes"] == 40
        assert kept(settings) == [str(half)]


def test_an_archive_moves_to_another_server(client, store, cluster, tmp_path):
    load_whole(client, SHORT)
    for form in ("archive", "archive-parquet"):
        answer = client.get(f"/api/archives/{SHORT.archive}/file", params={"format": form})
        assert answer.status_code == 200
        name = answer.headers["content-disposition"].split('"')[1]
        other = Store(new_database(cluster))
        other.migrate()
        with TestClient(create_app(other, Settings(allowed_hosts=["testserver"], data=tmp_path / form))) as there:
            wanted = send(there, answer.content, name)
            assert look(there, wanted)["mapping"] is None
            start(there, wanted)
            item = ended(there, wanted)
            assert (item["state"], item["archive"]) == ("done", str(SHORT.archive))
            mine, theirs = (each.get(f"/api/archives/{SHORT.archive}").json() for each in (client, there))
            for part in ("host", "name", "ticks", "start", "end", "facts"):
                assert mine[part] == theirs[part], part
            query = {"measure": ["cpu.busy", "disk.wait@*"], "width": 5000}
            assert [
                each["mean"]
                for each in client.get(f"/api/archives/{SHORT.archive}/series", params=query).json()["series"]
            ] == [
                each["mean"]
                for each in there.get(f"/api/archives/{SHORT.archive}/series", params=query).json()["series"]
            ]
            again = send(there, answer.content, name)
            start(there, again)
            assert "ticks were there already" in ended(there, again)["remarks"][0]
        other.close()


def test_too_large_for_the_disk(client, monkeypatch):
    monkeypatch.setattr(importing, "FREE_BYTES", 1 << 60)
    answer = client.put(f"/api/imports/{uuid4()}", json={"name": "n.csv", "size_bytes": 100})
    assert answer.status_code == 413
    assert "has room for one of 0" in answer.json()["detail"]
