"""The workbench over the made-up hour: by mouse, by keyboard, by link."""

import re

import httpx
import pytest

from e2e_helpers import link, no_violations, place, readout, readout_value, wait_until
from reditus.cli.client import Client
from reditus.exchange.simulated import SimulatedArchive
from reditus.simulator.fernhold import ARCHIVES, STITCH_01_MORNING

BEGIN_S = STITCH_01_MORNING.begin_ns / 1e9
HOUR_S = 3600
SCAN_GATE = next(item.scenario for item in ARCHIVES if item.scenario.machine.name == "scan-gate")
MIDNIGHT_S = SCAN_GATE.begin_ns / 1e9


@pytest.fixture
def bench(running, page):
    """The archive, open as a whole."""
    page.goto(f"{running.url}/archives/{STITCH_01_MORNING.archive}")
    page.locator('[data-strip="cores"] [data-summary="mean"]').wait_for()
    wait_until(lambda: "from" in link(page).params)
    return page


def surface_box(page):
    return page.locator("[data-surface]").bounding_box()


def click_at(page, share):
    box = surface_box(page)
    page.mouse.click(box["x"] + share * box["width"], box["y"] + 20)


def summary(page, strip, name):
    return page.locator(f'[data-strip="{strip}"] [data-summary="{name}"]').inner_text()


def test_archives_lead_to_the_workbench(running, page):
    page.goto(running.url)
    row = page.locator("[data-host=stitch-01] [data-archive='Thursday morning']")
    assert "simulated" in row.inner_text()
    row.get_by_role("link").click()
    page.locator('[data-strip="cores"] canvas').wait_for()
    assert "stitch-01" in page.locator("header").first.inner_text()
    assert page.locator("[data-strip]").count() == 9


def test_it_opens_on_the_whole_archive(bench):
    start, end, at = place(bench)
    assert (start, end, at) == (BEGIN_S, BEGIN_S + HOUR_S, None)


def test_a_click_puts_one_needle_through_all_strips(bench, running):
    click_at(bench, 0.4)
    wait_until(lambda: place(bench)[2] is not None)
    assert place(bench)[2] == pytest.approx(BEGIN_S + 0.4 * HOUR_S, abs=8)
    assert bench.locator("[data-needle]").count() == 1
    assert bench.locator("[data-readout]").count() == 9
    assert readout_value(bench, "cores") == 8.0
    assert readout(bench, "stall-cpu").startswith("100")
    bench.locator("[data-moment]").get_by_text("8.0 of 8 busy").wait_for()


def test_dragging_looks_closer_and_double_click_goes_back(bench):
    box = surface_box(bench)
    bench.mouse.move(box["x"] + 0.25 * box["width"], box["y"] + 40)
    bench.mouse.down()
    bench.mouse.move(box["x"] + 0.5 * box["width"], box["y"] + 60, steps=5)
    bench.mouse.up()
    wait_until(lambda: place(bench)[1] - place(bench)[0] < HOUR_S)
    start, end, _ = place(bench)
    assert start == pytest.approx(BEGIN_S + 900, abs=10)
    assert end == pytest.approx(BEGIN_S + 1800, abs=10)
    bench.locator("[data-surface]").dblclick(position={"x": 30, "y": 30})
    wait_until(lambda: place(bench)[1] - place(bench)[0] == HOUR_S)


def test_keys_step_zoom_pan_and_go_back(bench):
    click_at(bench, 0.5)
    wait_until(lambda: place(bench)[2] is not None)
    bench.keyboard.press("+")
    wait_until(lambda: place(bench)[1] - place(bench)[0] == pytest.approx(HOUR_S / 2))
    for _ in range(4):
        bench.keyboard.press("+")
    wait_until(lambda: place(bench)[1] - place(bench)[0] < 150)
    before = place(bench)[2]
    bench.keyboard.press("ArrowRight")
    wait_until(lambda: place(bench)[2] != before)
    first = place(bench)[2]
    assert first % 1 == pytest.approx(0, abs=0.002)  # on a tick now
    bench.keyboard.press("ArrowRight")
    wait_until(lambda: place(bench)[2] == pytest.approx(first + 1, abs=0.002))
    bench.keyboard.press("ArrowLeft")
    wait_until(lambda: place(bench)[2] == pytest.approx(first, abs=0.002))
    start = place(bench)[0]
    bench.keyboard.press("Shift+ArrowRight")
    wait_until(lambda: place(bench)[0] > start)
    bench.keyboard.press("0")
    wait_until(lambda: place(bench)[1] - place(bench)[0] == HOUR_S)
    bench.keyboard.press("Backspace")
    wait_until(lambda: place(bench)[1] - place(bench)[0] < 150)


