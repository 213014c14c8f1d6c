"""Series, moments, diagnoses: what the pages and the command line read."""

from itertools import pairwise

import numpy as np
import pytest

from api_helpers import introduce, load, send
from builders import ARCHIVE, a_block
from reditus.core.measures import MEASURES, measure_named
from reditus.simulator import simulate
from reditus.simulator.fernhold import STITCH_01_MORNING

BASE = f"/api/archives/{STITCH_01_MORNING.archive}"


@pytest.fixture(scope="module")
def host():
    return simulate(STITCH_01_MORNING)


@pytest.fixture
def stitch(client, host):
    """The API over the made-up hour."""
    load(client, STITCH_01_MORNING, host)
    return client


def series(client, *measures, **more):
    names = {"start": "from", "end": "to"}
    params = {"measure": list(measures)} | {names.get(key, key): value for key, value in more.items()}
    response = client.get(f"{BASE}/series", params=params)
    assert response.status_code == 200, response.text
    return response.json()


def test_a_short_window_gives_single_ticks(stitch, host):
    window = {"start": "2026-11-12T09:18:00Z", "end": "2026-11-12T09:19:00Z"}
    found = series(stitch, "cpu.busy", "stall.cpu.some", **window)
    busy, stall = found["series"]
    assert busy["bin_s"] is None
    assert (busy["times"], stall["times"]) == (0, 0)
    truth = measure_named("cpu.busy").derive(host.frame(), None)
    place = {round(at / 1e6): index for index, at in enumerate(truth.timebase.wall_ns)}
    for at_ms, value in zip(found["times_ms"][0], busy["mean"], strict=True):
        assert value == pytest.approx(truth.values[place[round(at_ms)]])


def test_a_long_window_gives_bins_that_hide_no_spike(stitch, host):
    found = series(stitch, "cpu.busy", width=120)
    (busy,) = found["series"]
    assert busy["bin_s"] > 30
    assert len(busy["mean"]) == len(busy["low"]) == len(found["times_ms"][0]) <= 121
    assert max(busy["high"]) == pytest.approx(np.nanmax(measure_named("cpu.busy").derive(host.frame(), None).values))
    steps = [later - earlier for earlier, later in pairwise(found["times_ms"][0])]
    assert steps == pytest.approx([busy["bin_s"] * 1000] * len(steps))


@pytest.mark.parametrize("bin_s", [5, 60, 900])
def test_bins_are_as_long_as_requested_and_lie_on_multiples_of_it(stitch, host, bin_s):
    window = {"start": "2026-11-12T09:10:07Z", "end": "2026-11-12T09:40:31Z"}
    found = series(stitch, "cpu.busy", bin_s=bin_s, width=7, **window)
    (busy,) = found["series"]
    assert busy["bin_s"] == bin_s
    middles_s = [at_ms / 1000 for at_ms in found["times_ms"][0]]
    assert {(middle - bin_s / 2) % bin_s for middle in middles_s} == {0}
    truth = measure_named("cpu.busy").derive(host.frame(), None)
    at = len(middles_s) // 2
    edges_ns = [round((middles_s[at] + way * bin_s / 2) * 1e9) for way in (-1, 1)]
    inside = (truth.timebase.wall_ns > edges_ns[0]) & (truth.timebase.wall_ns <= edges_ns[1])
    assert busy["mean"][at] == pytest.approx(truth.values[inside].mean(), rel=0.02)


def test_bins_shorter_than_ticks_are_the_ticks(stitch):
    window = {"start": "2026-11-12T09:18:00Z", "end": "2026-11-12T09:19:00Z"}
    (ticks,) = series(stitch, "cpu.busy", width=1_000, **window)["series"]
    (binned,) = series(stitch, "cpu.busy", bin_s=1, width=5, **window)["series"]
    assert binned == ticks


def test_devices_by_name_and_all_at_once(stitch):
    found = series(stitch, "cpu.busy@3", "disk.queue@nvme0n1", "cpu.busy@*", width=50)
    assert [match["device"] for match in found["series"]] == ["3", "nvme0n1", *map(str, range(8))]


def test_what_a_host_cannot_report_says_why(stitch):
    (missing,) = series(stitch, "disk.queue@sdz")["series"]
    assert missing["mean"] == []
    assert "sdz" in missing["missing"]


def test_a_summary_states_its_coverage(stitch):
    found = series(stitch, "cpu.busy", start="2026-11-12T08:30:00Z", end="2026-11-12T09:30:00Z")
    assert found["series"][0]["summary"]["coverage"] == pytest.approx(0.5, abs=0.001)


