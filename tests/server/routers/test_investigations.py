"""Investigations over HTTP: what people write, what is pinned, and what becomes of both."""

import json
from hashlib import sha256
from uuid import uuid4

import pytest
from sqlalchemy import text

from cases import CASE, CORES, QUESTION, SHORT, at, begin, change, cleared, load_whole, pinned, served, strip
from reditus.core.window import Window
from reditus.exchange.bundle.contents import MOST_ROWS

ARCHIVE = str(SHORT.archive)
URL = f"/api/investigations/{CASE}"


@pytest.fixture(scope="module")
def loaded(cluster):
    with served(cluster) as (client, store):
        load_whole(client, SHORT)
        yield client, store


@pytest.fixture
def bench(loaded):
    """A server with an archive, and an investigation without exhibits."""
    client, store = loaded
    cleared(store, "exhibits", "investigations", "markers")
    begin(client)
    return client


@pytest.fixture
def alone(client):
    """The same in a database that the test may spoil."""
    load_whole(client, SHORT)
    begin(client)
    return client


def shown(client):
    return client.get(f"{URL}/exhibits").json()


def test_fields_are_kept_one_by_one(client):
    begin(client, noticed="the foreman", window={"start": at(0), "end": at(30), "archive": None})
    hypothesis = str(uuid4())
    answer = change(client, 1, since="nine o’clock", hypotheses={hypothesis: {"text": "too few cores"}})
    assert answer.status_code == 200, answer.text
    fields = answer.json()["fields"]
    assert (fields["question"], fields["noticed"], fields["since"]) == (QUESTION, "the foreman", "nine o’clock")
    assert fields["hypotheses"][hypothesis]["state"] == "open"
    # Null takes a field away; what is not named stays.
    fields = change(client, 2, since=None, hypotheses={hypothesis: None}).json()["fields"]
    assert fields["since"] is None
    assert not fields["hypotheses"]
    assert fields["noticed"] == "the foreman"


def test_two_people_lose_no_words(client):
    begin(client, noticed="readers", usual="fast")
    assert change(client, 1, noticed="readers, from six").status_code == 200
    # Another field, from the same old version: they do not meet.
    assert change(client, 1, usual="within a second").status_code == 200
    answer = change(client, 1, noticed="the library")
    assert answer.status_code == 409
    problem = answer.json()
    assert problem["type"].endswith("changed-meanwhile")
    assert problem["fields"] == {"noticed": "readers, from six"}
    assert "noticed" in problem["detail"]
    assert client.get(URL).json()["fields"]["noticed"] == "readers, from six"
    # The same words again are no change, whatever version they were read in.
    assert change(client, 1, noticed="readers, from six").status_code == 200
    assert change(client, problem["version"], noticed="readers and the library").status_code == 200


def test_deletion_can_be_taken_back(client):
    begin(client)
    assert client.delete(URL).status_code == 204
    assert client.get("/api/investigations").json() == []
    assert client.get(URL).status_code == 404
    # What was deleted is not begun again behind one's back.
    assert client.put(URL, json={"question": "another"}).status_code == 404
    assert client.post(f"{URL}/restore").json()["fields"]["question"] == QUESTION


def test_a_strip_is_frozen_with_its_numbers(bench):
    exhibit = pinned(bench, kind="strip", strip=CORES)
    assert exhibit["title"] == "Cores busy"
    assert {figure["label"] for figure in exhibit["figures"]} == {"low", "mean", "high", "coverage"}
    answer = bench.get(f"/api/exhibits/{exhibit['id']}")
    assert sha256(answer.content).hexdigest() == exhibit["checksum"]
    frozen = answer.json()
    chart = frozen["parts"][0]
    series = bench.get(
        f"/api/archives/{ARCHIVE}/series", params={"measure": "cpu.busy", "from": at(5), "to": at(30), "width": 880}
    ).json()
    assert chart["lines"][0]["values"] == series["series"][0]["mean"]
    # 1,500 ticks are kept beside the 880 points that are drawn.
    ticks = bench.get(
        f"/api/archives/{ARCHIVE}/series", params={"measure": "cpu.busy", "from": at(5), "to": at(30), "width": 2_000}
    ).json()
    assert chart["ticks"]["columns"][0] == ticks["series"][0]["mean"]
    assert frozen["versions"]["derivation"] >= 5
    assert frozen["source"]["coverage"] == pytest.approx(1.0)


