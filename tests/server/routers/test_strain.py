"""The strain map over HTTP: the whole archive in bins, each resource opening to its devices, gaps left open."""

import pytest

from api_helpers import load
from reditus.analysis.maintenance import Journal, maintain
from reditus.simulator.large import large_host

HOST = large_host("vault", cores=4, disks=3, links=2, length_s=7_200)
PATH = f"/api/archives/{HOST.archive}"


@pytest.fixture
def filled(client):
    load(client, HOST)
    return client


def strain(client, **requested):
    response = client.get(f"{PATH}/strain", params=requested)
    assert response.status_code == 200, response.text
    return response.json()


def test_the_whole_archive_in_five_rows(filled):
    answer = strain(filled, width=200)
    assert [row["resource"] for row in answer["rows"]] == ["processor", "memory", "swap", "disk", "network"]
    assert [row["has_devices"] for row in answer["rows"]] == [True, False, False, True, True]
    for row in answer["rows"]:
        assert row["device"] is None
        assert len(row["mean"]) == len(row["high"]) <= 200
        assert row["help"]
        assert row["formula"].startswith("1 − (1 − ½·use²)")
        for mean, high in zip(row["mean"], row["high"], strict=True):
            assert mean is None or 0 <= mean <= high <= 100
    assert answer["bin_s"] * len(answer["rows"][0]["mean"]) >= 7_200


def test_a_resource_opens_to_its_devices(filled):
    rows = strain(filled, width=50, devices=["disk", "network"])["rows"]
    opened = [(row["resource"], row["device"]) for row in rows if row["device"]]
    assert [resource for resource, _ in opened] == ["disk"] * 3 + ["network"] * 2
    assert ("network", "lo") not in opened


def test_rollups_report_the_same_as_ticks(filled, store):
    window = {"from": "2026-11-12T00:00:00Z", "to": "2026-11-12T02:00:00Z"}
    from_ticks = strain(filled, width=30, **window)
    maintain(store, Journal())
    assert strain(filled, width=30, **window) == from_ticks


def test_a_gap_is_left_open(filled):
    removed = {"from": "2026-11-12T00:30:00Z", "to": "2026-11-12T01:30:00Z"}
    filled.post(f"{PATH}/trim", json=removed)
    later = strain(filled, width=100, **{"from": "2026-11-12T00:00:00Z", "to": "2026-11-12T02:00:00Z"})
    seen = [mean is not None for mean in later["rows"][0]["mean"]]
    quarter = len(seen) // 4
    assert not any(seen[: quarter - 2])
    assert all(seen[quarter + 2 : -quarter - 2])
    assert not any(seen[2 - quarter :])


@pytest.mark.parametrize(
    ("requested", "says"),
    [({"devices": "printer"}, "processor"), ({"width": 0}, "width"), ({"from": "noon"}, "RFC 3339")],
)
def test_what_cannot_be_requested_is_said(filled, requested, says):
    response = filled.get(f"{PATH}/strain", params=requested)
    assert response.status_code == 422
    assert says in response.text