def test_play_moves_the_needle_at_the_chosen_pace_and_pause_holds_it(bench):
    click_at(bench, 0.1)
    wait_until(lambda: place(bench)[2] is not None)
    begun = place(bench)[2]
    bench.get_by_label("Pace").click()
    bench.get_by_role("option", name="×300").click()
    bench.get_by_role("button", name="Play").click()
    wait_until(lambda: place(bench)[2] > begun + 60)
    bench.get_by_role("button", name="Pause").click()
    bench.wait_for_timeout(600)
    held = place(bench)[2]
    bench.wait_for_timeout(600)
    assert place(bench)[2] == held
    bench.keyboard.press(" ")
    wait_until(lambda: bench.get_by_role("button", name="Pause").count() == 1)


def test_summaries_are_the_apis(bench, running):
    url = f"{running.url}/api/archives/{STITCH_01_MORNING.archive}/series"
    params = {"measure": ["cpu.busy", "stall.cpu.some"], "from": "2026-11-12T09:00:00Z", "to": "2026-11-12T10:00:00Z"}
    busy, stall = httpx.get(url, params=params, trust_env=False).json()["series"]
    assert summary(bench, "cores", "mean") == f"{busy['summary']['mean']:.2f}"
    assert summary(bench, "cores", "high") == f"{busy['summary']['high']:.2f}"
    assert summary(bench, "stall-cpu", "mean") == f"{stall['summary']['mean'] * 100:.0f}"
    assert summary(bench, "memory", "coverage") == "100 %"


def test_a_finding_sets_window_and_needle(bench):
    bench.get_by_role("tab", name="Findings 2").wait_for()
    bench.keyboard.press("n")
    wait_until(lambda: place(bench)[2] is not None)
    start, end, at = place(bench)
    assert at == BEGIN_S + 18 * 60 + 21
    assert start < at < end < BEGIN_S + HOUR_S
    panel = bench.locator("[data-finding]").first
    assert "15 min 25 s of stall time" in panel.inner_text()
    assert "Began 09:18:20 ± 1 s" in " ".join(panel.inner_text().split())
    assert "Next steps" in panel.inner_text()


def test_a_finding_leads_to_its_strips_and_is_judged(bench):
    bench.get_by_role("tab", name="Findings").click()
    finding = bench.locator("[data-finding]").first
    finding.get_by_role("button").first.click()
    assert "stitch" in finding.locator("[data-contributors]").inner_text()
    finding.get_by_role("button", name="Show these strips").click()
    wait_until(lambda: bench.locator("[data-strip]").count() == 3)
    assert "Stalled for a core" in bench.locator("[data-strip]").all_inner_texts()[1]
    finding.get_by_role("button", name="Dismiss").click()
    finding.get_by_text("Say why, so that others can follow.").wait_for()
    finding.get_by_label("Reason or remark").fill("the nightly run")
    finding.get_by_role("button", name="Dismiss").click()
    finding.get_by_text("“the nightly run”").wait_for()
    finding.get_by_role("button", name="Take back").click()
    finding.get_by_text("“the nightly run”").wait_for(state="detached")


@pytest.fixture(scope="module")
def scan_gate(running):
    """Two days, every 20 s; the archive's id."""
    archive = SimulatedArchive(SCAN_GATE, by=4)
    with Client(running.url) as client:
        client.load(archive)
    return archive.archive


def test_what_comes_on_two_days_is_one_finding_and_each_time_can_be_gone_to(running, scan_gate, page):
    page.goto(f"{running.url}/archives/{scan_gate}")
    page.get_by_role("tab", name=re.compile(r"Findings\s\d")).wait_for()
    full = page.locator("[data-finding]", has_text="Link saturated")
    full.get_by_role("button").first.click()
    times = full.locator("[data-occurrence]")
    wait_until(lambda: times.count() == 2)
    times.last.click()
    wait_until(lambda: place(page)[2] == pytest.approx(MIDNIGHT_S + 34.5 * HOUR_S, abs=60))
    assert "enp1s0" in full.inner_text()
    assert "processor time in the kernel" in full.locator("[data-contributors]").inner_text()
    # The one before it is of the day before.
    page.keyboard.press("p")
    wait_until(lambda: place(page)[2] < MIDNIGHT_S + 24 * HOUR_S)


