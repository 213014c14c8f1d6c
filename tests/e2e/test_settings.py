"""What is chosen once and for all, and what is handed on: clocks, units, scales, pictures, paper."""

import re
from collections.abc import Iterator
from xml.etree import ElementTree

import pytest
from playwright.sync_api import Page

from e2e_helpers import link, no_violations, wait_until
from reditus.simulator.fernhold import STITCH_01_MORNING

SVG = "{http://www.w3.org/2000/svg}"


@pytest.fixture
def elsewhere(running, browser) -> Iterator[Page]:
    """A browser in Berlin, set to German, on its first visit."""
    context = browser.new_context(
        viewport={"width": 1280, "height": 800}, timezone_id="Europe/Berlin", locale="de-DE", color_scheme="light",
        permissions=["clipboard-read", "clipboard-write"],
    )  # fmt: skip
    context.set_default_timeout(90_000)
    page = context.new_page()
    page.goto(f"{running.url}/archives/{STITCH_01_MORNING.archive}")
    page.locator('[data-strip="cores"] [data-summary="mean"]').wait_for()
    yield page
    context.close()


@pytest.fixture
def bench(running, page):
    page.goto(f"{running.url}/archives/{STITCH_01_MORNING.archive}")
    page.locator('[data-strip="cores"] [data-summary="mean"]').wait_for()
    return page


def settings(page):
    page.get_by_role("button", name="settings").click()
    page.get_by_role("heading", name="Settings").wait_for()


def summary(page, strip, name):
    return page.locator(f'[data-strip="{strip}"] [data-summary="{name}"]').inner_text()


def test_units_and_clocks_are_chosen_for_everything_and_kept(elsewhere):
    page = elsewhere
    assert "," in summary(page, "cores", "mean")
    assert page.locator("[data-hint]").count() == 1
    page.get_by_role("button", name="got it").click()
    # Nine o'clock in UTC is ten in Berlin; the host itself lives by London.
    assert "10:00:00" in page.locator("[data-window-text]").inner_text()
    settings(page)
    no_violations(page)
    page.get_by_label("share of all cores").check()
    page.get_by_label("the host’s own").check()
    page.keyboard.press("Escape")
    wait_until(lambda: "09:00:00" in page.locator("[data-window-text]").inner_text())
    assert page.get_by_role("button", name="London").count() == 1
    assert "% of all" in page.locator('[data-strip="cores"] [data-axis]').inner_text().replace("\n", " ")
    page.reload()
    page.locator('[data-strip="cores"] [data-summary="mean"]').wait_for()
    assert page.get_by_role("button", name="London").count() == 1
    assert page.locator("[data-hint]").count() == 0
    assert 0 < float(summary(page, "cores", "mean").replace(",", ".")) < 100


def test_an_upper_edge_is_typed_and_nonsense_is_refused(bench):
    strip = bench.locator('[data-strip="cores"]')
    strip.get_by_role("button", name="⋯").click()
    edge = bench.get_by_label("A value for the upper edge")
    edge.fill("none")
    edge.press("Enter")
    bench.get_by_role("alert").filter(has_text="a number above 0").wait_for()
    edge.fill("2,5")
    edge.press("Enter")
    wait_until(lambda: strip.locator("[data-axis]").inner_text().startswith("2.5"))
    assert strip.locator("[data-edge-mark]").inner_text() == "locked"
    edge.fill("")
    edge.press("Enter")
    wait_until(lambda: strip.locator("[data-axis]").inner_text().startswith("8"))


def test_means_are_over_the_length_that_is_chosen_and_the_link_keeps_it(bench):
    bench.locator("[data-window-text]").click()
    bench.locator("[data-averaging]").select_option(label="5 min")
    wait_until(lambda: link(bench).params.get("means") == "300")
    bench.keyboard.press("Escape")
    assert "means of 5 min" in bench.locator("[data-window-text]").inner_text()
    bench.reload()
    bench.locator('[data-strip="cores"] [data-summary="mean"]').wait_for()
    assert "means of 5 min" in bench.locator("[data-window-text]").inner_text()
    bench.get_by_role("button", name="figures", exact=True).click()
    bench.locator("[data-figures]").wait_for()


def test_a_calendar_leads_to_a_day_that_was_recorded(running, page):
    query = "from=2026-11-12T09:10:00Z&to=2026-11-12T09:20:00Z"
    page.goto(f"{running.url}/archives/{STITCH_01_MORNING.archive}?{query}")
    page.locator("[data-strip] canvas").first.wait_for()
    page.locator("[data-window-text]").click()
    calendar = page.locator("[data-calendar]")
    assert calendar.get_by_role("button", name="11 November 2026: nothing recorded").is_disabled()
    no_violations(page)
    calendar.get_by_role("button", name=re.compile(r"^12 November 2026: 4\.\d % recorded")).click()
    wait_until(lambda: link(page).params.get("from") == "2026-11-12T09:00:00Z")
    assert calendar.count() == 0


