"""Absurd requests: a sentence, no 5xx, and the connection goes on."""

import json
import struct
import tracemalloc
import zlib
from dataclasses import asdict
from uuid import UUID

import pytest

from api_helpers import BLOCKS, REGISTRATION, introduce, send
from builders import ARCHIVE, BEGIN_NS, BOOT, a_block, a_report, a_schema
from reditus.core.identities import Identity
from reditus.core.types import NS_PER_S
from reditus.server.settings import Settings

PATH = f"/api/archives/{ARCHIVE}"
RECORDER = f"/api/recorders/{ARCHIVE}"
JSON = {"content-type": "application/json"}
EVER = {"from": "1990-01-01T00:00:00Z", "to": "2199-12-31T23:59:59Z"}


def facts(text):
    return json.dumps(REGISTRATION).replace('"cores": 2', text)


def schema(text):
    return json.dumps(a_schema().as_json()).replace('"scale": [1, 1]', text)


def report(**change):
    return json.dumps({"host": REGISTRATION["host"], "name": "r", "report": a_report(**change)})


def a_list(*items):
    """Identities as no recorder of ours writes them."""
    answer = json.dumps(list(items)).encode()
    body = struct.pack("<4sHH16s16sI", b"RDTN", 1, 0, ARCHIVE.bytes, BOOT.bytes, len(answer)) + answer
    return body + struct.pack("<I", zlib.crc32(body))


HOSTILE = {
    "facts with NaN": ("PUT", PATH, facts('"cores": NaN')),
    "facts with Infinity": ("PUT", PATH, facts('"memory_bytes": Infinity')),
    "facts with NUL": ("PUT", PATH, facts('"kernel": "a\\u0000b"')),
    "facts with half a pair": ("PUT", PATH, facts('"model": "\\ud800"')),
    "facts of many cores": ("PUT", PATH, facts('"cores": "many"')),
    "facts of fewer than none": ("PUT", PATH, facts('"cores": -5')),
    "facts nested deep": ("PUT", PATH, facts('"x": ' + "[" * 5_000 + "]" * 5_000)),
    "a host of dashes": ("PUT", PATH, json.dumps(REGISTRATION | {"host": {"id": "-" * 36, "name": "b"}})),
    "a name with half a pair": ("PUT", PATH, json.dumps(REGISTRATION | {"name": "\ud800"})),
    "a scale of 10^30": ("PUT", f"{PATH}/schemas/{'0' * 64}", schema('"scale": [1' + "0" * 30 + ", 1]")),
    "a scale of inf": ("PUT", f"{PATH}/schemas/{'0' * 64}", schema('"scale": [Infinity, 1]')),
    "bits of inf": ("PUT", f"{PATH}/schemas/{'0' * 64}", schema('"scale": [1, 1], "x": 1e999')),
    "a scale of one": ("PUT", f"{PATH}/schemas/{'0' * 64}", schema('"scale": [1]')),
    "a plan of 500 digits": ("PUT", "/api/plans/p", json.dumps({"name": "p", "every": "9" * 500 + "s"})),
    "a plan with half a pair": ("PUT", "/api/plans/p", '{"name": "\\ud800"}'),
    "a plan called NUL": ("DELETE", "/api/plans/%00", ""),
    "a plan that is no UTF-8": ("DELETE", "/api/plans/%ff", ""),
    "a report with NaN": ("PUT", RECORDER, report().replace('"pid": 1', '"pid": NaN')),
    "a report of inf": ("PUT", RECORDER, report().replace('"interval_s": 1.0', '"interval_s": 1e400')),
    "a report with NUL": ("PUT", RECORDER, report(state="a\0b")),
    "a report of a time beyond": (
        "PUT",
        RECORDER,
        report(dropped=[{"start": "9" * 50, "end": "1e300", "reason": "x"}]),
    ),
    "a report of a pid beyond": ("PUT", RECORDER, report(pid=1 << 70)),
    "a device with NUL": ("PUT", f"{PATH}/names", '{"kind": "disk", "device": "a\\u0000", "name": "b"}'),
    "a marker of the year 99999": ("POST", f"{PATH}/markers", '[{"at": "99999-01-01T00:00:00Z", "text": "x"}]'),
    "a marker at the edge of time": ("POST", f"{PATH}/markers", '[{"at": "0001-01-01T00:00:00+23:59", "text": "x"}]'),
    "[[[[": ("POST", f"{PATH}/markers", "[" * 100_000),
    "a verdict of NUL": ("PUT", f"{PATH}/verdicts", '{"kind": "\\u0000", "start": "x", "end": "y", "state": "open"}'),
    "a trim to a list": ("POST", f"{PATH}/trim", '{"from": [], "to": {}}'),
    "a burst for ever": ("PATCH", RECORDER, '{"burst_s": 1e308}'),
    "a check from beyond": ("POST", f"{PATH}/check", f'{{"after_ns": {1 << 63}}}'),
    "identities that are numbers": ("POST", BLOCKS, a_list(1, 2)),
    "identities that are nothing": ("POST", BLOCKS, a_list(None)),
    "identities that are lists": ("POST", BLOCKS, a_list([])),
    "identities that are texts": ("POST", BLOCKS, a_list("x")),
    "a name in a batch with half a pair": (
        "POST",
        BLOCKS,
        a_list(asdict(Identity(1, 2, "?", "u", "", 0)) | {"name": "\ud800"}),
    ),
}


@pytest.fixture
def there(client):
    introduce(client)
    assert send(client, a_block(30)).status_code == 200
    return client


@pytest.mark.parametrize("case", HOSTILE)
def test_what_cannot_be_taken_gets_a_sentence(there, case):
    method, path, body = HOSTILE[case]
    response = there.request(method, path, content=body, headers=JSON)
    assert 400 <= response.status_code < 500, response.text
    assert response.headers["content-type"] == "application/problem+json"
    assert 10 < len(response.json()["detail"]) < 2_000
    assert there.get(PATH).json()["ticks"] == 30


