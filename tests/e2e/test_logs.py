"""Logs beside the counters: two side by side with the needle in both, searched, counted as strips, and added."""

import httpx
import pytest

from e2e_helpers import link, no_violations, place, readout_value, wait_until
from reditus.core.rfc3339 import spell_time
from reditus.simulator.fernhold import STITCH_01_MORNING

BEGIN_NS = STITCH_01_MORNING.begin_ns
SECOND_NS = 10**9
API = f"/api/archives/{STITCH_01_MORNING.archive}"


def at(seconds):
    return spell_time(BEGIN_NS + seconds * SECOND_NS)


def line(seconds, log, text, severity="informational"):
    return {"at": at(seconds), "kind": "log", "log": log, "text": text, "severity": severity}


@pytest.fixture(scope="module")
def logged(running):
    lines = [line(60 * n, "belt.log", f"belt at {n}") for n in range(60)]
    lines += [line(60 * n + 30, "lamp.log", f"lamp {n} blinks") for n in range(60)]
    lines += [line(1_800 + n, "belt.log", f"belt slips by {n} mm", "error") for n in range(20)]
    httpx.post(f"{running.url}{API}/markers", json=lines, trust_env=False).raise_for_status()
    return f"{running.url}/archives/{STITCH_01_MORNING.archive}"


@pytest.fixture
def bench(logged, page):
    page.goto(f"{logged}?layout=logs&at={at(1_200)}&log=belt.log&log=lamp.log")
    page.get_by_label("Which lines", exact=True).select_option("debug")
    page.locator("[data-log-pane] [aria-current]").nth(1).wait_for()
    return page


def panes(page):
    return page.locator("[data-log-pane]").nth(0), page.locator("[data-log-pane]").nth(1)


def current(pane):
    return pane.locator("[aria-current]").inner_text().split("\n")[-1]


def is_in_view(pane):
    return pane.locator("ol").evaluate(
        """list => {
            const line = list.querySelector('[aria-current]').getBoundingClientRect()
            const box = list.getBoundingClientRect()
            return line.top >= box.top - 1 && line.bottom <= box.bottom + 1
        }"""
    )


def test_the_needle_moves_in_both_logs(bench):
    belt, lamp = panes(bench)
    wait_until(lambda: current(belt).endswith("belt at 20") and current(lamp).endswith("lamp 19 blinks"))
    belt.get_by_text("belt slips by 7 mm").click()
    wait_until(lambda: place(bench)[2] == pytest.approx(BEGIN_NS / 1e9 + 1_807, abs=0.5))
    wait_until(lambda: current(belt).endswith("belt slips by 7 mm"))
    wait_until(lambda: current(lamp).endswith("lamp 29 blinks"))
    wait_until(lambda: is_in_view(belt) and is_in_view(lamp))
    # The link holds what is read, and the page opens with it again.
    wait_until(lambda: link(bench).params.get_list("log") == ["belt.log", "lamp.log"])
    bench.reload()
    wait_until(lambda: bench.locator("[data-log-pane]").count() == 2)
    bench.get_by_role("button", name="Close the second log").click()
    wait_until(lambda: link(bench).params.get_list("log") == ["belt.log"])


def test_every_log_has_a_lane(bench):
    lanes = bench.locator("[data-marker-lane]")
    wait_until(lambda: {"belt.log", "lamp.log"} <= {lane.split("\n")[0] for lane in lanes.all_inner_texts()})
    lanes.filter(has_text="lamp.log").get_by_label("lamp 9 blinks").click()
    wait_until(lambda: place(bench)[2] == pytest.approx(BEGIN_NS / 1e9 + 570, abs=0.5))
    # The panel stays on what it showed: the line is read beside the strips.
    assert bench.get_by_role("tab", name="Moment").get_attribute("aria-selected") == "true"
    no_violations(bench)


def test_what_is_searched_for_is_counted_as_a_strip(bench):
    belt, lamp = panes(bench)
    bench.get_by_label("Lines that hold").fill("slips*mm")
    wait_until(lambda: belt.get_by_role("listitem").count() == 20)
    lamp.get_by_text("No line holds").wait_for()
    bench.get_by_role("button", name="count them").click()
    strip = bench.locator('[data-strip^="log.lines{holding="]')
    strip.get_by_text("Log lines with “slips*mm”").wait_for()
    belt.get_by_text("belt slips by 7 mm").click()
    wait_until(lambda: readout_value(bench, "log.lines{holding=slips*mm}") > 0)
    wait_until(lambda: "holding" in link(bench).params)
    bench.reload()
    strip.get_by_text("Log lines with “slips*mm”").wait_for()


def test_a_log_is_shown_as_it_will_be_read_before_it_is_kept(bench, running, tmp_path):
    file = tmp_path / "oven.log"
    file.write_text("2026-11-12 10:20:00 ERROR too hot\n2026-11-12 10:21:00 INFO better\n")
    bench.get_by_role("button", name="add a log").click()
    dialog = bench.get_by_role("dialog")
    dialog.get_by_label("The log's file").set_input_files(file)
    dialog.get_by_label("zone of times without one").fill("Nowhere/Here")
    dialog.get_by_role("alert").get_by_text("is no place of the time zone database").wait_for()
    dialog.get_by_label("zone of times without one").fill("Europe/Berlin")
    preview = dialog.locator("[data-log-preview]")
    preview.get_by_text("taken for those of Europe/Berlin").wait_for()
    preview.get_by_text("09:20:00").wait_for()
    no_violations(bench)
    dialog.get_by_role("button", name="Keep the lines").click()
    bench.get_by_text("2 lines of oven.log kept").wait_for()
    bench.get_by_label("First log: which log").select_option("oven.log")
    panes(bench)[0].get_by_text("ERROR too hot").wait_for()
    logs = {log["name"]: log for log in httpx.get(f"{running.url}{API}/logs", trust_env=False).json()}
    kept = logs["oven.log"]
    assert (kept["lines"], kept["errors"], kept["first"]) == (2, 1, "2026-11-12T09:20:00Z")


def test_how_much_is_logged_is_found_like_any_measure(bench):
    bench.keyboard.press("Escape")
    bench.locator("body").press("/")
    bench.get_by_role("combobox").fill("errors logged")
    bench.get_by_role("option", name="Errors logged").first.click()
    bench.locator('[data-strip^="log"]').get_by_text("Errors logged").first.wait_for()