def test_a_strip_and_all_strips_are_handed_on_as_pictures_and_as_words(elsewhere, tmp_path):
    page = elsewhere
    strip = page.locator('[data-strip="stall-cpu"]')
    strip.get_by_role("button", name="⋯").click()
    with page.expect_download() as download:
        page.get_by_role("button", name="Save as SVG").click()
    assert download.value.suggested_filename == "stitch-01, Stalled for a core.svg"
    download.value.save_as(tmp_path / "one.svg")
    picture = ElementTree.parse(tmp_path / "one.svg").getroot()
    words = [text.text for text in picture.iter(f"{SVG}text")]
    assert "Stalled for a core" in words
    assert any((word or "").startswith("stitch-01 · ") for word in words)
    assert any("UTC+1" in (word or "") for word in words)
    assert any(len(path.get("d", "")) > 1_000 for path in picture.iter(f"{SVG}path"))
    page.locator("[data-share]").click()
    with page.expect_download() as download:
        page.get_by_role("button", name="Save all strips as PNG").click()
    download.value.save_as(tmp_path / "all.png")
    png = (tmp_path / "all.png").read_bytes()
    assert png.startswith(b"\x89PNG")
    assert int.from_bytes(png[16:20], "big") == 2 * 960
    strip.get_by_role("button", name="⋯").click()
    page.get_by_role("button", name="Copy as PNG").click()
    page.locator("[data-said]").get_by_text("copied as PNG").wait_for()
    kinds = page.evaluate("navigator.clipboard.read().then((items) => items.flatMap((item) => item.types))")
    assert kinds == ["image/png"]
    page.locator("[data-surface]").click(position={"x": 300, "y": 20})
    page.locator("[data-readout]").first.wait_for()
    strip.get_by_role("button", name="⋯").click()
    page.get_by_role("button", name="value", exact=True).click()
    page.locator("[data-said]").get_by_text("copied").wait_for()
    copied = page.evaluate("navigator.clipboard.readText()")
    assert re.fullmatch(r"Stalled for a core: .*%\D+\(stitch-01, 2026-11-12T09:.*Z\)", copied), copied


def test_on_paper_all_strips_are_there_by_day_and_no_controls(bench, tmp_path):
    bench.evaluate("localStorage.setItem('reditus.theme', 'night')")
    bench.reload()
    bench.locator('[data-strip="cores"] [data-summary="mean"]').wait_for()
    themes = bench.evaluate(
        """async () => {
            const seen = [document.documentElement.dataset.theme]
            dispatchEvent(new Event('beforeprint')); await 0
            seen.push(document.documentElement.dataset.theme)
            dispatchEvent(new Event('afterprint')); await 0
            return [...seen, document.documentElement.dataset.theme]
        }"""
    )
    assert themes == ["night", "day", "night"]
    bench.emulate_media(media="print")
    assert not bench.get_by_role("button", name="settings").is_visible()
    assert not bench.locator("#replay").is_visible()
    strips = bench.locator("[data-strips]")
    assert strips.evaluate("(box) => box.scrollHeight <= box.clientHeight + 1")
    page_px = bench.evaluate("document.documentElement.scrollHeight")
    assert page_px > bench.locator("[data-strip]").count() * 60
    pdf = bench.pdf(format="A4", landscape=True)
    assert pdf.startswith(b"%PDF")
    assert pdf.count(b"/Type /Page\n") >= 2


def test_keys_skip_to_the_parts_of_the_page(bench):
    bench.keyboard.press("Tab")
    for label, target in (("Skip to the strips", "strips"), ("Skip to the replay", "replay")):
        skip = bench.get_by_role("link", name=label)
        skip.focus()
        assert skip.is_visible()
        bench.keyboard.press("Enter")
        wait_until(lambda target=target: bench.evaluate("document.activeElement.id") == target)


def test_what_is_waited_for_longer_than_a_second_is_said(running, page):
    held, released = [], []

    def hold(route):
        if released:
            route.continue_()
        else:
            held.append(route)

    page.route("**/series?*", hold)
    page.goto(f"{running.url}/archives/{STITCH_01_MORNING.archive}")
    page.locator("[data-busy]").get_by_text("reading the strips").wait_for()
    released.append(True)
    for route in held:
        route.continue_()
    page.locator("[data-busy]").wait_for(state="detached")
    page.locator('[data-strip="cores"] [data-summary="mean"]').wait_for()
