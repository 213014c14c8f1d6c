"""What people make of findings, over HTTP."""

import pytest

from api_helpers import load
from reditus.simulator import simulate
from reditus.simulator.fernhold import STITCH_01_MORNING

BASE = f"/api/archives/{STITCH_01_MORNING.archive}"


@pytest.fixture(scope="module")
def host():
    return simulate(STITCH_01_MORNING)


@pytest.fixture
def stitch(client, host):
    load(client, STITCH_01_MORNING, host)
    return client


def finding(client, timeline=BASE):
    return client.get(f"{timeline}/diagnosis").json()["findings"][0]


def report(client, state, remark="", **other):
    one = {key: finding(client)[key] for key in ("kind", "device", "start", "end")} | other
    return client.put(f"{BASE}/verdicts", json={**one, "state": state, "remark": remark})


def test_a_finding_is_confirmed_then_dismissed_with_a_reason_then_open_again(stitch):
    assert finding(stitch)["verdict"] is None
    assert report(stitch, "confirmed").status_code == 204
    assert finding(stitch)["verdict"]["state"] == "confirmed"
    assert report(stitch, "dismissed", "the nightly run, as agreed").status_code == 204
    verdict = finding(stitch)["verdict"]
    assert (verdict["state"], verdict["remark"]) == ("dismissed", "the nightly run, as agreed")
    assert report(stitch, "open").status_code == 204
    assert finding(stitch)["verdict"] is None


def test_a_remark_alone_leaves_it_open_and_is_known_for_all_archives_of_the_host(stitch):
    report(stitch, "open", "ask the stitchers")
    answer = finding(stitch, f"/api/archives/{STITCH_01_MORNING.machine.id}")["verdict"]
    assert (answer["state"], answer["remark"]) == ("open", "ask the stitchers")


def test_a_finding_that_went_on_keeps_what_was_said(stitch):
    report(stitch, "confirmed", end="2026-11-12T09:25:00Z")
    assert finding(stitch)["verdict"]["state"] == "confirmed"


def test_another_finding_of_the_same_kind_is_not_meant(stitch):
    report(stitch, "confirmed", start="2026-11-12T07:00:00Z", end="2026-11-12T07:30:00Z")
    assert finding(stitch)["verdict"] is None


def test_what_is_wrong_is_refused_and_said(stitch):
    refused = report(stitch, "dismissed")
    assert refused.status_code == 422
    assert "needs a reason" in refused.text
    assert "is no kind of finding; there are cpu.saturated" in report(stitch, "confirmed", kind="cpu.sad").text
    assert report(stitch, "confirmed", start="noon").status_code in (400, 422)
    other = "/api/archives/00000000-0000-4000-8000-000000000000"
    body = {
        "kind": "cpu.saturated",
        "start": "2026-11-12T07:00:00Z",
        "end": "2026-11-12T07:30:00Z",
        "state": "confirmed",
    }
    assert stitch.put(f"{other}/verdicts", json=body).status_code == 404