def test_what_could_not_be_judged_is_said_below_the_findings(running, scan_gate, page):
    page.goto(f"{running.url}/archives/{scan_gate}")
    page.get_by_role("tab", name=re.compile(r"Findings\s\d")).wait_for()
    missing = page.locator("[data-unjudged]")
    assert "Thermal throttling" not in missing.inner_text()
    missing.get_by_role("button").click()
    missing.get_by_text("Thermal throttling").wait_for()
    no_violations(page)


def test_a_link_reopens_the_same_view(bench, running):
    bench.goto(
        f"{running.url}/archives/{STITCH_01_MORNING.archive}"
        "?from=2026-11-12T09:18:00Z&to=2026-11-12T09:19:00Z&at=2026-11-12T09:18:30Z"
    )
    bench.locator("[data-readout]").first.wait_for()
    assert place(bench) == (BEGIN_S + 1080, BEGIN_S + 1140, BEGIN_S + 1110)
    assert readout_value(bench, "cores") > 7.9


def test_a_link_with_nonsense_opens_the_whole(bench, running):
    bench.goto(f"{running.url}/archives/{STITCH_01_MORNING.archive}?from=soon&to=later&at=x")
    wait_until(lambda: "2026" in str(link(bench)))
    assert place(bench) == (BEGIN_S, BEGIN_S + HOUR_S, None)


def test_clock_and_light_are_chosen_once(bench):
    bench.keyboard.press("u")
    assert bench.get_by_role("button", name="UTC").count() == 1
    bench.keyboard.press("t")
    assert bench.evaluate("document.documentElement.dataset.theme") == "night"
    bench.reload()
    bench.locator('[data-strip="cores"] canvas').wait_for()
    assert bench.evaluate("document.documentElement.dataset.theme") == "night"


def test_the_keys_are_listed_and_the_focus_returns(bench):
    opener = bench.get_by_role("button", name="All keys")
    opener.focus()
    bench.keyboard.press("Enter")
    bench.get_by_role("heading", name="Keys").wait_for()
    bench.keyboard.press("Escape")
    bench.get_by_role("heading", name="Keys").wait_for(state="detached")
    assert opener.evaluate("element => element === document.activeElement")


def test_charts_have_a_text_alternative(bench):
    bench.locator('[data-strip="stall-cpu"] [data-summary="high"]').wait_for()
    label = bench.locator('[data-strip="stall-cpu"] [role="img"]').get_attribute("aria-label")
    assert "lowest 0" in label
    assert "highest 100" in label


def test_unknown_archives_and_pages_say_so(running, page):
    page.goto(f"{running.url}/archives/00000000-0000-4000-8000-000000000000")
    page.get_by_text("there is no archive").wait_for()
    page.goto(f"{running.url}/nowhere")
    page.get_by_role("heading", name="There is no such page").wait_for()


@pytest.mark.parametrize("view", ["archives", "counters", "lost", "moment", "findings", "ruled out", "keys", "night"])
def test_no_view_has_an_accessibility_violation(running, page, view):
    workbench = f"/archives/{STITCH_01_MORNING.archive}?at=2026-11-12T09:24:10Z"
    pages = {"archives": "/", "counters": "/counters", "lost": "/no/such/page"}
    page.goto(running.url + pages.get(view, workbench))
    page.get_by_role("heading").first.wait_for()
    if view not in pages:
        page.locator("[data-readout]").first.wait_for()
    if view == "findings":
        page.get_by_role("tab", name="Findings").click()
        page.locator("[data-finding] button").first.click()
    elif view == "ruled out":
        page.get_by_role("tab", name="Ruled out").click()
    elif view == "keys":
        page.keyboard.press("?")
        page.get_by_role("heading", name="Keys").wait_for()
    elif view == "night":
        page.keyboard.press("t")
    no_violations(page)
