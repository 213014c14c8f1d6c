"""Plans and recorders through the API."""

import time
from uuid import UUID

import pytest

from api_helpers import introduce, send
from builders import ARCHIVE, HOST, a_block
from reditus.core.rfc3339 import parse_time
from reditus.core.types import NS_PER_S

RECORDER = f"/api/recorders/{ARCHIVE}"
REPORT = {
    "version": "1", "pid": 7, "state": "recording", "started": "2026-11-12T09:00:00Z", "interval_s": 1.0,
    "last_tick": "2026-11-12T09:00:05Z", "ticks": 5, "missed": 2, "missed_why": {"the recorder came late": 2},
    "late_s": 0.0004, "cost_share": 0.004, "memory_bytes": 40 << 20, "spool_bytes": 0, "spool_limit_bytes": 256 << 20,
    "dropped": [], "unreadable": {},
}  # fmt: skip


def announce(client, *, plan=None, **report):
    reported = {"host": {"id": str(HOST), "name": "testbed"}, "name": "trial", "plan": plan, "report": REPORT | report}
    return client.put(RECORDER, json=reported)


def test_a_plan_is_made_changed_followed_and_removed(client):
    assert client.get("/api/plans").json() == []
    assert client.put("/api/plans/night", json={"name": "night", "every": "5s"}).status_code == 200
    changed = client.put("/api/plans/night", json={"name": "night", "every": "10s"}).json()
    assert changed["plan"]["every"] == "10s"
    assert announce(client, plan="night").json() == {
        "plan": {"name": "night", "every": "10s"}, "recording": True, "burst_until": None,
        "burst_until_ns": 0,
    }  # fmt: skip
    assert client.get("/api/plans").json()[0]["recorders"] == ["testbed: trial"]
    refused = client.delete("/api/plans/night")
    assert (refused.status_code, "is followed by 'trial'" in refused.json()["detail"]) == (409, True)
    assert client.patch(RECORDER, json={"plan": None}).json()["plan"] is None
    assert client.delete("/api/plans/night").status_code == 204
    assert client.delete("/api/plans/night").status_code == 404


def test_a_bad_plan_is_refused_with_every_reason(client):
    refused = client.put("/api/plans/p", json={"name": "q", "every": "never", "keep": 3})
    assert refused.status_code == 422
    assert {item["pointer"] for item in refused.json()["errors"]} == {"#/every", "#/keep"}
    other = client.put("/api/plans/p", json={"name": "q"}).json()
    assert "a plan keeps its name" in other["detail"]
    assert client.get("/api/plans").json() == []


def test_a_recorder_reports_and_takes_orders(client):
    assert announce(client).json()["recording"] is True
    (seen,) = client.get("/api/recorders").json()
    assert (seen["state"], seen["report"]["missed_why"]) == ("recording", {"the recorder came late": 2})
    assert client.patch(RECORDER, json={"recording": False}).status_code == 200
    assert announce(client).json()["recording"] is False
    client.patch(RECORDER, json={"recording": True, "burst_s": 60})
    orders = announce(client).json()
    assert orders["recording"] is True
    assert parse_time(orders["burst_until"]) == pytest.approx(orders["burst_until_ns"], abs=1_000)
    assert orders["burst_until_ns"] > time.time_ns()
    client.patch(RECORDER, json={"burst_s": 0})
    assert announce(client).json()["burst_until"] is None
    assert client.delete(RECORDER).status_code == 204
    assert client.get("/api/recorders").json() == []


def test_reports_of_version_0_1_are_taken(client):
    """Its recorders report times in milliseconds, and read until when a burst lasts in nanoseconds."""
    old = {key: value for key, value in REPORT.items() if key not in ("started", "last_tick", "late_s")}
    old |= {
        "started_ms": 1_794_474_000_500.0, "last_tick_ms": None, "late_ms": 0.4,
        "dropped": [{"start_ms": 1_794_474_000_000.0, "end_ms": 1_794_474_009_000.0, "reason": "spool full"}],
    }  # fmt: skip
    reported = {"host": {"id": str(HOST), "name": "testbed"}, "name": "trial", "plan": None, "report": old}
    assert client.put(RECORDER, json=reported).status_code == 200
    (seen,) = client.get("/api/recorders").json()
    assert (seen["report"]["started"], seen["report"]["late_s"]) == ("2026-11-12T09:00:00.5Z", 0.0004)
    assert seen["report"]["dropped"] == [
        {"start": "2026-11-12T09:00:00Z", "end": "2026-11-12T09:00:09Z", "reason": "spool full"}
    ]
    assert client.put(RECORDER, json=reported | {"report": old | {"started_ms": "soon"}}).status_code == 422


def test_what_is_chosen_on_the_server_outlives_reports_but_not_a_new_start(client):
    for name in ("day", "night"):
        client.put(f"/api/plans/{name}", json={"name": name})
    announce(client, plan="day")
    client.patch(RECORDER, json={"plan": "night"})
    assert announce(client, plan="day").json()["plan"]["name"] == "night"
    assert announce(client, plan="day", started="2026-11-12T09:00:02Z").json()["plan"]["name"] == "day"


@pytest.mark.parametrize(
    ("call", "status", "said"),
    [
        (lambda client: announce(client, plan="nope"), 404, "no plan is called 'nope'; there is none yet"),
        (lambda client: client.patch(RECORDER, json={}), 404, "no recorder"),
        (lambda client: client.delete(RECORDER), 404, "no recorder"),
        (lambda client: client.put(RECORDER, json={"name": "x"}), 422, "#/host"),
    ],
)
def test_orders_that_make_no_sense_are_refused(client, call, status, said):
    answer = call(client)
    assert answer.status_code == status
    assert said in answer.json()["detail"]


def test_what_is_older_than_the_plan_keeps_is_removed_and_nothing_else(client, store):
    introduce(client)
    blocks = [a_block(start=number * 100) for number in range(3)]
    assert send(client, *blocks).status_code == 200
    client.put("/api/plans/short", json={"name": "short", "keep": "1m"})
    announce(client, plan="short")
    now_ns = blocks[1].last_ns + 60 * NS_PER_S
    assert store.recorders.expire(ARCHIVE, now_ns) == 1
    assert store.archives.get(UUID(str(ARCHIVE))).first_ns == blocks[1].first_ns
    client.put("/api/plans/short", json={"name": "short", "keep": None})
    assert store.recorders.expire(ARCHIVE, now_ns + 10**18) == 0