@pytest.mark.parametrize(
    ("params", "status", "says"),
    [
        ({"measure": "cpu.bussy"}, 404, "did you mean cpu.busy"),
        ({"measure": "cpu.busy", "from": "yesterday"}, 422, "write RFC 3339"),
        ({"measure": "cpu.busy", "from": "2026-11-12T09:00:00"}, 422, "has no zone"),
        ({"measure": "cpu.busy", "from": "0001-01-01T00:00:00Z"}, 422, "1990"),
        ({"measure": "cpu.busy", "from": "2026-11-12T09:10:00Z", "to": "2026-11-12T09:00:00Z"}, 422, "before"),
        ({"measure": "cpu.busy", "width": "0"}, 422, "width"),
        ({"measure": "cpu.busy", "width": "1000000"}, 422, "width"),
        ({"measure": "cpu.busy", "bin_s": "0"}, 422, "bin_s"),
        (
            {"measure": "cpu.busy", "bin_s": "1", "from": "2026-11-12T09:00:00Z", "to": "2026-11-13T09:00:00Z"},
            422,
            "from 8.64 s on they fit",
        ),
        ({}, 422, "measure"),
    ],
)
def test_bad_questions_get_clear_answers(stitch, params, status, says):
    response = stitch.get(f"{BASE}/series", params=params)
    assert response.status_code == status
    assert says in response.json()["detail"]


def test_an_empty_archive_has_no_window_of_its_own(client):
    introduce(client)
    response = client.get(f"/api/archives/{ARCHIVE}/series?measure=cpu.busy")
    assert response.status_code == 422
    assert "the archive is empty" in response.json()["detail"]


def test_available_measures_come_with_their_devices(stitch):
    found = {item["name"]: item for item in stitch.get(f"{BASE}/measures").json()}
    assert found["cpu.busy"]["devices"] == [str(core) for core in range(8)]
    assert found["disk.wait"]["devices"] == ["nvme0n1"]
    assert found["net.send.rate"]["per"] == "interface"
    assert len(stitch.get("/api/measures").json()) == len(MEASURES)


def test_an_archive_with_few_counters_offers_few_measures(client):
    introduce(client)
    send(client, a_block())
    names = [item["name"] for item in client.get(f"/api/archives/{ARCHIVE}/measures").json()]
    assert "cpu.switches" in names
    assert "memory.available" not in names


def readings(client, at):
    moment = client.get(f"{BASE}/moment", params={"at": at}).json()
    return moment, {(item["measure"], item["device"]): item["value"] for item in moment["readings"]}


def test_a_moment_is_the_tick_whose_interval_holds_it(stitch, host):
    moment, seen = readings(stitch, "2026-11-12T09:24:10.400Z")
    assert moment["tick"] == "2026-11-12T09:24:11Z"
    truth = measure_named("cpu.busy").derive(host.frame(), None)
    assert seen["cpu.busy", None] == truth.values[1_451]
    assert moment["cores"] == 8
    assert {device for name, device in seen if name == "cpu.busy"} == {None, *map(str, range(8))}


def test_a_moment_reports_what_it_is_requested_as_it_reports_everything(stitch, host):
    at = "2026-11-12T09:24:10.400Z"
    _, everything = readings(stitch, at)
    requested = {"at": at, "measure": ["memory.available", "cpu.busy@*", "disk.wait@nvme0n1", "cpu.throttles"]}
    reported = stitch.get(f"{BASE}/moment", params=requested).json()["readings"]
    found = {(entry["measure"], entry["device"]): entry["value"] for entry in reported}
    assert list(found) == [
        ("memory.available", None),
        *(("cpu.busy", str(n)) for n in range(8)),
        ("disk.wait", "nvme0n1"),
    ]
    assert found == {key: everything[key] for key in found}


def test_a_moment_refuses_a_measure_that_is_none(stitch):
    answer = stitch.get(f"{BASE}/moment", params={"at": "2026-11-12T09:24:10Z", "measure": "cpu.bussy"})
    assert answer.status_code == 404
    assert "cpu.bussy" in answer.json()["detail"]


def test_a_moment_outside_the_archive_is_a_gap(stitch):
    moment, _ = readings(stitch, "2026-11-12T12:00:00Z")
    assert moment["tick"] is None


def test_a_diagnosis_names_what_ran_out_and_what_did_not(stitch):
    diagnosis = stitch.get(f"{BASE}/diagnosis").json()
    assert diagnosis["host"] == "stitch-01"
    assert set(diagnosis["window"]) == {"from", "to", "coverage"}
    finding, one_core = diagnosis["findings"]
    assert (finding["kind"], one_core["kind"], one_core["device"]) == ("cpu.saturated", "cpu.one_core", "5")
    assert finding["start"] == "2026-11-12T09:18:20Z"
    assert set(finding) >= {
        "id",
        "resource",
        "device",
        "end",
        "onset",
        "severity",
        "time_lost_s",
        "confidence",
        "evidence",
        "explanation",
        "considered",
        "next",
        "caused_by",
        "symptoms",
        "pattern",
    }
    assert [item["kind"] for item in diagnosis["ruled_out"]] == [
        "memory.cache_growth",
        "memory.free_low",
        "cpu.busy_unwaited",
    ]


def test_a_diagnosis_of_a_quiet_window_finds_nothing(stitch):
    window = {"from": "2026-11-12T09:00:00Z", "to": "2026-11-12T09:06:00Z"}
    diagnosis = stitch.get(f"{BASE}/diagnosis", params=window).json()
    assert (diagnosis["findings"], diagnosis["ruled_out"]) == ([], [])


def test_health(client):
    assert client.get("/api/health").json()["status"] == "ok"
