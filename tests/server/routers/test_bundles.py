"""Bundles: made, looked into, sent, and opened by a server that knows nothing."""

import json
import random
import re
import zipfile
from hashlib import sha256
from io import BytesIO
from uuid import uuid4

import pyarrow.parquet as pq
import pytest
from sqlalchemy import text

from cases import CASE, CORES, QUESTION, SHORT, at, begin, change, cleared, load_whole, pinned, repacked, served

URL = f"/api/investigations/{CASE}"
ARCHIVE = str(SHORT.archive)
EVERYTHING = ["hosts", "users", "processes", "addresses", "mounts", "logs"]
BUNDLE = {"content-type": "application/vnd.reditus.bundle+zip"}
TABLES = ("hosts", "archives", "blocks", "investigations", "exhibits", "markers", "processes", "facts", "schemas")


@pytest.fixture(scope="module")
def sender(cluster):
    with served(cluster) as (client, store):
        load_whole(client, SHORT)
        yield client, store


@pytest.fixture
def case(sender):
    """An investigation of three exhibits, at the server that sends it."""
    client, store = sender
    cleared(store, "exhibits", "investigations", "markers")
    window = {"start": at(10), "end": at(28), "archive": None}
    begin(client, noticed="Stitch-01’s foreman", where="stitch-01", hosts=[ARCHIVE], window=window)
    one = pinned(client, kind="strip", strip=CORES)["id"]
    two = pinned(client, kind="use", by="program")["id"]
    pinned(client, kind="facts")
    change(client, 1, captions={one: "stitch-01 is busy"}, order=[two, one])
    return client


@pytest.fixture(scope="module")
def receiver(cluster):
    with served(cluster) as served_here:
        yield served_here


@pytest.fixture
def other(receiver):
    """A server with an empty database."""
    cleared(receiver[1], *TABLES)
    return receiver


def made(client, **body):
    answer = client.post(f"{URL}/bundle", json=body)
    assert answer.status_code == 200, answer.text
    return answer.content


def sent(client, bundle, status=200):
    answer = client.post("/api/bundles", content=bundle, headers=BUNDLE)
    assert answer.status_code == status, answer.text
    return answer.json()


def parts_of(bundle):
    with zipfile.ZipFile(BytesIO(bundle)) as files:
        return {name: files.read(name) for name in files.namelist()}


def rows_in(store):
    with store.engine.begin() as connection:
        return {table: connection.execute(text(f"select count(*) from {table}")).scalar() for table in TABLES}


def signed(parts):
    """Parts with a manifest that says of each what it is."""
    manifest = json.loads(parts["manifest.json"])
    for entry in manifest["parts"]:
        data = parts.get(entry["name"], b"")
        entry["bytes"], entry["sha256"] = len(data), sha256(data).hexdigest()
    return parts | {"manifest.json": json.dumps(manifest).encode()}


def test_another_server_opens_it_into_the_same(case, other):
    client, _ = other
    opened = sent(client, made(case))
    assert opened["fields"]["question"] == QUESTION
    assert opened["origin"]["anonymised"] is False
    own = case.get(f"{URL}/exhibits").json()
    its = client.get(f"/api/investigations/{opened['id']}/exhibits").json()
    assert [item["checksum"] for item in its] == [item["checksum"] for item in own]
    assert [item["caption"] for item in its] == ["", "stitch-01 is busy", ""]
    assert [item["remains"] for item in its] == ["all"] * 3
    # The figures of the archive are the same to the bit, read from its blocks.
    [archive] = client.get("/api/archives").json()
    assert archive["source"] == "bundle"
    query = {"measure": ["cpu.busy", "memory.available", "disk.read.rate@*"], "from": at(6), "to": at(29)}
    here = client.get(f"/api/archives/{archive['id']}/series", params=query).json()
    there = case.get(f"/api/archives/{ARCHIVE}/series", params=query).json()
    assert here == there
    use = {"from": at(6), "to": at(29), "by": "program"}
    assert (
        client.get(f"/api/archives/{archive['id']}/use", params=use).json()
        == case.get(f"/api/archives/{ARCHIVE}/use", params=use).json()
    )
    # Its views lead to the archive that came along.
    assert its[0]["view"].startswith(f"/archives/{archive['id']}?")
    assert opened["fields"]["hosts"] == [archive["id"]]


def test_it_stays_as_it_came_and_a_copy_can_be_worked_on(case, other):
    client, _ = other
    opened = sent(client, made(case))
    url = f"/api/investigations/{opened['id']}"
    assert client.patch(url, json={"version": 1, "fields": {"noticed": "x"}}).status_code == 409
    [archive] = client.get("/api/archives").json()
    note = [{"at": at(12), "kind": "note", "text": "mine"}]
    refused = client.post(f"/api/archives/{archive['id']}/markers", json=note)
    assert refused.status_code == 409
    assert "stays as it came" in refused.json()["detail"]
    name = {"kind": "disk", "device": "nvme0n1", "name": "the fast one"}
    assert client.put(f"/api/archives/{archive['id']}/names", json=name).status_code == 409
    assert client.delete(f"/api/archives/{archive['id']}").status_code == 409
    copy = client.post(f"{url}/copy").json()
    assert copy["origin"] is None
    assert client.patch(f"/api/investigations/{copy['id']}", json={"version": 1, "fields": {"noticed": "x"}}).is_success


