"""A host's weeks and what is usual for it, over HTTP."""

from dataclasses import replace

import pytest

from api_helpers import load
from reditus.core.rfc3339 import spell_time
from reditus.core.types import NS_PER_S
from reditus.simulator.fernhold import EARLIER, READING_ROOM, STITCH_01_MORNING

BEFORE = EARLIER[0].scenario
PATH = f"/api/archives/{STITCH_01_MORNING.archive}"


@pytest.fixture
def morning(client):
    load(client, STITCH_01_MORNING)
    return client


def answered(client, path, status=200, **query):
    answer = client.get(f"{PATH}/{path}", params=query)
    assert answer.status_code == status, answer.text
    return answer.json()


def test_an_hour_is_no_week_and_says_so(morning):
    found = answered(morning, "weeks")
    assert found["host"] == "stitch-01"
    assert found["host_id"] == str(STITCH_01_MORNING.machine.id)
    assert [part["id"] for part in found["archives"]] == [str(STITCH_01_MORNING.archive)]
    assert not found["knows_weeks"]
    assert (found["changes"], found["left"], found["growth"]) == ([], [], [])
    # Whole days, in which the hours that were not recorded are not known.
    assert {row["resource"] for row in found["strain"]} == {"processor", "memory", "swap", "disk", "network"}
    hours = next(row["hours"] for row in found["strain"] if row["resource"] == "processor")
    assert len(hours) == 24
    assert max(hour for hour in hours if hour is not None) > 20
    assert hours.count(None) >= 22
    # By the host's id as by the archive's.
    by_host = morning.get(f"/api/archives/{STITCH_01_MORNING.machine.id}/weeks").json()
    assert by_host == found


def test_without_a_past_nothing_is_usual(morning):
    cores, wait = answered(morning, "usual", measure=["cpu.busy", "disk.wait@nvme0n1"])
    assert cores["missing"] == "cpu.busy: too little is known of this host's past to tell what is usual"
    assert (wait["weeks"], wait["days"], wait["outside"]) == (0, 0, None)
    unusual = answered(morning, "unusual", width=60)
    assert set(unusual["strain"]) == {None}
    assert unusual["names"] == []


@pytest.mark.parametrize(
    ("path", "query", "status", "said"),
    [
        ("usual", {"measure": "cpu.bizzy"}, 404, "cpu.bizzy"),
        ("usual", {}, 422, "measure"),
        ("unusual", {"width": 0}, 422, "width"),
        ("weeks", {"from": "2026-11-13T00:00:00Z", "to": "2026-11-12T00:00:00Z"}, 422, "before"),
        ("weeks", {"from": "yesterday"}, 422, "yesterday"),
    ],
)
def test_bad_requests_say_what_is_wrong(morning, path, query, status, said):
    assert said in str(answered(morning, path, status, **query))


def test_a_century_around_an_hour_costs_an_hour(morning):
    query = {"from": "1990-01-01T00:00:00Z", "to": "2090-01-01T00:00:00Z"}
    assert len(answered(morning, "unusual", width=100, **query)["strain"]) <= 100
    assert len(answered(morning, "usual", measure="cpu.busy", **query)) == 1
    assert answered(morning, "weeks", **query)["host"] == "stitch-01"


def test_no_such_archive(client):
    for path in ("weeks", "usual?measure=cpu.busy", "unusual"):
        assert client.get(f"/api/archives/{READING_ROOM.id}/{path}").status_code == 404


def test_two_archives_of_a_host_are_one_calendar(client):
    # Its last tick is that of 23:55.
    day = replace(BEFORE, length_s=86_100, faults=())
    later = replace(
        day, archive=STITCH_01_MORNING.archive, begin_ns=day.begin_ns + 3 * 86_400 * NS_PER_S, name="three days later"
    )
    for scenario in (day, later):
        load(client, scenario)
    found = client.get(f"/api/archives/{day.archive}/weeks").json()
    assert len(found["archives"]) == 2
    disk = next(row for row in found["strain"] if row["resource"] == "disk")
    assert len(disk["hours"]) == 4 * 24
    assert disk["of"] == 2
    assert found["start"] == spell_time(day.begin_ns)