@pytest.mark.parametrize("width", [1, 2, 1_300, 10_000])
@pytest.mark.parametrize("what", ["series", "strain"])
def test_centuries_of_half_a_minute_cost_half_a_minute(there, what, width):
    """Bins of all that time would take gigabytes, and their edges reach beyond what 64 bits hold."""
    requested = {"measure": ["cpu.switches", "cpu.runnable"] * 80, "width": min(width, 4_000), **EVER}
    tracemalloc.start()
    try:
        response = there.get(f"{PATH}/{what}", params=requested)
        assert tracemalloc.get_traced_memory()[1] < 128 << 20
    finally:
        tracemalloc.stop()
    assert response.status_code in (200, 422), response.text
    if response.status_code == 422:
        assert "fit" in response.json()["detail"]
    elif what == "series":
        one = response.json()["series"][0]
        assert max(value for value in one["mean"] if value is not None) == pytest.approx(100)


def test_a_diagnosis_of_centuries_is_one_of_half_a_minute(there):
    assert there.get(f"{PATH}/diagnosis", params=EVER).json()["findings"] == []
    beside = {"from": "1990-01-01T00:00:00Z", "to": "1991-01-01T00:00:00Z"}
    assert there.get(f"{PATH}/diagnosis", params=beside).status_code == 200
    assert there.get(f"{PATH}/series", params={"measure": "cpu.switches", **beside}).status_code == 200


YEAR_S = 365 * 86_400


@pytest.mark.parametrize("apart_s", [104 * 86_400 + 7, 180 * 86_400, YEAR_S, 20 * YEAR_S])
def test_ticks_that_lie_years_apart_are_read_and_judged(client, apart_s):
    """Nanoseconds counted in doubles lose the last bin above 104 days."""
    introduce(client)
    last_ns = BEGIN_NS
    begins_ns = [last_ns - number * apart_s * NS_PER_S for number in range(2 if apart_s > YEAR_S else 4)]
    for number, begin_ns in enumerate(begins_ns):
        assert send(client, a_block(600, begin_ns=begin_ns, boot=UUID(int=number + 1))).status_code == 200
    assert client.get(f"{PATH}/diagnosis").status_code == 200
    for width in (1, 100, 10_000):
        requested = {"measure": ["cpu.switches", "cpu.runnable"], "width": width}
        found = client.get(f"{PATH}/series", params=requested)
        assert found.status_code == 200, found.text
        assert found.json()["series"][0]["summary"]["high"] == pytest.approx(100, rel=0.05)
        assert client.get(f"{PATH}/strain", params={"width": min(width, 4_000)}).status_code == 200
    assert client.get(f"{PATH}/gaps").json()["total"] == len(begins_ns) - 1


def test_a_clock_that_began_in_2000_and_was_set_right(client):
    introduce(client)
    wrong_ns = 946_684_800 * NS_PER_S
    assert send(client, a_block(900, begin_ns=wrong_ns), a_block(900, start=900)).status_code == 200
    assert client.get(f"{PATH}/diagnosis").status_code == 200
    assert client.get(f"{PATH}/series", params={"measure": "cpu.switches"}).status_code == 200


def test_a_block_at_the_place_of_another_is_refused_alone(there):
    clash = a_block(3, boot=UUID(int=7))
    response = send(there, a_block(5, start=100), clash)
    assert response.status_code == 409
    assert "begins at" in response.json()["detail"]
    assert there.get(PATH).json()["ticks"] == 30  # all or none
    assert send(there, a_block(5, start=100)).status_code == 200


def test_intake_decodes_every_column(there):
    block = a_block(30, start=200)
    raw = bytearray(block.to_bytes())
    at = len(raw) - len(block.data) - 4 + block.offsets[2]
    raw[at] = 99
    body = bytes(raw[:-4])
    response = there.post(BLOCKS, content=body + struct.pack("<I", zlib.crc32(body)))
    assert response.status_code == 422
    assert "checksum of column 2" in response.json()["detail"]


def test_an_answer_that_is_too_much_says_what_fits(client):
    introduce(client)
    send(client, a_block(30))
    response = client.get(f"{PATH}/series", params={"measure": ["cpu.switches"] * 160, "width": 10_000})
    assert response.status_code == 422
    assert response.json()["type"].endswith("request-too-large")
    assert "series of that width fit" in response.json()["detail"]


@pytest.mark.parametrize(
    "refused", [{"host": "evil.example"}, {"origin": "http://evil.example"}, {"sec-fetch-site": "cross-site"}]
)
def test_refusals_are_problems_with_the_same_headers_as_all_else(there, refused):
    response = there.put(PATH, json=REGISTRATION, headers=refused)
    assert response.status_code in (400, 403)
    assert response.headers["content-type"] == "application/problem+json"
    for name in ("content-security-policy", "x-content-type-options", "referrer-policy"):
        assert response.headers[name] == there.get("/api/health").headers[name]


def test_pages_of_this_server_may_change_things(there):
    for site in ("same-origin", "none"):
        headers = {"sec-fetch-site": site, "origin": "http://testserver"}
        assert there.put(PATH, json=REGISTRATION, headers=headers).status_code == 200


@pytest.mark.parametrize("host", ["0.0.0.0", "::", "192.168.0.1", "example.org", "8.8.8.8", ""])
def test_no_address_but_loopback_is_listened_on(host):
    with pytest.raises(ValueError, match="loopback"):
        Settings(host=host)
    assert Settings(host="::1").host == "::1"
    assert Settings(host="127.0.0.5").host == "127.0.0.5"
