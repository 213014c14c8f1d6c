"""What is different, over HTTP: two windows of a recording, two recordings, and what cannot be compared."""

from dataclasses import replace
from uuid import uuid4

import pytest

from api_helpers import load
from reditus.core.rfc3339 import spell_time
from reditus.simulator.fernhold import STITCH_01_MORNING
from reditus.simulator.library.pairs import pairs, window_of


@pytest.fixture(scope="module")
def slow():
    """A pair in which a disk takes longer."""
    return next(pair for pair in pairs(4, alike=0, each=1) if pair.name.startswith("slow_disk/"))


@pytest.fixture
def loaded(client, slow):
    """Two archives of one host, and the addresses of both."""
    found = []
    for scenario in (slow.window, slow.reference):
        own = replace(scenario, archive=uuid4(), name="a pair")
        load(client, own)
        found.append(own)
    return found


def ends(scenario, prefix=""):
    window = window_of(scenario)
    start, end = ("with_from", "with_to") if prefix else ("from", "to")
    return {start: spell_time(window.start_ns), end: spell_time(window.end_ns)}


def compared(client, archive, path="", status=200, **query):
    answer = client.get(f"/api/archives/{archive}/comparison{path}", params=query)
    assert answer.status_code == status, answer.text
    return answer.json()


def test_a_slow_disk_is_the_first_row_of_two_archives(client, slow, loaded):
    window, reference = loaded
    found = compared(
        client, window.archive, **{"with": str(reference.archive)}, **ends(window), **ends(reference, "with")
    )
    assert found["what"] == "slower work"
    assert slow.change.device in found["sentence"]
    first = found["differences"][0]
    assert (first["device"], first["measure"]) in {(slow.change.device, name) for name in slow.change.shows_in}
    assert first["ratio"] > 2
    assert first["shift_low"] <= first["shift"] <= first["shift_high"]
    assert first["window"]["median"] > first["reference"]["median"]
    for side in (first["window"], first["reference"]):
        assert side["low"] <= side["q1"] <= side["median"] <= side["q3"] <= side["p95"] <= side["p99"] <= side["high"]
        assert max(side["shape"]) == 1
    rows = {(item["measure"], item["device"]): item for item in [*found["differences"], *found["alike"]]}
    busy = next(item for (measure, _), item in rows.items() if measure == "disk.busy")
    assert busy["threshold"] == pytest.approx(0.9)
    for side in (busy["window"], busy["reference"]):
        # Beyond the quantiles that stand beside it.
        assert side["above"] <= (0.5 if side["median"] < 0.9 else 1.0)
        assert side["above"] >= (0.05 if side["p95"] > 0.9 else 0.0)
    assert first["threshold"] is None or first["measure"] in ("disk.busy", "stall.io.some")
    assert found["compared"] >= 100
    assert found["gaps"] == []
    # The other way round everything falls.
    back = compared(
        client, reference.archive, **{"with": str(window.archive)}, **ends(reference), **ends(window, "with")
    )
    assert back["what"] == "quicker work"


def test_two_windows_of_one_archive_and_programs(client, loaded):
    window, _ = loaded
    whole = window_of(window)
    middle = spell_time((whole.start_ns + whole.end_ns) // 2)
    found = compared(
        client,
        window.archive,
        **{"from": middle, "to": ends(window)["to"], "with_from": ends(window)["from"], "with_to": middle},
    )
    assert (found["what"], found["differences"]) == ("same", [])
    assert found["sentence"].startswith("No difference beyond chance among ")
    assert found["programs"] == []
    assert found["alike"]


def test_findings_of_both_sides(client):
    load(client, STITCH_01_MORNING)
    begin_ns = STITCH_01_MORNING.begin_ns
    quarters = [spell_time(begin_ns + minute * 60 * 10**9) for minute in (0, 15, 45)]
    query = {"from": quarters[1], "to": quarters[2], "with_from": quarters[0], "with_to": quarters[1]}
    found = compared(client, STITCH_01_MORNING.archive, "/findings", **query)
    new = {item["kind"]: item for item in found}["cpu.saturated"]
    assert (new["what"], new["reference_s"]) == ("new", 0)
    assert new["window_s"] > 300
    back = {"with_from": query["from"], "with_to": query["to"], "from": query["with_from"], "to": query["with_to"]}
    gone = compared(client, STITCH_01_MORNING.archive, "/findings", **back)
    assert {item["kind"]: item["what"] for item in gone}["cpu.saturated"] == "gone"


def test_what_was_logged_is_compared_too(client, loaded):
    for scenario, severity in zip(loaded, ("error", "informational"), strict=True):
        whole = window_of(scenario)
        step_ns = (whole.end_ns - whole.start_ns) // 300
        lines = [
            {"at": spell_time(whole.start_ns + at * step_ns), "kind": "log", "log": "press.log", "text": f"plate {at}",
             "severity": severity if at % 2 else "notice"}
            for at in range(300)
        ]  # fmt: skip
        assert client.post(f"/api/archives/{scenario.archive}/markers", json=lines).status_code == 204
    window, reference = loaded
    query = {"with": str(reference.archive)} | ends(window) | ends(reference, "with")
    found = compared(client, window.archive, **query)
    rows = {(item["measure"], item["device"]): item for item in found["differences"]}
    assert rows["log.errors", "press.log"]["reference"]["high"] == 0
    # As many lines were written.
    assert ("log.lines", "press.log") not in rows


def test_what_cannot_be_compared_is_said(client, loaded):
    window, _ = loaded
    same = compared(client, window.archive, status=422)
    assert "the same stretch" in same["detail"]
    far = {"with_from": "2020-01-01T00:00:00Z", "with_to": "2020-01-01T01:00:00Z"}
    empty = compared(client, window.archive, **ends(window), **far)
    assert empty["sentence"] == "Nothing could be compared: the reference holds no ticks."
    assert "The reference holds no ticks." in empty["gaps"]
    assert any("long and the reference" in line for line in empty["gaps"])
    start = window_of(window).start_ns
    one = {"with_from": spell_time(start), "with_to": spell_time(start + round(window.interval_s * 1e9) + 1)}
    short = compared(client, window.archive, **ends(window), **one)
    assert short["differences"] == []
    assert any("values in the reference" in item["why"] for item in short["not_compared"])
    unknown = compared(client, window.archive, status=404, **ends(window), **{"with": str(uuid4())})
    assert "there is no archive" in unknown["detail"]


def test_notes_and_packages_between_two_windows_are_listed(client):
    load(client, STITCH_01_MORNING)
    begin_ns = STITCH_01_MORNING.begin_ns

    def at(minutes):
        return spell_time(begin_ns + round(minutes * 60e9))

    marked = [
        {"at": at(12), "text": "the new label reader was put in"},
        {"at": at(13), "kind": "log", "log": "dpkg.log", "text": "upgraded stitcher 3.1", "severity": "informational"},
        {"at": at(14), "kind": "log", "log": "press.log", "text": "plate 7", "severity": "informational"},
        {"at": at(40), "text": "long after"},
    ]
    path = f"/api/archives/{STITCH_01_MORNING.archive}/markers"
    assert client.post(path, json=marked).status_code == 204
    query = {"from": at(18), "to": at(28), "with_from": at(0), "with_to": at(10)}
    changes = compared(client, STITCH_01_MORNING.archive, **query)["changes"]
    listed = [change.partition("Z: ")[2] for change in changes]
    assert "the new label reader was put in" in listed
    assert "upgraded stitcher 3.1" in listed
    assert "plate 7" not in listed
    assert "long after" not in listed