def test_opening_it_twice_or_at_its_sender_changes_nothing_of_ones_own(case):
    bundle = made(case)
    own = case.get(URL).json()
    first, second = sent(case, bundle), sent(case, bundle)
    assert first["id"] == second["id"] != str(CASE)
    assert case.get(URL).json() == own
    assert len(case.get("/api/investigations").json()) == 2
    assert len(case.get("/api/archives").json()) == 2


def test_names_are_replaced_everywhere_and_none_is_left(case, other):
    client, _ = other
    note = {"at": at(12), "kind": "note", "text": "moved the scanner beside STITCH-01", "ident": "n"}
    case.post(f"/api/archives/{ARCHIVE}/markers", json=[note])
    inside = case.post(f"{URL}/bundle/inside", json={"replace": EVERYTHING}).json()
    names = {item["name"]: item["substitute"] for item in inside["substitutes"]}
    assert {"stitch-01"} < set(names)
    assert any(item["category"] == "processes" for item in inside["substitutes"])
    bundle = made(case, replace=EVERYTHING, parquet=True)
    parts = parts_of(bundle)
    # Style sheets and the words of the format are no names; everything else is searched, byte by byte.
    for name in (name for name in names if len(name) > 3):
        for part, data in parts.items():
            if part.endswith((".html", ".svg")):
                continue
            assert not re.search(
                rb"(?<![a-z0-9_])" + re.escape(name.lower().encode()) + rb"(?![a-z0-9_])", data.lower()
            ), (
                name,
                part,
            )
    assert b"stitch-01" not in parts["report.html"].lower()
    # The same name is the same substitute, in the next bundle too.
    again = case.post(f"{URL}/bundle/inside", json={"replace": EVERYTHING}).json()
    assert again["substitutes"] == inside["substitutes"]
    opened = sent(client, bundle)
    assert opened["origin"]["anonymised"]
    [archive] = client.get("/api/archives").json()
    assert archive["host"]["name"] == names["stitch-01"]
    use = client.get(f"/api/archives/{archive['id']}/use", params={"from": at(6), "to": at(29), "by": "program"}).json()
    assert all(row["name"] in names.values() for row in use["rows"] if row["name"] != "kernel")


def test_names_of_an_archive_that_stays_at_home_are_replaced_in_the_exhibits(case):
    body = {"replace": EVERYTHING, "stretches": [{"archive": ARCHIVE}]}
    inside = case.post(f"{URL}/bundle/inside", json=body).json()
    assert inside["stretches"] == []
    programs = [item["name"] for item in inside["substitutes"] if item["category"] == "processes"]
    use = case.get(f"/api/archives/{ARCHIVE}/use", params={"from": at(6), "to": at(29), "by": "program"}).json()
    used = [row["name"] for row in use["rows"] if row["name"] != "not named"]
    assert used
    assert set(used) <= set(programs)
    text = parts_of(made(case, **body))["exhibits/001.json"].decode()
    assert not [name for name in used if re.search(rf"(?<!\w){re.escape(name)}(?!\w)", text)]


def test_another_server_has_other_substitutes(case, other):
    client, _ = other
    load_whole(client, SHORT)
    begin(client)
    pinned(client, kind="strip", strip=CORES)
    body = {"replace": ["hosts"]}
    both = [served.post(f"{URL}/bundle/inside", json=body).json()["substitutes"][0] for served in (case, client)]
    assert both[0]["name"] == both[1]["name"] == "stitch-01"
    assert both[0]["substitute"] != both[1]["substitute"]


def test_a_stretch_is_trimmed_or_left_out(case):
    whole = case.post(f"{URL}/bundle/inside", json={}).json()
    [stretch] = whole["stretches"]
    assert stretch["ticks"] == pytest.approx(25 * 60 + 6, abs=2)
    shorter = [{"archive": stretch["timeline"], "start": at(10), "end": at(11)}]
    trimmed = case.post(f"{URL}/bundle/inside", json={"stretches": shorter}).json()
    assert trimmed["stretches"][0]["ticks"] == 60
    assert trimmed["packed_bytes"] < whole["packed_bytes"]
    without = case.post(f"{URL}/bundle/inside", json={"stretches": [{"archive": stretch["timeline"]}]}).json()
    assert without["stretches"] == []


