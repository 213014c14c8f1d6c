"""The strain map: the whole archive at a glance, the window as a frame on it."""

import pytest

from e2e_helpers import link, no_violations, place, wait_until
from reditus.simulator.fernhold import STITCH_01_MORNING

BEGIN_S = STITCH_01_MORNING.begin_ns / 1e9
HOUR_S = 3600


@pytest.fixture
def bench(running, page):
    page.goto(f"{running.url}/archives/{STITCH_01_MORNING.archive}")
    page.locator('[data-strain="processor"]').wait_for()
    wait_until(lambda: "from" in link(page).params)
    page.locator("[data-map-surface] canvas").first.wait_for()
    return page


def surface(page):
    return page.locator("[data-map-surface]").bounding_box()


def drag(page, start, end):
    box = surface(page)
    y = box["y"] + box["height"] / 2
    page.mouse.move(box["x"] + start * box["width"], y)
    page.mouse.down()
    page.mouse.move(box["x"] + end * box["width"], y, steps=6)
    page.mouse.up()


def opener(page, resource):
    return page.locator("[data-strain-map]").get_by_role("button", name=resource, exact=True)


def window(page):
    start, end, _ = place(page)
    return (start - BEGIN_S) / HOUR_S, (end - BEGIN_S) / HOUR_S


def test_dragging_draws_a_window_and_the_frame_can_be_moved_and_resized(bench):
    drag(bench, 0.3, 0.6)
    wait_until(lambda: window(bench) == pytest.approx((0.3, 0.6), abs=0.01))
    drag(bench, 0.45, 0.55)  # inside: moves it
    wait_until(lambda: window(bench) == pytest.approx((0.4, 0.7), abs=0.01))
    drag(bench, window(bench)[1], 0.9)  # its edge
    wait_until(lambda: window(bench) == pytest.approx((0.4, 0.9), abs=0.01))
    bench.keyboard.press("Backspace")
    wait_until(lambda: window(bench) == pytest.approx((0.4, 0.7), abs=0.01))
    bench.keyboard.press("Shift+Backspace")
    wait_until(lambda: window(bench) == pytest.approx((0.4, 0.9), abs=0.01))


def test_the_frame_moves_by_keys_alone(bench):
    drag(bench, 0.3, 0.5)
    wait_until(lambda: window(bench) == pytest.approx((0.3, 0.5), abs=0.01))
    bench.locator('[data-grip="move"]').focus()
    bench.keyboard.press("ArrowRight")
    wait_until(lambda: window(bench) == pytest.approx((0.32, 0.52), abs=0.01))
    bench.locator('[data-grip="end"]').focus()
    bench.keyboard.press("Shift+ArrowRight")
    wait_until(lambda: window(bench) == pytest.approx((0.32, 0.62), abs=0.01))


def test_resources_open_to_their_devices(bench):
    cores = bench.locator('[data-strain^="processor "]')
    assert cores.count() == 0
    opener(bench, "Processor").click()
    wait_until(lambda: cores.count() == 8)
    assert cores.first.inner_text().startswith("core 0")
    opener(bench, "Processor").click()
    wait_until(lambda: cores.count() == 0)


def test_a_place_on_the_map_reports_what_is_behind_it(bench):
    box = surface(bench)
    bench.mouse.move(box["x"] + 0.4 * box["width"], box["y"] + 8)
    answer = bench.locator("[data-strain-hover]")
    answer.get_by_text("Stalled for a core").wait_for()
    wait_until(lambda: "8.00 cores" in answer.inner_text().replace("\u2009", " "))
    assert "Processor" in answer.inner_text()
    bench.mouse.move(box["x"] + 0.4 * box["width"], box["y"] + 400)
    answer.wait_for(state="detached")


def test_the_map_says_where_it_is_dark_and_how_strain_comes_about(bench):
    row = bench.locator('[data-strain="processor"] p.sr-only')
    wait_until(lambda: "strain" in row.inner_text())
    assert "highest 8" in row.inner_text() or "highest 9" in row.inner_text()
    bench.get_by_role("button", name="how the strain of Processor is computed").click()
    assert "loss" in bench.locator("[data-strain-help]").inner_text()


def test_findings_stand_above_the_map_and_lead_to_their_time(bench):
    bench.locator("[data-map-bracket]").first.click()
    wait_until(lambda: place(bench)[2] == BEGIN_S + 18 * 60 + 21)
    assert window(bench)[0] > 0.1


def test_the_map_folds_and_stays_folded(bench):
    bench.keyboard.press("m")
    bench.locator("[data-strain-map]").wait_for(state="detached")
    bench.reload()
    bench.locator("[data-layout-bar]").wait_for()
    assert bench.locator("[data-strain-map]").count() == 0


def test_the_open_map_has_no_accessibility_violation(bench):
    opener(bench, "Processor").click()
    bench.get_by_role("button", name="how the strain of Disk is computed").click()
    no_violations(bench)
