"""An archive's life over HTTP: what is reported back, and what is refused."""

import pytest

from api_helpers import introduce, send
from builders import ARCHIVE, BEGIN_NS, HOST, a_block
from reditus.core.rfc3339 import spell_time
from reditus.core.types import NS_PER_S

PATH = f"/api/archives/{ARCHIVE}"


def at(second):
    return spell_time(BEGIN_NS + second * NS_PER_S)


@pytest.fixture
def filled(client):
    introduce(client)
    send(client, a_block(10), a_block(10, start=30))
    return client


def test_notes_and_protection_are_reported_back(filled):
    reported = filled.patch(PATH, json={"notes": "before the new disks\nasked by the lab", "protected": True}).json()
    assert (reported["notes"], reported["protected"], reported["name"]) == (
        "before the new disks\nasked by the lab",
        True,
        "trial",
    )
    assert filled.get(PATH).json()["protected"]
    for refused in (filled.delete(PATH), filled.post(f"{PATH}/trim", json={"from": at(0), "to": at(5)})):
        assert (refused.status_code, refused.json()["title"]) == (409, "The archive is protected")
    assert filled.patch(PATH, json={"protected": False}).json()["protected"] is False
    assert filled.delete(PATH).json()["deleted"] is not None
    assert filled.post(f"{PATH}/restore").json()["deleted"] is None


@pytest.mark.parametrize(
    ("method", "path", "reported", "status", "says"),
    [
        ("patch", "", {"note": "x"}, 422, "note"),
        ("patch", "", {"name": ""}, 422, "name"),
        ("patch", "", {"notes": "x" * 10_001}, 422, "10000"),
        ("post", "/trim", {"from": "", "to": ""}, 422, "from"),
        ("post", "/trim", {"from": "yesterday", "to": "now"}, 422, "RFC 3339"),
        ("post", "/trim", {"from": at(5), "to": at(5)}, 422, "has to end after it starts"),
        ("post", "/trim", {"from": at(500), "to": at(600)}, 404, "no ticks in that stretch"),
        ("post", "/copies", {"from": at(0), "to": at(5)}, 422, "name"),
        ("post", "/copies", {"from": at(500), "to": at(600), "name": "x"}, 404, "no ticks in that stretch"),
    ],
)
def test_what_cannot_be_done_is_said(filled, method, path, reported, status, says):
    answer = filled.request(method, f"{PATH}{path}", json=reported)
    assert (answer.status_code, answer.headers["content-type"]) == (status, "application/problem+json")
    assert says in answer.json()["detail"]
    assert filled.get(PATH).json()["ticks"] == 20


def test_an_archive_that_is_not_there(client):
    for answer in (
        client.patch(PATH, json={"notes": "x"}), client.delete(PATH), client.post(f"{PATH}/restore"),
        client.post(f"{PATH}/trim", json={"from": at(0), "to": at(1)}), client.get(f"{PATH}/gaps"),
    ):  # fmt: skip
        assert answer.status_code == 404


def test_trimming_and_copying(filled):
    copy = filled.post(f"{PATH}/copies", json={"from": at(2), "to": at(32), "name": "the middle"})
    assert copy.status_code == 201
    assert (copy.json()["ticks"], copy.json()["name"]) == (10, "the middle")
    assert filled.post(f"{PATH}/trim", json={"from": at(0), "to": at(5)}).json() == {"removed_ticks": 15}
    assert filled.get(PATH).json()["ticks"] == 5
    assert filled.get(f"/api/archives/{copy.json()['id']}").json()["ticks"] == 10


def test_gaps_and_coverage(filled):
    reported = filled.get(f"{PATH}/gaps").json()
    assert (reported["total"], reported["seconds"]) == (1, 20.0)
    assert reported["gaps"] == [
        {"start": at(9), "end": at(29), "reason": None},
    ]  # fmt: skip
    assert filled.get(PATH).json()["coverage"] == 0.5


def test_a_host_is_read_like_an_archive(filled):
    host = f"/api/archives/{HOST}"
    copy = filled.post(f"{host}/copies", json={"from": at(0), "to": at(40), "name": "all"}).json()["id"]
    assert filled.get(host).json()["name"] == "2 archives as one"
    assert filled.get(host).json()["coverage"] == pytest.approx(0.5, abs=0.02)
    filled.delete(f"/api/archives/{copy}")
    assert filled.get(host).json()["id"] == str(HOST)
    assert filled.get(f"{host}/measures").json() == filled.get(f"{PATH}/measures").json()
    series = [filled.get(f"{path}/series", params={"measure": "cpu.switches"}).json() for path in (host, PATH)]
    assert series[0] == series[1]
    assert filled.get(f"{host}/moment", params={"at": at(5)}).json()["readings"]
    assert filled.get(f"{host}/diagnosis").json()["host"] == "testbed"
    assert filled.get(f"{host}/facts").json()
    remark = {"at": at(31), "kind": "note", "text": "here"}
    assert filled.post(f"{host}/markers", json=[remark]).status_code == 204
    assert [item["text"] for item in filled.get(f"{host}/markers").json()["markers"]] == ["here"]
    assert filled.get(f"{PATH}/markers").json()["total"] == 1
    filled.put(f"{host}/names", json={"kind": "disk", "device": "sda", "name": "photo store"})
    assert filled.get(f"{PATH}/names").json() == {"disk": {"sda": "photo store"}}
