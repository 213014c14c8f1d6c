"""Bad input: a clear problem that says what to do, and nothing half-written."""

import struct
import time
import zlib

import pytest

from api_helpers import BLOCKS, REGISTRATION, introduce, send
from builders import ARCHIVE, a_block, a_schema
from reditus.core.types import NS_PER_S


def ticks(client):
    return client.get(f"/api/archives/{ARCHIVE}").json()["ticks"]


def patched(block, at, part):
    raw = block.to_bytes()
    body = raw[:at] + part + raw[at + len(part) : -4]
    return body + struct.pack("<I", zlib.crc32(body))


def assert_problem(response, status, says):
    assert response.status_code == status, response.text
    assert response.headers["content-type"] == "application/problem+json"
    problem = response.json()
    assert problem["status"] == status
    assert problem["type"].startswith("urn:reditus:problem:")
    assert says in problem["detail"], problem["detail"]


def test_blocks_are_kept_and_acknowledged(client):
    introduce(client)
    assert send(client, a_block(3)).json() == {"stored_ticks": 3, "repeated_ticks": 0}
    assert send(client, a_block(3)).json() == {"stored_ticks": 0, "repeated_ticks": 3}
    assert ticks(client) == 3


def test_an_unknown_archive(client):
    assert_problem(send(client, a_block()), 404, "there is no archive")
    assert_problem(client.get(f"/api/archives/{ARCHIVE}"), 404, "`reditus archives`")
    assert_problem(client.get(f"/api/archives/{ARCHIVE}/series?measure=cpu.busy"), 404, "there is no archive")
    assert_problem(client.get("/api/archives/nonsense"), 422, "archive_id")


def test_an_unknown_schema(client):
    assert client.put(f"/api/archives/{ARCHIVE}", json=REGISTRATION).status_code == 200
    assert_problem(send(client, a_block()), 409, "PUT it under the archive's schemas")


GOOD = a_block()
BAD_BODIES = {
    "empty": (b"", 422, "the body is empty"),
    "not a block": (b"GET / HTTP/1.1" + bytes(100), 422, "no block begins at byte 0"),
    "cut off": (GOOD.to_bytes()[:-20], 422, "cut off"),
    "second one cut off": (GOOD.to_bytes() + a_block(2, start=5).to_bytes()[:60], 422, "cut off"),
    "damaged": (GOOD.to_bytes()[:-1] + b"\0", 422, "send it again"),
    "from the future": (patched(GOOD, 4, struct.pack("<H", 9)), 422, "Update the server"),
    "interval of 0": (patched(GOOD, 96, struct.pack("<q", 0)), 422, "an interval of 0.1 s to 3600 s, not 0 s"),
    "absurd ticks": (patched(GOOD, 76, struct.pack("<I", 4_000_000_000)), 422, "ticks"),
    "absurd columns": (patched(GOOD, 72, struct.pack("<I", 1_000_000)), 422, "columns"),
    "far past": (a_block(begin_ns=-5 * 10**18).to_bytes(), 422, "ticks lie between"),
    "long past": (a_block(begin_ns=NS_PER_S).to_bytes(), 422, "1970-01-01T00:00:01Z"),
    "far future": (a_block(begin_ns=time.time_ns() + 10 * 86_400 * NS_PER_S).to_bytes(), 422, "a day from now"),
}


@pytest.mark.parametrize("case", BAD_BODIES)
def test_bad_blocks_are_refused_and_nothing_is_kept(client, case):
    body, status, says = BAD_BODIES[case]
    introduce(client)
    send(client, a_block(2, start=100))
    assert_problem(client.post(BLOCKS, content=body), status, says)
    assert ticks(client) == 2


def test_one_bad_block_refuses_its_whole_batch(client):
    introduce(client)
    assert_problem(send(client, a_block(), a_block(begin_ns=0, start=9)), 422, "ticks lie between")
    assert ticks(client) == 0


def test_a_body_over_the_limit(client):
    introduce(client)
    assert_problem(
        client.post(BLOCKS, content=b"x", headers={"content-length": str(1 << 40)}), 413, "send less at a time"
    )
    endless = (b"x" * (1 << 20) for _ in range(65))
    assert_problem(client.post(BLOCKS, content=endless), 413, "send less at a time")


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"name": ""}, "name"),
        ({"name": "x\ny"}, "name"),
        ({"source": "guessed"}, "recorded"),
        ({"host": {"id": "me", "name": "b"}}, "#/host/id"),
        ({"facts": {"disks": {"sda": {"role": "wheel"}}}}, "disks.'sda'.role: one of"),
    ],
)
def test_bad_registrations(client, change, says):
    response = client.put(f"/api/archives/{ARCHIVE}", json=REGISTRATION | change)
    assert_problem(response, 422, says)
    assert client.get("/api/archives").json() == []


def test_bad_schemas(client):
    assert client.put(f"/api/archives/{ARCHIVE}", json=REGISTRATION).status_code == 200
    base = f"/api/archives/{ARCHIVE}/schemas"
    schema = a_schema()
    assert_problem(client.put(f"{base}/{'0' * 64}", json=schema.as_json()), 422, schema.digest.hex())
    assert_problem(client.put(f"{base}/{'0' * 64}", json={"group": "cpu"}), 422, "group, part and columns")
    assert_problem(client.put(f"{base}/{'0' * 64}", content=b"{"), 422, "docs")


def test_changes_from_another_site_are_refused(client):
    response = client.put(f"/api/archives/{ARCHIVE}", json=REGISTRATION, headers={"origin": "http://elsewhere.example"})
    assert_problem(response, 403, "Reditus' own pages")


def test_a_strange_host_name_is_refused(client):
    assert client.get("/api/health", headers={"host": "rebound.example"}).status_code == 400


def test_unknown_paths_are_problems(client):
    assert_problem(client.get("/api/nothing"), 404, "/api/docs")


def test_ticks_of_now_are_taken(client):
    introduce(client)
    assert send(client, a_block(begin_ns=time.time_ns())).status_code == 200


def test_facts_are_kept_as_they_change(client):
    introduce(client)
    introduce(client)  # nothing new
    assert client.put(f"/api/archives/{ARCHIVE}", json=REGISTRATION | {"facts": {"cores": 4}}).status_code == 200
    history = client.get(f"/api/archives/{ARCHIVE}/facts").json()
    assert [item["facts"]["cores"] for item in history] == [2, 4]
    assert history[0]["since"] < history[1]["since"]
    assert client.get(f"/api/archives/{ARCHIVE}").json()["facts"]["cores"] == 4


def test_recorders_of_version_0_1_are_served(client):
    """They call schemas layouts."""
    assert client.put(f"/api/archives/{ARCHIVE}", json=REGISTRATION).status_code == 200
    schema = a_schema()
    old = f"/api/archives/{ARCHIVE}/layouts/{schema.digest.hex()}"
    assert client.put(old, json=schema.as_json()).status_code == 204
    assert send(client, a_block()).json()["stored_ticks"] > 0
    paths = client.get("/api/openapi.json").json()["paths"]
    assert not any("layouts" in path for path in paths if path.startswith("/api/archives"))
