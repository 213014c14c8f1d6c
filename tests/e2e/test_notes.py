"""Notes, gaps with their reasons, device names and host facts, as a person meets them."""

import httpx
import pytest

from e2e_helpers import no_violations, place, wait_until
from reditus.core.rfc3339 import spell_time
from reditus.simulator.fernhold import STITCH_01_MORNING

BEGIN_NS = STITCH_01_MORNING.begin_ns
MINUTE_NS = 60 * 10**9
API = f"/api/archives/{STITCH_01_MORNING.archive}"


def at(minutes):
    return spell_time(BEGIN_NS + minutes * MINUTE_NS)


@pytest.fixture
def bench(running, page):
    answer = [
        {"at": at(17), "kind": "log", "severity": "warning", "source": "imaging[812]", "text": "212 plates queued"},
        {"at": at(21), "kind": "log", "severity": "error", "source": "imaging[812]", "text": "plate 31 took 14 s"},
        {"at": at(22), "kind": "log", "severity": "debug", "source": "imaging[812]", "text": "cache warm"},
    ]
    httpx.post(f"{running.url}{API}/markers", json=answer, trust_env=False).raise_for_status()
    page.goto(f"{running.url}/archives/{STITCH_01_MORNING.archive}?at={at(24)}")
    page.locator("[data-marker-lane] button").first.wait_for()
    return page


def test_log_lines_stand_above_the_strips_and_lead_to_their_moment(bench):
    assert bench.locator("[data-marker-lane] button").count() >= 2
    bench.get_by_label("plate 31 took 14 s").click()
    wait_until(lambda: place(bench)[2] == pytest.approx((BEGIN_NS + 21 * MINUTE_NS) / 1e9, abs=1))
    notes = bench.locator("[data-notes]")
    notes.get_by_text("212 plates queued").wait_for()
    assert notes.get_by_text("cache warm").count() == 0
    notes.get_by_label("Which log lines").select_option("debug")
    notes.get_by_text("cache warm").wait_for()
    notes.get_by_label("Filter notes").fill("plate 31")
    wait_until(lambda: notes.get_by_role("listitem").count() == 1)
    no_violations(bench)


def test_a_remark_is_put_at_the_needle_and_stays(bench, running):
    bench.get_by_role("tab", name="Notes").click()
    bench.get_by_label("A remark at").fill("curators call: scans are slow")
    bench.get_by_role("button", name="Note it").click()
    bench.locator("[data-notes]").get_by_text("curators call").wait_for()
    bench.reload()
    bench.get_by_role("tab", name="Notes").click()
    bench.locator("[data-notes]").get_by_text("curators call").wait_for()
    kept = httpx.get(f"{running.url}{API}/markers", trust_env=False).json()["markers"]
    (note,) = [item for item in kept if item["kind"] == "note"]
    assert note["at"] == spell_time(BEGIN_NS + 24 * MINUTE_NS)


def test_a_disk_is_called_by_its_name_until_the_name_is_taken_away(bench, running):
    cell = bench.locator("[data-moment]").get_by_role("button", name="nvme0n1")
    cell.click()
    bench.get_by_label("A readable name for nvme0n1").fill("photo store")
    bench.keyboard.press("Enter")
    named = bench.locator("[data-moment]").get_by_role("button", name="photo store")
    named.wait_for()
    bench.get_by_title("What is known of this host").click()
    bench.locator("[data-host-facts]").get_by_text("photo store (nvme0n1)").wait_for()
    bench.keyboard.press("Escape")
    assert httpx.get(f"{running.url}{API}/names", trust_env=False).json() == {"disk": {"nvme0n1": "photo store"}}
    named.click()
    bench.keyboard.press("Delete")
    bench.keyboard.press("Enter")
    cell.wait_for()
    assert httpx.get(f"{running.url}{API}/names", trust_env=False).json() == {}
