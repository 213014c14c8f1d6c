"""Logs over HTTP: lanes of their own, search, lines around a moment, counting, and how a file would be read."""

import numpy as np
import pytest

from api_helpers import introduce as register
from builders import ARCHIVE, BEGIN_NS
from reditus.core.rfc3339 import spell_time

S = 10**9


def at(seconds):
    return spell_time(BEGIN_NS + seconds * S)


def local(seconds):
    return at(seconds).replace("T", " ").removesuffix("Z")


def line(second, text, severity, **more):
    return {"at": at(second), "kind": "log", "text": text, "severity": severity} | more


@pytest.fixture
def url(client):
    register(client)
    url = f"/api/archives/{ARCHIVE}"
    lines = [line(n, f"visitor {n}", "notice", log="door") for n in range(60)]
    lines += [line(n, "50% of 20_000 °C", "error", log="kiln") for n in (7, 8)]
    lines += [line(5, "Timeout of press 9", "warning", source="presses[12]")]
    lines += [{"at": at(30), "text": "curators call"}]
    assert client.post(f"{url}/markers", json=lines).status_code == 204
    return url


def texts(client, url, **requested):
    answer = client.get(f"{url}/markers", params={"from": at(0), "to": at(60)} | requested)
    assert answer.status_code == 200, answer.text
    return [marker["text"] for marker in answer.json()["markers"]]


def test_every_log_is_one_and_lines_without_one_are_their_programs(client, url):
    found = {log["name"]: log for log in client.get(f"{url}/logs").json()}
    assert list(found) == ["door", "kiln", "presses"]
    assert (found["door"]["lines"], found["door"]["errors"]) == (60, 0)
    assert (found["kiln"]["lines"], found["kiln"]["errors"]) == (2, 2)
    assert (found["door"]["first"], found["door"]["last"]) == (at(0), at(59))


def test_lines_are_searched_for_by_what_they_hold(client, url):
    assert texts(client, url, holding="TIMEOUT") == ["Timeout of press 9"]
    assert texts(client, url, holding="time*press*9") == ["Timeout of press 9"]
    assert texts(client, url, holding="presses[") == ["Timeout of press 9"]
    # Letters that mean something to the database mean themselves.
    assert len(texts(client, url, holding="0% of 20_")) == 2
    assert texts(client, url, holding="visitor_1") == []
    assert texts(client, url, holding="\\") == []
    assert set(texts(client, url, log="kiln")) == {"50% of 20_000 °C"}
    assert len(texts(client, url, log=["kiln", "presses"])) == 3


def test_lines_around_a_moment_come_in_order_with_as_many_on_each_side(client, url):
    near = {"near": at(30), "log": "door", "limit": "4"}
    assert texts(client, url, **near) == ["visitor 29", "visitor 30", "visitor 31", "visitor 32"]
    assert texts(client, url, **near | {"near": at(59)}) == [f"visitor {n}" for n in (56, 57, 58, 59)]
    assert texts(client, url, **near | {"near": at(0)}) == [f"visitor {n}" for n in range(4)]
    assert texts(client, url, **near | {"near": at(4_000)}) == [f"visitor {n}" for n in (56, 57, 58, 59)]


def series(client, url, *names, **more):
    params = {"measure": names, "from": at(0), "to": at(60), "width": "100"} | more
    answer = client.get(f"{url}/series", params=params)
    assert answer.status_code == 200, answer.text
    return answer.json()["series"]


def test_lines_are_counted_like_any_measure(client, url):
    door, kiln = series(client, url, "log.lines@door", "log.errors@kiln")
    assert (door["measure"], door["device"], door["unit"]) == ("log.lines", "door", "1/s")
    assert door["summary"]["mean"] == pytest.approx(1, rel=0.05)
    # Between its first line and its last, 7 and 8 s in, and not where nothing is known of it.
    values = np.array([np.nan if value is None else value for value in kiln["mean"]])
    assert np.nansum(values) == pytest.approx(2)
    assert np.isfinite(values).sum() == 2
    assert kiln["summary"]["coverage"] < 0.1
    each = series(client, url, "log.lines@*")
    assert [item["device"] for item in each] == ["door", "kiln", "presses"]
    (held,) = series(client, url, "log.lines{holding=visitor%202}")
    # Browsers leave some letters as they are: the answer names what was requested.
    assert held["measure"] == "log.lines{holding=visitor%202}"
    (starred,) = series(client, url, "log.lines{holding=visitor*2}@door")
    assert (starred["measure"], starred["device"]) == ("log.lines{holding=visitor*2}", "door")
    assert held["summary"]["total"] == pytest.approx(11, abs=0.5)
    (whole,) = series(client, url, "log.lines", bin_s="10")
    assert whole["bin_s"] == 10
    assert whole["mean"][2] == pytest.approx(1)
    (missing,) = series(client, url, "log.lines@cellar")
    assert "nothing of this log is kept" in missing["missing"]
    answer = client.get(f"{url}/series", params={"measure": "log.lines{holding=%00}", "from": at(0), "to": at(60)})
    assert answer.status_code == 404, answer.text
    answer = client.get(f"{url}/series", params={"measure": "log.words", "from": at(0), "to": at(60)})
    assert (answer.status_code, "log.lines" in answer.text) == (404, True), answer.text


