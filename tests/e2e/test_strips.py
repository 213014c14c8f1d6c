"""Strips: any measure, any device, arranged as the analyst likes, and all of it in the link."""

import re

import httpx
import pytest

from e2e_helpers import link, no_violations, place, settled, wait_until
from reditus.simulator.fernhold import ARCHIVES, STITCH_01_MORNING

VAULT = next(answer.scenario for answer in ARCHIVES if answer.scenario.machine.name == "vault")
BEGIN_S = STITCH_01_MORNING.begin_ns / 1e9


@pytest.fixture
def bench(running, page):
    page.goto(f"{running.url}/archives/{STITCH_01_MORNING.archive}")
    page.locator('[data-strip="cores"] [data-summary="mean"]').wait_for()
    wait_until(lambda: "from" in link(page).params)
    return page


def strips(page):
    return page.locator("[data-strip]").evaluate_all("rows => rows.map(row => row.dataset.strip)")


def choices(page, strip):
    page.locator(f'[data-strip="{strip}"] [data-strip-menu]').first.click()
    return page.locator("[data-strip-choices]")


def answer(page):
    return link(page).params.get("strips", "")


def test_layouts_come_in_the_order_of_the_work_and_one_opens_first(bench, running):
    names = bench.locator("[data-layout]").all_inner_texts()
    assert [re.sub(r"[\d▾\s]+$", "", name) for name in names] == [
        "First look", "Processor", "Memory", "Disk", "Network", "More", "One device", "My layouts",
    ]  # fmt: skip
    for layout, strip in (("processor", "waiting"), ("memory", "parts"), ("disk", "wait"), ("network", "use")):
        bench.locator(f'[data-layout="{layout}"]').click()
        bench.locator(f'[data-strip="{strip}"]').wait_for()
        wait_until(lambda layout=layout: link(bench).params.get("layout") == layout)
    bench.get_by_role("button", name="make default").click()
    bench.goto(f"{running.url}/archives/{STITCH_01_MORNING.archive}")
    bench.locator('[data-strip="use"]').wait_for()


def test_everything_about_one_device(bench):
    bench.locator('[data-layout="device"]').click()
    bench.get_by_role("option", name="disk nvme0n1").click()
    bench.locator('[data-strip="waits"] canvas').wait_for()
    wait_until(lambda: link(bench).params.get("device") == "disk:nvme0n1")
    assert "nvme0n1" in bench.locator('[data-strip="queue"] header').inner_text()
    bench.reload()
    bench.locator('[data-strip="waits"] canvas').wait_for()


def test_a_strip_reports_of_the_machine_or_of_its_devices(bench):
    bench.locator('[data-layout="processor"]').click()
    bench.locator('[data-strip="core"] canvas').wait_for()
    assert "hottest 5" in bench.locator('[data-strip="core"] header').inner_text()
    menu = choices(bench, "core")
    menu.get_by_role("button", name="sum", exact=True).click()
    wait_until(lambda: "core@sum" in answer(bench))
    total = bench.locator('[data-strip="core"] [data-summary="mean"]')
    whole = bench.locator('[data-strip="cores"] [data-summary="mean"]')
    wait_until(lambda: float(total.inner_text()) == pytest.approx(float(whole.inner_text()), abs=0.02))
    menu.get_by_role("button", name="the machine").click()
    menu.get_by_label("3", exact=True).check()
    wait_until(lambda: "core@3" in answer(bench))


def test_scales_are_locked_matched_and_logarithmic_and_it_shows(bench):
    strip = bench.locator('[data-strip="disk"]')
    strip.locator("canvas").wait_for()
    menu = choices(bench, "disk")
    menu.get_by_role("button", name="locked").click()
    wait_until(lambda: "disk~top" in answer(bench))
    assert strip.locator("[data-edge-mark]").inner_text() == "locked"
    locked = strip.locator("[data-axis]").inner_text()
    bench.keyboard.press("Escape")
    bench.keyboard.press("+")
    wait_until(lambda: place(bench)[1] - place(bench)[0] < 3600)
    assert strip.locator("[data-axis]").inner_text() == locked
    menu = choices(bench, "disk")
    menu.get_by_label("logarithmic").check()
    wait_until(lambda: strip.locator("[data-axis]").inner_text() != locked)
    menu.get_by_role("button", name="matched").click()
    wait_until(lambda: "disk~log~match" in answer(bench))