def test_counters_are_parquet_too(case):
    parts = parts_of(made(case, parquet=True))
    tables = [pq.read_table(BytesIO(data)) for name, data in parts.items() if name.endswith(".parquet")]
    [table] = [table for table in tables if any("system.cpu.time" in name for name in table.column_names)]
    assert table.num_rows == pytest.approx(25 * 60 + 6, abs=2)
    assert str(table.schema.field("time").type) == "timestamp[ns, tz=UTC]"


def future(parts, _):
    manifest = json.loads(parts["manifest.json"]) | {"version": 9, "reditus": "4.2"}
    return parts | {"manifest.json": json.dumps(manifest).encode()}


def climbing(parts, _):
    return parts | {"../../etc/passwd": b"x"}


def damaged(parts, _):
    name = next(name for name in parts if name.endswith(".blocks"))
    return parts | {name: parts[name][:-9] + b"123456789"}


def wrong_block(parts, _):
    name = next(name for name in parts if name.endswith(".blocks"))
    return signed(parts | {name: parts[name][:-40] + bytes(40)})


def wrong_exhibit(parts, _):
    return signed(parts | {"exhibits/001.json": b'{"kind": "strip"}'})


def infinite(parts, _):
    data = json.loads(parts["exhibits/002.json"])
    data["parts"][0]["top"] = float("inf")
    return signed(parts | {"exhibits/002.json": json.dumps(data).encode()})


def missing(parts, _):
    return {name: data for name, data in parts.items() if name != "exhibits/001.json"}


def without_manifest(parts, _):
    return {name: data for name, data in parts.items() if name != "manifest.json"}


def nested(parts, _):
    return parts | {"manifest.json": b"[" * 100_000}


REFUSED = [
    (future, "has version 9, made by Reditus 4.2; this Reditus reads up to 1"),
    (climbing, "is not in its manifest"),
    (damaged, "its checksum is not that of the manifest"),
    (wrong_block, "is not as it should be"),
    (wrong_exhibit, "is not as it should be"),
    (infinite, "cannot be read|is not as it should be"),
    (missing, "is missing"),
    (without_manifest, "has no manifest.json"),
    (nested, "cannot be read"),
]


@pytest.mark.parametrize(("change", "said"), REFUSED, ids=[change.__name__ for change, _ in REFUSED])
def test_wrong_bundles_are_refused_with_a_sentence(case, other, change, said):
    client, store = other
    bundle = repacked(made(case), random.Random(1), change)
    before = rows_in(store)
    problem = sent(client, bundle, status=422)
    assert problem["type"].endswith("bad-bundle")
    assert any(part in problem["detail"] for part in said.split("|")), problem["detail"]
    assert rows_in(store) == before


def test_bombs_are_refused_unread(other):
    client, store = other
    whole = BytesIO()
    with zipfile.ZipFile(whole, "w", zipfile.ZIP_DEFLATED) as files:
        files.writestr("manifest.json", b" " * (300 << 20))
    problem = sent(client, whole.getvalue(), status=422)
    assert "no bundle of Reditus does" in problem["detail"]
    assert sent(client, b"PK\x03\x04 no zip at all", status=422)["detail"].startswith("this is no bundle")
    assert rows_in(store) == dict.fromkeys(TABLES, 0)


def test_mutated_bundles_leave_nothing_behind(case, other):
    """Bits and stretches changed anywhere: refused, or opened to the very same."""
    client, store = other
    bundle, rng = made(case, stretches=[{"archive": ARCHIVE, "start": at(10), "end": at(11)}]), random.Random(7)
    empty = rows_in(store)
    for _ in range(150):
        changed = bytearray(bundle)
        for _ in range(rng.choice((1, 1, 2, 16))):
            changed[rng.randrange(len(changed))] ^= rng.randrange(1, 256)
        if rng.random() < 0.2:
            changed = changed[: rng.randrange(len(changed))]
        answer = client.post("/api/bundles", content=bytes(changed), headers=BUNDLE)
        if answer.status_code == 200:  # a bit of a zip's head that says nothing, such as a date
            assert {item["checksum"] for item in case.get(f"{URL}/exhibits").json()} == {
                item["checksum"] for item in client.get(f"/api/investigations/{answer.json()['id']}/exhibits").json()
            }
            cleared(store, *TABLES)
            continue
        assert answer.status_code == 422, answer.text
        assert rows_in(store) == empty


def test_a_name_that_is_left_keeps_the_bundle_from_being_made(case, monkeypatch):
    from reditus.exchange.bundle import pseudonyms

    monkeypatch.setattr(pseudonyms.Pseudonyms, "within", lambda _, text: text)
    answer = case.post(f"{URL}/bundle", json={"replace": ["hosts"]})
    assert answer.status_code == 422
    assert "'stitch-01' in" in answer.json()["detail"]


def test_an_unknown_investigation_has_no_bundle(client):
    assert client.post(f"/api/investigations/{uuid4()}/bundle", json={}).status_code == 404
