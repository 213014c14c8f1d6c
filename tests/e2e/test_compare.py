"""What is different, on the page: from the workbench's window to a sentence, ranked rows and both over time."""

import re

import pytest

from e2e_helpers import link, no_violations, wait_until
from reditus.core.rfc3339 import spell_time
from reditus.simulator.fernhold import STITCH_01_MORNING

BEGIN_NS = STITCH_01_MORNING.begin_ns
MINUTE_NS = 60 * 10**9
NOTHING = "with_from=2020-01-01T00:00:00Z&with_to=2020-01-02T00:00:00Z"


def at(minutes):
    return spell_time(BEGIN_NS + minutes * MINUTE_NS)


@pytest.fixture
def bench(running, page):
    page.goto(f"{running.url}/archives/{STITCH_01_MORNING.archive}?from={at(19)}&to={at(33)}")
    page.locator('[data-strip="cores"] canvas').wait_for()
    page.locator("[data-compare-menu]").click()
    page.get_by_role("link", name="What is different?").click()
    page.locator("[data-difference]").first.wait_for()
    return page


def test_the_window_is_held_against_the_stretch_before(bench):
    assert bench.get_by_label("Reference", exact=True).input_value() == "before"
    sentence = bench.locator("[data-sentence]").inner_text()
    assert sentence.startswith("More work was done")
    assert "Stalled for a core" in " ".join(bench.locator("[data-difference]").all_inner_texts()[:4])
    bench.locator("[data-window-line][d^='M']").wait_for()
    no_violations(bench)
    # A row that is chosen is drawn over time, and leads to its strip.
    bench.get_by_role("button", name="Cores busy").first.click()
    bench.locator("[data-over-time]").get_by_role("heading", name="Cores busy").wait_for()
    bench.get_by_role("link", name="show on strips").click()
    bench.locator('[data-strip^="cpu.busy"] canvas').wait_for()
    assert link(bench).params["from"] == at(19)


def test_another_reference_is_in_the_link(bench):
    before = bench.locator("[data-sentence]").inner_text()
    bench.get_by_label("Reference", exact=True).select_option("after")
    wait_until(lambda: link(bench).params.get("with_to") == at(47))
    wait_until(lambda: bench.locator("[data-sentence]").inner_text() != before)
    sentence = bench.locator("[data-sentence]").inner_text()
    bench.reload()
    bench.locator("[data-difference]").first.wait_for()
    assert bench.get_by_label("Reference", exact=True).input_value() == "after"
    assert bench.locator("[data-sentence]").inner_text() == sentence


def test_findings_and_programs_of_both_sides(bench):
    bench.get_by_role("button", name="Findings").click()
    # It began in the last minute of the stretch before.
    bench.get_by_role("row", name="Processor saturated").get_by_text(re.compile("new|longer")).wait_for()
    bench.get_by_role("button", name="Processes").click()
    bench.get_by_role("row", name="stitch").first.wait_for()
    bench.get_by_role("button", name="Alike").click()
    bench.locator("[data-difference]").first.wait_for()
    no_violations(bench)


def test_a_recording_without_anything_before_it_is_halved(running, page):
    page.goto(f"{running.url}/archives/{STITCH_01_MORNING.archive}/compare")
    page.locator("[data-sentence]").wait_for()
    assert page.get_by_label("Reference", exact=True).input_value() == "before"
    page.get_by_role("button", name="Alike").click()
    page.locator("[data-difference]").first.wait_for()
    # A reference of which nothing is recorded is said, and another can be chosen.
    page.goto(f"{running.url}/archives/{STITCH_01_MORNING.archive}/compare?{NOTHING}")
    page.get_by_text("Nothing could be compared: the reference holds no ticks.").wait_for()
    page.get_by_label("Reference", exact=True).select_option("before")
    page.get_by_text("No difference beyond chance").first.wait_for()


def test_a_reference_stands_behind_the_strips_and_moves_along(running, page):
    page.goto(f"{running.url}/archives/{STITCH_01_MORNING.archive}?from={at(19)}&to={at(33)}")
    page.locator('[data-strip="cores"] canvas').wait_for()
    page.locator("[data-compare-menu]").click()
    page.get_by_role("button", name="the stretch before").click()
    page.keyboard.press("Escape")
    behind = page.locator('[data-strip="cores"] [data-reference]')
    behind.get_by_text("reference: mean").wait_for()
    wait_until(lambda: link(page).params.get("against") == str(-14 * 60))
    no_violations(page)
    page.reload()
    behind.locator("path[d^='M']").first.wait_for()
    assert page.locator("[data-compare-menu]").inner_text().startswith("against")
    # The page of differences takes the same reference.
    page.locator("[data-compare-menu]").click()
    page.get_by_role("link", name="What is different?").click()
    page.locator("[data-difference]").first.wait_for()
    assert link(page).params["with_to"] == at(19)
    page.go_back()
    page.locator("[data-compare-menu]").click()
    page.get_by_role("button", name="nothing", exact=True).click()
    wait_until(lambda: page.locator("[data-reference]").count() == 0)
    wait_until(lambda: "against" not in link(page).params)


def test_before_and_after_a_moment_shifted_by_hand(running, page):
    page.goto(f"{running.url}/archives/{STITCH_01_MORNING.archive}?from={at(10)}&to={at(20)}&at={at(18)}")
    page.locator('[data-strip="cores"] canvas').wait_for()
    page.locator("[data-compare-menu]").click()
    page.locator("[data-around-needle]").click()
    wait_until(lambda: link(page).params.get("against") == "-600")
    assert link(page).params["from"] == at(18)
    behind = page.locator('[data-strip="cores"] [data-reference]')
    # Stitching begins twenty seconds after the needle.
    behind.get_by_text(re.compile("; now ×")).wait_for()
    # The moment has its own beside it, and what differs between both.
    page.locator("[data-difference]").get_by_text("the reference’s moment").wait_for()
    page.locator("[data-shift]").fill("60")
    page.locator("[data-shift]").press("Enter")
    wait_until(lambda: link(page).params.get("against") == "-540")
    page.locator("[data-map-reference]").wait_for()
    # Its strain stands on the map as a second ribbon.
    ribbon = page.locator("[data-reference-ribbon]").get_by_role("img")
    assert re.match(r"Strain of the reference, highest \d+ %", ribbon.get_attribute("aria-label"))
    no_violations(page)


def test_any_stretch_of_the_map_is_a_reference(running, page):
    page.goto(f"{running.url}/archives/{STITCH_01_MORNING.archive}?from={at(30)}&to={at(40)}")
    page.locator('[data-strip="cores"] canvas').wait_for()
    surface = page.locator("[data-map-surface]")
    box = surface.bounding_box()
    page.keyboard.down("Alt")
    page.mouse.move(box["x"] + box["width"] * 0.1, box["y"] + 20)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] * 0.2, box["y"] + 20, steps=4)
    page.mouse.up()
    page.keyboard.up("Alt")
    wait_until(lambda: "against" in link(page).params)
    assert float(link(page).params["against"]) == pytest.approx(-24 * 60, abs=60)
    # The window stays where it was.
    assert link(page).params["from"] == at(30)
