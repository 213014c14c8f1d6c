"""Markers and device names over HTTP."""

from uuid import uuid4

import pytest

from api_helpers import introduce as register
from builders import ARCHIVE, BEGIN_NS, BOOT
from reditus.core.markers import Marker, Markers
from reditus.core.rfc3339 import spell_time

S = 10**9
KERNEL = Marker("kernel/b/1", BEGIN_NS + 5 * S, "log", "I/O error on vda", "kernel", "error")
QUIET = Marker("line/2", BEGIN_NS + 6 * S, "log", "all is well", "lab[3]", "informational")


def at(seconds):
    return spell_time(BEGIN_NS + seconds * S)


@pytest.fixture
def url(client):
    register(client)
    return f"/api/archives/{ARCHIVE}"


def listed(client, url, **requested):
    answer = client.get(f"{url}/markers", params={"from": at(0), "to": at(60)} | requested)
    assert answer.status_code == 200, answer.text
    return answer.json()


def test_lines_come_with_a_batch_and_twice_is_once(client, url):
    batch = Markers(ARCHIVE, BOOT, (KERNEL, QUIET)).to_bytes()
    for _ in range(2):
        answer = client.post(f"{url}/blocks", content=batch)
        assert answer.status_code == 200, answer.text
    found = listed(client, url)
    assert [match["text"] for match in found["markers"]] == ["I/O error on vda", "all is well"]
    assert found["total"] == 2
    assert found["markers"][0] == {
        "ident": "kernel/b/1", "at": spell_time(BEGIN_NS + 5 * S), "end": None, "kind": "log",
        "text": "I/O error on vda", "source": "kernel", "severity": "error",
        "log": "kernel",
    }  # fmt: skip
    assert [item["text"] for item in listed(client, url, severity="warning")["markers"]] == ["I/O error on vda"]


def test_where_there_are_too_many_the_worst_are_reported(client, url):
    many = [Marker(f"line/{n}", BEGIN_NS + n * S, "log", "noise", "a", "debug") for n in range(9)]
    client.post(f"{url}/blocks", content=Markers(ARCHIVE, BOOT, (*many, KERNEL)).to_bytes())
    found = listed(client, url, limit="3")
    assert found["total"] == 10
    assert [match["severity"] for match in found["markers"]] == ["debug", "debug", "error"]


def test_markers_of_another_archive_are_refused(client, url):
    answer = client.post(f"{url}/blocks", content=Markers(uuid4(), BOOT, (KERNEL,)).to_bytes())
    assert answer.status_code == 409
    assert listed(client, url)["total"] == 0


def test_remarks_and_stretches(client, url):
    reported = [{"at": at(3), "text": "people began to call"}, {"at": at(50), "end": at(90), "text": "backup ran"}]
    assert client.post(f"{url}/markers", json=reported).status_code == 204
    found = listed(client, url, to=at(70))["markers"]
    assert [(match["kind"], match["text"]) for match in found] == [
        ("note", "people began to call"),
        ("note", "backup ran"),
    ]
    assert [item["text"] for item in listed(client, url, **{"from": at(60), "to": at(70)})["markers"]] == ["backup ran"]


@pytest.mark.parametrize(
    ("wrong", "said"),
    [
        ({"at": "yesterday", "text": "x"}, "is no time"),
        ({"at": "2026-11-12T09:00:00Z", "end": "2026-11-12T08:00:00Z", "text": "x"}, "before it begins"),
        ({"at": "2026-11-12T09:00:00Z", "text": ""}, "at least 1 character"),
        ({"at": "2026-11-12T09:00:00Z", "text": "x", "severity": "bad"}, "emergency"),
    ],
)
def test_what_is_wrong_with_a_marker_is_said_and_nothing_is_kept(client, url, wrong, said):
    answer = client.post(f"{url}/markers", json=[{"at": at(1), "text": "good"}, wrong])
    assert answer.status_code == 422
    assert said in answer.json()["detail"]
    assert listed(client, url)["total"] == 0


def test_an_archive_that_is_not_there(client):
    answer = client.get(f"/api/archives/{uuid4()}/markers")
    assert answer.status_code == 404


def test_a_device_has_a_name_until_it_is_taken_away(client, url):
    named = client.put(f"{url}/names", json={"kind": "disk", "device": "vda", "name": " photo store "})
    assert named.json() == {"disk": {"vda": "photo store"}}
    client.put(f"{url}/names", json={"kind": "filesystem", "device": "/srv/with space", "name": "scans"})
    client.put(f"{url}/names", json={"kind": "disk", "device": "vda", "name": "photos"})
    assert client.get(f"{url}/names").json() == {"disk": {"vda": "photos"}, "filesystem": {"/srv/with space": "scans"}}
    assert client.put(f"{url}/names", json={"kind": "disk", "device": "vda", "name": None}).json() == {
        "filesystem": {"/srv/with space": "scans"}
    }
    assert client.put(f"{url}/names", json={"kind": "printer", "device": "a", "name": "b"}).status_code == 422


def test_what_a_recorder_dropped_is_a_gap_with_its_reason(client, url):
    reported = {
        "host": {"id": client.get(url).json()["host"]["id"], "name": "h"},
        "archive": str(ARCHIVE),
        "name": "n",
        "plan": None,
        "report": {
            "version": "1",
            "pid": 1,
            "state": "recording",
            "started": "2026-11-12T09:00:00Z",
            "interval_s": 1,
            "last_tick": None,
            "ticks": 1,
            "missed": 0,
            "late_s": None,
            "cost_share": None,
            "memory_bytes": 1,
            "spool_bytes": 0,
            "spool_limit_bytes": 1,
            "unreadable": {},
            "dropped": [
                {"start": spell_time(BEGIN_NS + 10 * S), "end": spell_time(BEGIN_NS + 20 * S), "reason": "spool full"}
            ],
        },
    }
    for _ in range(2):
        assert client.put(f"/api/recorders/{ARCHIVE}", json=reported).status_code == 200
        reported["report"]["dropped"][0]["end"] = spell_time(BEGIN_NS + 25 * S)
    (gap,) = listed(client, url)["markers"]
    assert (gap["kind"], gap["text"], gap["at"], gap["end"]) == (
        "gap",
        "spool full",
        spell_time(BEGIN_NS + 10 * S),
        spell_time(BEGIN_NS + 25 * S),
    )
