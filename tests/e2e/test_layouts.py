"""Layouts that are saved, and every change taken back: in the browser, kept on the server."""

import json

import pytest

from e2e_helpers import link, no_violations, wait_until
from reditus.simulator.fernhold import STITCH_01_MORNING


@pytest.fixture
def bench(running, page):
    page.goto(f"{running.url}/archives/{STITCH_01_MORNING.archive}")
    page.locator('[data-strip="cores"] [data-summary="mean"]').wait_for()
    return page


def strips(page):
    return [strip.get_attribute("data-strip") for strip in page.locator("[data-strip]").all()]


def remove_first(page):
    before = len(strips(page))
    page.locator("[data-strip]").first.get_by_role("button", name="⋯").click()
    page.get_by_role("button", name="take away").click()
    wait_until(lambda: len(strips(page)) == before - 1)


def menu(page):
    page.locator('[data-layout="own"]').click()
    page.locator("[data-layout-menu]").wait_for()


def test_a_layout_is_saved_chosen_handed_on_deleted_and_brought_back(bench, running, tmp_path):
    remove_first(bench)
    shown = strips(bench)
    menu(bench)
    bench.get_by_placeholder("a name").fill("Nightly look")
    bench.get_by_role("button", name="save", exact=True).click()
    bench.locator("[data-saved-layout]").get_by_text("Nightly look").wait_for()
    no_violations(bench)
    with bench.expect_download() as download:
        bench.locator("[data-saved-layout]").get_by_role("button", name="file").click()
    file = tmp_path / "nightly.json"
    download.value.save_as(file)
    assert json.loads(file.read_text())["strips"] == shown
    bench.keyboard.press("Escape")
    wait_until(lambda: "layout" in link(bench).params)
    bench.reload()  # the link names it, and the server has it
    wait_until(lambda: strips(bench) == shown)
    assert "Nightly look" in bench.locator('[data-layout="own"]').inner_text()

    menu(bench)
    bench.locator("[data-saved-layout]").get_by_role("button", name="delete").click()
    bench.get_by_text("Nightly look is deleted.").wait_for()
    bench.get_by_role("button", name="Undo", exact=True).last.click()
    bench.locator("[data-saved-layout]").get_by_text("Nightly look").wait_for()
    bench.locator("[data-saved-layout]").get_by_role("button", name="make default").click()
    bench.keyboard.press("Escape")
    bench.goto(f"{running.url}/archives/{STITCH_01_MORNING.archive}")
    wait_until(lambda: strips(bench) == shown)

    menu(bench)
    bench.locator("[data-saved-layout]").get_by_role("button", name="delete").click()
    bench.get_by_text("Nightly look is deleted.").wait_for()
    bench.locator("input[type=file]").set_input_files(file)
    bench.locator("[data-saved-layout]").get_by_text("Nightly look").wait_for()
    bench.locator("[data-saved-layout]").get_by_role("button", name="delete").click()
    bench.locator("[data-saved-layout]").wait_for(state="detached")


def test_changes_are_taken_back_by_keys_and_are_there_again_after_looking_elsewhere(bench):
    whole = strips(bench)
    remove_first(bench)
    bench.locator('[data-layout="disk"]').click()
    wait_until(lambda: "stall-io" in strips(bench)[0])
    bench.locator('[data-layout="first"]').click()
    wait_until(lambda: strips(bench) == whole[1:])  # as it was left
    for _ in range(2):
        bench.keyboard.press("Control+z")
    wait_until(lambda: strips(bench) == whole[1:])
    bench.keyboard.press("Control+z")
    wait_until(lambda: strips(bench) == whole)
    bench.keyboard.press("Control+Shift+Z")
    wait_until(lambda: strips(bench) == whole[1:])
    bench.get_by_text("modified · reset").click()
    wait_until(lambda: strips(bench) == whole)