@pytest.mark.parametrize(
    ("pin", "title"),
    [
        ({"kind": "figures", "strips": [CORES]}, "Figures of Cores busy"),
        ({"kind": "moment", "at": at(20)}, "stitch-01 at"),
        ({"kind": "use", "by": "program", "sort": "processor"}, "Who used what, by program"),
        ({"kind": "facts"}, "What is known of stitch-01"),
        (
            {"kind": "difference", "measure": "cpu.busy", "start": at(20), "end": at(30), "reference_start": at(0),
             "reference_end": at(10)},
            "Cores busy: more than in the reference",
        ),
    ],
)  # fmt: skip
def test_whatever_is_on_screen_is_pinned(bench, pin, title):
    exhibit = pinned(bench, **pin)
    assert exhibit["title"].startswith(title)
    assert any(part["rows"] for part in exhibit["parts"])
    assert exhibit["remains"] == "all"


def test_a_finding_is_pinned_by_its_id_and_so_is_a_note(bench):
    found = bench.get(f"/api/archives/{ARCHIVE}/diagnosis").json()["findings"][0]
    exhibit = pinned(bench, kind="finding", finding=found["id"], start=at(0), end=at(35))
    assert found["explanation"] in exhibit["parts"][0]["lines"]
    note = {"at": at(12), "kind": "note", "text": "the scanner was moved", "ident": "note/1"}
    assert bench.post(f"/api/archives/{ARCHIVE}/markers", json=[note]).status_code == 204
    exhibit = pinned(bench, kind="note", ident="note/1")
    assert (exhibit["title"], exhibit["number"]) == ("the scanner was moved", 2)
    lines = [
        {"at": at(10 + n / 100), "kind": "log", "text": f"line {n}", "ident": f"log/{n}", "severity": "warning"}
        for n in range(3)
    ]
    assert bench.post(f"/api/archives/{ARCHIVE}/markers", json=lines).status_code == 204
    exhibit = pinned(bench, kind="log", severity="warning")
    assert [row[3] for row in exhibit["parts"][0]["rows"]] == ["line 0", "line 1", "line 2"]


def test_what_cannot_be_pinned_is_refused_with_a_sentence(bench):
    problem = pinned(bench, kind="finding", finding="disk.saturated/sda/1", status=404)
    assert "no finding 'disk.saturated/sda/1'" in problem["detail"]
    assert "choose a moment that was recorded" in pinned(bench, kind="moment", at=at(600), status=422)["detail"]
    assert pinned(bench, kind="strip", strip=strip("x", "disk", "s", "disk.none"), status=404)["title"]
    assert shown(bench) == []


def test_a_table_of_ticks(bench):
    exhibit = pinned(bench, kind="ticks", strips=[CORES], start=at(5), end=at(6))
    table = exhibit["parts"][0]
    assert len(table["rows"]) == 60
    assert table["heads"][0] == {"title": "time", "numeric": False}
    assert MOST_ROWS < 35 * 60
    problem = pinned(bench, kind="ticks", strips=[CORES], start=at(0), end=at(35), status=422)
    assert "at most 2000" in problem["detail"]


def test_an_exhibit_stays_true_when_its_archive_is_gone(alone, store):
    exhibit = pinned(alone, kind="strip", strip=CORES)
    before = alone.get(f"/api/exhibits/{exhibit['id']}").content
    store.archives.trim(SHORT.archive, Window(SHORT.begin_ns + 600 * 10**9, SHORT.begin_ns + 2_000 * 10**9))
    assert shown(alone)[0]["remains"] == "part"
    assert shown(alone)[0]["view"]
    store.archives.delete(SHORT.archive)
    assert shown(alone)[0]["remains"] == "gone"
    assert shown(alone)[0]["view"] == ""
    assert alone.get(f"/api/exhibits/{exhibit['id']}").content == before


def test_archives_keep_what_exhibits_stand_on_by_choice(alone, store):
    pinned(alone, kind="strip", strip=CORES)
    assert alone.put(f"{URL}/keeps", json={"keeps": True}).json()["keeps"]
    problem = alone.delete(f"/api/archives/{ARCHIVE}")
    assert problem.status_code == 409
    assert problem.json()["type"].endswith("archive-in-use")
    trim = alone.post(f"/api/archives/{ARCHIVE}/trim", json={"from": at(20), "to": at(25)})
    assert trim.status_code == 409
    # Around the exhibit it may be trimmed.
    assert alone.post(f"/api/archives/{ARCHIVE}/trim", json={"from": at(4), "to": at(31)}).status_code == 200
    alone.put(f"{URL}/keeps", json={"keeps": False})
    assert alone.delete(f"/api/archives/{ARCHIVE}").status_code == 200


