"""The proof: a real load on the real kernel, recorded, replayed in a browser, and named. Nothing is mocked."""

import os
import time
from collections.abc import Iterator
from datetime import UTC, datetime

import httpx
import pytest

from e2e_helpers import axis_share, link, readout_value, wait_until
from real_load import RESTING, Truth, busy_processes
from reditus.cli.child_processes import Child

pytestmark = pytest.mark.alone
QUIET_S, LOUD_S, TICK_S = 12, 16, 1.0
WITHIN_S = 3.0
CORES = os.cpu_count() or 1


@pytest.fixture(scope="module")
def recorded(running) -> Iterator[tuple[str, Truth, Truth]]:
    """An archive of this machine with two loads: more work than cores, then exactly as much."""
    arguments = ["--server", running.url, "--spool", str(running.spool), "--name", "real load", "--every", "1s"]
    recorder = Child("reditus.recorder", arguments, log=running.logs / "recorder.log")
    try:
        time.sleep(QUIET_S)
        with busy_processes(3 * CORES) as crowded:
            time.sleep(LOUD_S)
        time.sleep(QUIET_S)
        with busy_processes(CORES, RESTING, one_per_core=True) as unwaited:
            time.sleep(LOUD_S)
        time.sleep(QUIET_S)
    finally:
        assert recorder.stop() == 0
    archives = httpx.get(f"{running.url}/api/archives", trust_env=False).json()
    (archive,) = [item for item in archives if item["name"] == "real load"]
    return archive["id"], crowded, unwaited


def seconds(text: str) -> float:
    return datetime.fromisoformat(text).timestamp()


def test_a_real_overload_is_found_shown_and_read(running, recorded, page):
    archive, crowded, _ = recorded
    api = f"{running.url}/api/archives/{archive}"
    page.goto(f"{running.url}/archives/{archive}")

    # The finding, in the page and in the API alike, with start and end within 3 s of the truth.
    findings = httpx.get(f"{api}/diagnosis", trust_env=False).json()["findings"]
    (finding,) = [item for item in findings if item["kind"] == "cpu.saturated"]
    assert abs(seconds(finding["start"]) - crowded.start_s) <= WITHIN_S
    assert abs(seconds(finding["end"]) - crowded.end_s) <= WITHIN_S
    assert abs(seconds(finding["onset"]["at"]) - crowded.start_s) <= WITHIN_S
    assert finding["time_lost_s"] > 0.7 * LOUD_S
    page.get_by_role("tab", name="Findings").click()
    shown = page.locator("[data-finding]").filter(has_text="Processor saturated")
    shown.wait_for()

    # Clicking it sets window and needle to it.
    shown.get_by_role("button").first.click()
    wait_until(lambda: "at" in link(page).params)
    query = link(page).params
    assert seconds(query["from"]) < seconds(finding["start"]) < seconds(finding["end"]) <= seconds(query["to"]) + 20
    # A tick tells of the interval that ends with it: the first bad one is a second after the onset.
    assert seconds(query["at"]) == pytest.approx(seconds(finding["onset"]["at"]) + TICK_S, abs=0.002)

    # The strip rises: what is drawn before the onset is low, and what is drawn within is high.
    inside = (crowded.start_s + crowded.end_s) / 2
    before = crowded.start_s - 5
    values, stolen = {}, {}
    for name, at_s in (("before", before), ("inside", inside)):
        surface = page.locator("[data-surface]")
        box = surface.bounding_box()
        share = axis_share(page, at_s)
        surface.click(position={"x": share * box["width"], "y": 30})
        wait_until(lambda: page.locator('[data-readout="cores"]').count() == 1)
        values[name] = readout_value(page, "cores")

        # The needle's readout matches the API's value at the needle.
        def at_needle(at_s=at_s):
            return abs(seconds(link(page).params["at"]) - at_s) < 1.5

        wait_until(at_needle)
        at = link(page).params["at"]
        moment = httpx.get(f"{api}/moment", params={"at": at}, trust_env=False).json()
        machine = {item["measure"]: item["value"] for item in moment["readings"] if item["device"] is None}
        assert values[name] == pytest.approx(machine["cpu.busy"], abs=0.006)
        # What the hypervisor gave to others at that tick, this load could not use.
        stolen[name] = machine["cpu.steal"]
    assert values["before"] < 0.6 * CORES
    # The load had what the hypervisor did not take. Steal is booked on top of idle time, so that a little more than
    # what
    # is reported was lost to it; where nothing is stolen, nothing is allowed for.
    assert values["inside"] > 0.9 * CORES - 1.1 * stolen["inside"]
    assert values["inside"] > values["before"] + 0.4 * (CORES - stolen["inside"])


def test_who_did_it_is_in_the_use_of_the_window(running, recorded, page):
    archive, crowded, _ = recorded
    start, end = (datetime.fromtimestamp(at_s, UTC) for at_s in (crowded.start_s + 2, crowded.end_s - 2))
    page.goto(f"{running.url}/archives/{archive}?from={start:%FT%TZ}&to={end:%FT%TZ}")
    page.get_by_role("tab", name="Use").click()
    page.get_by_label("Put together by").select_option("program")
    first = page.locator("[data-use-row]").first
    first.get_by_text("python").wait_for()
    # The picture of it says which host, and draws what was recorded.
    page.locator('[data-strip="cores"]').get_by_role("button", name="⋯").click()
    with page.expect_download() as download:
        page.get_by_role("button", name="Save as SVG").click()
    assert "Cores busy" in download.value.path().read_text()


def test_a_busy_machine_where_none_waits_is_ruled_out(running, recorded, page):
    archive, _, unwaited = recorded
    diagnosis = httpx.get(f"{running.url}/api/archives/{archive}/diagnosis", trust_env=False).json()
    # Where this machine is a guest, its host may take cores away from it, and that is rightly given.
    ours = [item for item in diagnosis["findings"] if item["kind"] != "cpu.steal"]
    assert not [our for our in ours if seconds(our["end"]) > unwaited.start_s + WITHIN_S]
    late = [item for item in diagnosis["ruled_out"] if seconds(item["end"]) > unwaited.start_s + WITHIN_S]
    (excluded,) = late
    assert excluded["kind"] == "cpu.busy_unwaited"
    assert abs(seconds(excluded["start"]) - unwaited.start_s) <= WITHIN_S
    assert abs(seconds(excluded["end"]) - unwaited.end_s) <= WITHIN_S

    page.goto(f"{running.url}/archives/{archive}")
    page.get_by_role("tab", name="Ruled out").click()
    shown = page.locator("[data-ruled-out]").filter(has_text="no tasks waiting")
    shown.last.get_by_role("button").first.click()
    wait_until(lambda: "at" in link(page).params)
    assert seconds(link(page).params["at"]) == pytest.approx(seconds(excluded["start"]) + TICK_S, abs=0.002)