def test_time_above_a_line_is_counted(bench, running):
    menu = choices(bench, "cores")
    menu.get_by_label("A line to count the time above").fill("7.5")
    bench.keyboard.press("Enter")
    bench.locator('[data-strip="cores"] [data-line]').wait_for()
    url = f"{running.url}/api/archives/{STITCH_01_MORNING.archive}/series"
    window = {"from": "2026-11-12T09:00:00Z", "to": "2026-11-12T10:00:00Z"}
    (busy,) = httpx.get(url, params={"measure": "cpu.busy", "width": 4000, **window}, trust_env=False).json()["series"]
    truth_min = sum(value is not None and value > 7.5 for value in busy["mean"]) / 60
    shown = bench.locator('[data-strip="cores"] [data-summary="above"]')
    wait_until(lambda: abs(float(re.match(r"[\d.]+", shown.inner_text())[0]) - truth_min) <= 1)
    menu.get_by_label("A line to count the time above").fill("many")
    bench.keyboard.press("Enter")
    menu.get_by_role("alert").wait_for()


def test_strips_are_moved_resized_doubled_folded_and_taken_away(bench):
    first, second = strips(bench)[:2]
    title = bench.locator(f'[data-strip="{second}"] h2')
    title.focus()
    bench.keyboard.press("Alt+ArrowUp")
    wait_until(lambda: strips(bench)[:2] == [second, first])
    box, target = title.bounding_box(), bench.locator('[data-strip="memory"]').bounding_box()
    bench.mouse.move(box["x"] + 10, box["y"] + 8)
    bench.mouse.down()
    bench.mouse.move(box["x"] + 10, target["y"] + target["height"] * 0.8, steps=6)
    bench.mouse.up()
    wait_until(lambda: strips(bench)[:3] == [first, "memory", second])
    strip = bench.locator(f'[data-strip="{first}"]')
    edge, before = strip.locator("[data-strip-edge]").bounding_box(), strip.bounding_box()["height"]
    bench.mouse.move(edge["x"] + 40, edge["y"] + 2)
    bench.mouse.down()
    bench.mouse.move(edge["x"] + 40, edge["y"] + 62, steps=4)
    bench.mouse.up()
    wait_until(lambda: strip.bounding_box()["height"] == pytest.approx(before + 60, abs=3))
    choices(bench, first).get_by_role("button", name="duplicate").click()
    wait_until(lambda: strips(bench).count(first) == 2)
    bench.keyboard.press("Escape")
    choices(bench, first).get_by_role("button", name="take away").click()
    wait_until(lambda: strips(bench).count(first) == 1)
    choices(bench, "memory").get_by_role("button", name="fold", exact=True).click()
    wait_until(lambda: bench.locator('[data-strip="memory"]').bounding_box()["height"] < 30)
    arranged = strips(bench)
    wait_until(lambda: "memory~fold" in answer(bench))
    bench.reload()
    bench.locator(f'[data-strip="{first}"] canvas').wait_for()
    assert strips(bench) == arranged
    bench.get_by_role("button", name="modified · reset").click()
    wait_until(lambda: strips(bench)[0] == "cores" and not answer(bench))


def test_a_measure_that_is_added_shows_its_whole_past(bench):
    bench.keyboard.press("/")
    bench.get_by_label("What to find").fill("context switches")
    bench.locator('[data-entry="measure"]').first.wait_for()
    bench.keyboard.press("Enter")
    bench.locator('[data-strip="cpu.switches"] canvas').wait_for()
    assert bench.locator('[data-strip="cpu.switches"] [data-summary="coverage"]').inner_text() == "100 %"
    menu = choices(bench, "cpu.switches")
    menu.get_by_label("A measure to show in Context switches too").select_option("cpu.forks")
    wait_until(lambda: "cpu.switches+cpu.forks" in answer(bench))


def test_a_typed_time_brings_the_needle_there(bench):
    bench.keyboard.press("/")
    field = bench.get_by_label("What to find")
    field.fill("2026-11-12T09:24:10Z")
    bench.locator('[data-entry="time"]').wait_for()
    bench.keyboard.press("Enter")
    wait_until(lambda: place(bench)[2] == BEGIN_S + 24 * 60 + 10)
    bench.keyboard.press("/")
    field.fill("-20 min")
    bench.keyboard.press("Enter")
    wait_until(lambda: place(bench)[:2] == pytest.approx((BEGIN_S + 40 * 60, BEGIN_S + 3600), abs=2))


def test_figures_since_a_mark(bench, running):
    bench.keyboard.press("/")
    bench.get_by_label("What to find").fill("2026-11-12T09:30:00Z")
    bench.keyboard.press("Enter")
    wait_until(lambda: place(bench)[2] == BEGIN_S + 1800)
    bench.keyboard.press("k")
    bench.locator("[data-mark]").wait_for()
    url = f"{running.url}/api/archives/{STITCH_01_MORNING.archive}/series"
    window = {"from": "2026-11-12T09:30:00Z", "to": "2026-11-12T10:00:00Z"}
    (busy,) = httpx.get(url, params={"measure": "cpu.busy", **window}, trust_env=False).json()["series"]
    shown = bench.locator('[data-strip="cores"] [data-summary="mean"]')
    wait_until(lambda: shown.inner_text() == f"{busy['summary']['mean']:.2f}")
    assert "since mark" in bench.locator('[data-strip="cores"]').inner_text()
    bench.keyboard.press("k")
    bench.locator("[data-mark]").wait_for(state="detached")