def test_an_exhibit_is_pinned_once_and_removed_and_brought_back(bench):
    exhibit = str(uuid4())
    first = pinned(bench, exhibit=exhibit, kind="facts")
    assert pinned(bench, exhibit=exhibit, kind="facts")["pinned"] == first["pinned"]
    assert bench.delete(f"/api/exhibits/{exhibit}").status_code == 204
    assert shown(bench) == []
    pinned(bench, exhibit=exhibit, kind="facts", status=404)
    assert bench.post(f"/api/exhibits/{exhibit}/restore").status_code == 204
    assert [item["id"] for item in shown(bench)] == [exhibit]


def test_damage_is_found_and_said(bench, loaded):
    exhibit = pinned(bench, kind="facts")
    with loaded[1].engine.begin() as connection:
        connection.execute(text("update exhibits set content = set_byte(content, 20, 65)"))
    answer = bench.get(f"/api/exhibits/{exhibit['id']}")
    assert answer.status_code == 503
    assert "checksum does not match" in answer.json()["detail"]
    # The others are shown all the same, in the list and in the report; what is damaged does not leave in a bundle.
    whole = pinned(bench, kind="moment", at=at(20))
    first, second = shown(bench)
    assert first["title"] == "This exhibit is damaged"
    assert "checksum does not match" in first["parts"][0]["lines"][0]
    assert (second["id"], second["parts"][0]["rows"]) == (whole["id"], whole["parts"][0]["rows"])
    assert "This exhibit is damaged" in bench.get(f"{URL}/report.html").text
    assert bench.post(f"{URL}/bundle", json={}).status_code == 503


def test_captions_order_and_the_timeline(bench):
    one, two = (pinned(bench, kind="strip", strip=CORES)["id"], pinned(bench, kind="moment", at=at(20))["id"])
    version = bench.get(URL).json()["version"]
    window = {"start": at(10), "end": at(30), "archive": None}
    more = {"hosts": [ARCHIVE], "window": window, "changed": "a new label reader", "changed_at": at(18)}
    answer = change(bench, version, order=[two, one], captions={one: "all of the cores"}, **more)
    assert answer.status_code == 200, answer.text
    assert [(item["id"], item["number"], item["caption"]) for item in shown(bench)] == [
        (two, 1, ""),
        (one, 2, "all of the cores"),
    ]
    timeline = bench.get(f"{URL}/timeline").json()
    assert timeline["troubles"] == []
    kinds = {event["what"] for event in timeline["events"]}
    assert {"exhibit", "finding", "change"} <= kinds
    assert [event["text"] for event in timeline["events"] if event["what"] == "change"] == ["a new label reader"]


def test_a_copy_has_the_same_exhibits_under_ids_of_its_own(bench):
    exhibit = pinned(bench, kind="facts")
    change(bench, 1, hypotheses={str(uuid4()): {"text": "h", "supporting": [exhibit["id"]]}})
    copy = bench.post(f"{URL}/copy").json()
    own = bench.get(f"/api/investigations/{copy['id']}/exhibits").json()
    assert own[0]["checksum"] == exhibit["checksum"]
    assert own[0]["id"] != exhibit["id"]
    [hypothesis] = copy["fields"]["hypotheses"].values()
    assert hypothesis["supporting"] == [own[0]["id"]]


def test_several_devices_are_added_up(bench):
    lines = [{"names": ["cpu.core.busy@0", "cpu.core.busy@1"], "label": "both", "together": "sum"}]
    names = {item["name"] for item in bench.get(f"/api/archives/{ARCHIVE}/measures").json()}
    per_core = "cpu.busy" if "cpu.core.busy" not in names else "cpu.core.busy"
    lines[0]["names"] = [f"{per_core}@0", f"{per_core}@1"]
    exhibit = pinned(bench, kind="strip", strip={**CORES, "lines": lines})
    chart = json.loads(bench.get(f"/api/exhibits/{exhibit['id']}").content)["parts"][0]
    query = {"measure": lines[0]["names"], "from": at(5), "to": at(30), "width": 880}
    single = [item["mean"] for item in bench.get(f"/api/archives/{ARCHIVE}/series", params=query).json()["series"]]
    assert chart["lines"][0]["values"] == [first + second for first, second in zip(*single, strict=True)]
