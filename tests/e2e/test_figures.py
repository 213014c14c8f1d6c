"""Figures instead of lines: a strip and a layout as a table, sorted, and saved as CSV."""

import csv

import pytest

from e2e_helpers import no_violations, wait_until
from reditus.simulator.fernhold import STITCH_01_MORNING


@pytest.fixture
def bench(running, page):
    page.goto(f"{running.url}/archives/{STITCH_01_MORNING.archive}")
    page.locator('[data-strip="cores"] [data-summary="mean"]').wait_for()
    return page


def column(page, place):
    rows = page.get_by_role("dialog").get_by_role("row").filter(has=page.get_by_role("cell"))
    return [row.get_by_role("cell").nth(place).inner_text() for row in rows.all()[:8]]


def test_a_strip_as_figures_is_sorted_and_saved(bench, tmp_path):
    bench.locator('[data-strip="stall-cpu"]').get_by_role("button", name="⋯").click()
    bench.get_by_role("button", name="figures", exact=True).last.click()
    bench.locator("[data-figures]").wait_for()
    sheet = bench.get_by_role("dialog")
    assert "ticks" in sheet.inner_text()
    no_violations(bench)
    sheet.get_by_role("columnheader").nth(1).get_by_role("button").first.click()
    wait_until(
        lambda: [float(value) for value in column(bench, 1)] == sorted(map(float, column(bench, 1)), reverse=True)
    )
    assert float(column(bench, 1)[0]) > 90
    mean = sheet.locator("[data-foot=mean]").get_by_role("cell").first.inner_text()
    shown = bench.locator('[data-strip="stall-cpu"] [data-summary="mean"]').inner_text()
    assert float(mean) == pytest.approx(float(shown), abs=0.6)
    with bench.expect_download() as download:
        sheet.get_by_role("button", name="Save as CSV").click()
    file = tmp_path / "figures.csv"
    download.value.save_as(file)
    with file.open(newline="") as opened:
        head, *rows = list(csv.reader(opened))
    assert head[0] == "time"
    assert "%" in head[1]
    assert len(rows) > 3_500
    assert float(rows[0][1]) >= float(rows[1][1])
    bench.keyboard.press("Escape")
    sheet.wait_for(state="detached")


def test_all_strips_stand_in_one_table_with_columns_of_choice(bench):
    bench.get_by_role("button", name="figures", exact=True).click()
    bench.locator("[data-figures]").wait_for()
    sheet = bench.get_by_role("dialog")
    heads = sheet.get_by_role("columnheader")
    wait_until(lambda: heads.count() > 8)
    count, second = heads.count(), heads.nth(2).inner_text()
    sheet.get_by_role("button", name="Without").first.click()
    wait_until(lambda: heads.count() == count - 1)
    assert heads.nth(1).inner_text() == second
    sheet.get_by_role("button", name="to the right").first.click()
    wait_until(lambda: heads.nth(2).inner_text() == second)