def test_so_many_searches_at_once_are_refused(client, url):
    names = [f"log.lines{{holding={number}}}" for number in range(17)]
    answer = client.get(f"{url}/series", params={"measure": names, "from": at(0), "to": at(60)})
    assert (answer.status_code, "at most 16 are drawn" in answer.text) == (422, True), answer.text


def send(client, url, text, **params):
    body = text if isinstance(text, bytes) else text.encode()
    return client.post(url, content=body, params=params, headers={"content-type": "text/plain"})


def test_a_file_is_shown_as_it_would_be_read_and_then_kept_once(client, url):
    text = f"{local(0)} WARN hot\n{local(1)} INFO ok\n"
    shown = send(client, f"{url}/logs/preview", text, zone="Europe/Berlin").json()
    assert shown["format"] == "ISO 8601"
    assert "taken for those of Europe/Berlin" in shown["doubts"][0]
    assert [line["at"] for line in shown["lines"]] == [at(-3_600), at(-3_599)]
    assert len(client.get(f"{url}/logs").json()) == 3
    for _ in range(2):
        kept = send(client, f"{url}/logs", text, name="oven.log").json()
        assert (kept["kept"], kept["first"], kept["problem_count"]) == (2, at(0), 0)
    assert texts(client, url, log="oven.log") == ["WARN hot", "INFO ok"]
    # The same lines in another log are that log's too.
    assert send(client, f"{url}/logs", text, name="copy.log", severity="warning").json()["kept"] == 1
    assert texts(client, url, log="copy.log") == ["WARN hot"]


def test_a_sample_that_ends_within_a_line_is_read_to_the_line_before(client, url, monkeypatch):
    monkeypatch.setattr("reditus.server.routers.logs.SAMPLE_BYTES", 40)
    shown = send(client, f"{url}/logs/preview", f"{local(0)} one\n{local(1)} two\n{local(2)} thr").json()
    assert shown["lines"][0]["text"] == "one"
    assert len(shown["lines"]) < 3


@pytest.mark.parametrize(
    ("text", "params", "status", "why"),
    [
        ("no time at all\n", {}, 422, "no time is recognised"),
        (b"\x00\x01\x02", {}, 422, "this is no text"),
        ("2026-11-12 09:00:00 x\n", {"zone": "Nowhere"}, 422, "is no place"),
        ("2026-11-12 09:00:00 x\n", {"year": "1"}, 422, "1990"),
        ("[   12.000001] x\n", {}, 422, "say when that was"),
    ],
)
def test_what_cannot_be_read_is_refused_and_nothing_kept(client, url, text, params, status, why):
    for where in ("logs/preview", "logs"):
        answer = send(client, f"{url}/{where}", text, name="x", **params)
        assert (answer.status_code, why in answer.text) == (status, True), answer.text
    assert [log["name"] for log in client.get(f"{url}/logs").json()] == ["door", "kiln", "presses"]


def test_a_log_has_to_be_called_something(client, url):
    answer = send(client, f"{url}/logs", "2026-11-12 09:00:00 x\n", name="  ")
    assert answer.status_code == 422, answer.text


def test_a_log_that_is_too_large_is_refused(client, url, monkeypatch):
    monkeypatch.setattr("reditus.server.request_limits.MAX_LOG_BYTES", 100)
    answer = send(client, f"{url}/logs", "2026-11-12 09:00:00 x\n" * 9, name="x")
    assert (answer.status_code, "at most 100 bytes" in answer.text) == (413, True)