def test_two_moments_are_compared(bench):
    for at in ("2026-11-12T09:05:00Z", "2026-11-12T09:24:10Z"):
        bench.keyboard.press("/")
        bench.get_by_label("What to find").fill(at)
        bench.keyboard.press("Enter")
        bench.locator("[data-moment]").wait_for()
        if at.startswith("2026-11-12T09:05"):
            settled(bench)
            bench.keyboard.press("c")
            bench.locator("[data-pin]").get_by_text("pinned").wait_for()
    difference = bench.locator("[data-difference]")
    difference.locator('[data-differs="stall.cpu.some"]').wait_for()
    assert "100" in difference.locator('[data-differs="stall.cpu.some"]').inner_text()
    wait_until(lambda: bench.locator("[data-was]").count() > 3)
    no_violations(bench)
    bench.keyboard.press("Escape")
    difference.get_by_role("button", name="unpin").click()
    difference.wait_for(state="detached")


def test_a_process_shows_its_own_past(bench):
    bench.keyboard.press("/")
    bench.get_by_label("What to find").fill("2026-11-12T09:24:10Z")
    bench.keyboard.press("Enter")
    bench.locator("[data-process]").first.click()
    strip = bench.locator('[data-strip^="process.busy{"]')
    strip.locator("canvas").wait_for()
    wait_until(lambda: strip.locator('[data-summary="mean"]').count() == 1)
    assert 1.5 < float(strip.locator('[data-summary="mean"]').inner_text()) <= 2
    bench.keyboard.press("/")
    bench.get_by_label("What to find").fill("preview")
    bench.locator('[data-entry="processes"]').click()
    wait_until(lambda: all("preview" in text for text in bench.locator("[data-process]").all_inner_texts()))


def test_the_process_table_as_a_tree_with_columns_of_choice(bench):
    bench.keyboard.press("/")
    bench.get_by_label("What to find").fill("2026-11-12T09:24:10Z")
    bench.keyboard.press("Enter")
    bench.get_by_text("columns, tree").click()
    bench.get_by_label("threads", exact=True).check()
    bench.get_by_label("last core").check()
    bench.get_by_label("tree", exact=True).check()
    head = bench.locator("[data-processes] thead").inner_text()
    assert "threads" in head
    assert "core" in head


def test_the_window_is_played_over_and_over(bench):
    bench.keyboard.press("/")
    bench.get_by_label("What to find").fill("2026-11-12T09:59:30Z")
    bench.keyboard.press("Enter")
    wait_until(lambda: place(bench)[2] == pytest.approx(BEGIN_S + 3570, abs=1))
    bench.keyboard.press("o")
    bench.keyboard.press(" ")
    wait_until(lambda: place(bench)[2] < BEGIN_S + 1800)
    bench.keyboard.press(" ")


def test_the_last_minutes_and_the_whole(bench):
    bench.get_by_role("button", name="The last 5 min").click()
    wait_until(lambda: place(bench)[:2] == (BEGIN_S + 3300, BEGIN_S + 3600))
    bench.get_by_role("button", name="The whole archive").click()
    wait_until(lambda: place(bench)[:2] == (BEGIN_S, BEGIN_S + 3600))
    bench.get_by_role("button", name="Undo").click()
    wait_until(lambda: place(bench)[:2] == (BEGIN_S + 3300, BEGIN_S + 3600))


@pytest.mark.parametrize("view", ["disk", "find", "choices"])
def test_no_view_has_an_accessibility_violation(bench, view):
    if view == "disk":
        bench.locator('[data-layout="disk"]').click()
        bench.locator('[data-strip="wait"] canvas').wait_for()
    elif view == "find":
        bench.keyboard.press("/")
        bench.get_by_label("What to find").fill("disk")
        bench.locator("[data-entry]").first.wait_for()
    else:
        choices(bench, "disk").wait_for()
    no_violations(bench)


@pytest.mark.parametrize("width", [1024, 1600, 2560])
def test_it_fits_narrow_and_wide_screens(bench, width):
    bench.set_viewport_size({"width": width, "height": 900})
    settled(bench)
    assert bench.evaluate("document.documentElement.scrollWidth") <= width
    bar = bench.locator("footer").first
    assert bar.evaluate("element => element.scrollWidth <= element.clientWidth")
    bar = bench.locator("[data-layout-bar]")
    assert bar.evaluate("element => element.scrollWidth <= element.clientWidth")
