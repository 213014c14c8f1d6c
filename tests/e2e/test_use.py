"""Who used what: the table beside the strips, the strip of layers, the search, one alone, and who ran on which core."""

import pytest

from e2e_helpers import link, no_violations, wait_until
from reditus.simulator.fernhold import STITCH_01_MORNING


@pytest.fixture
def use(running, page):
    """The morning's archive with the panel open on use."""
    page.goto(f"{running.url}/archives/{STITCH_01_MORNING.archive}")
    page.locator('[data-strip="cores"] [data-summary="mean"]').wait_for()
    page.get_by_role("tab", name="Use").click()
    page.locator("[data-use-row]").first.wait_for()
    return page


def names(page):
    return [row.split("\n")[0] for row in page.locator("[data-use-row]").all_inner_texts()]


def cells(page, row):
    return [cell.strip() for cell in page.locator(row).locator("td:visible").all_inner_texts()]


def test_rows_add_up_to_the_machine(use):
    shares = [cells(use, f"[data-use-row] >> nth={at}")[2] for at in range(use.locator("[data-use-row]").count())]
    rest = cells(use, "[data-use-rest]")[2]
    known = [0.5 if share == "<1" else float(share) for share in [*shares, rest]]
    assert sum(known) == pytest.approx(100, abs=len(known) / 2)
    assert cells(use, "[data-use-total]")[0] == "the machine"
    mean = use.locator('[data-strip="cores"] [data-summary="mean"]').inner_text()
    assert float(cells(use, "[data-use-total]")[-1]) == pytest.approx(float(mean), abs=0.02)
    no_violations(use)


def test_processes_are_put_together_and_stand_over_time_as_layers(use):
    before = len(names(use))
    use.get_by_label("Put together by").select_option("program")
    wait_until(lambda: 0 < len(names(use)) < before)
    use.get_by_role("button", name="as a strip").click()
    strip = use.locator('[data-strip="use.processor{by=program}"]')
    strip.get_by_text("not attributed").wait_for()
    wait_until(lambda: "use.processor{by=program}@each" in link(use).params["strips"])
    use.reload()
    strip.get_by_text("not attributed").wait_for()  # the link has it


def test_a_row_has_all_of_it_and_is_shown_alone(use):
    use.locator("[data-use-row]").first.get_by_role("button").click()
    details = use.locator("[data-use-details]")
    assert "control group" in details.inner_text()
    use.get_by_role("button", name="strips of it alone").click()
    use.locator("[data-who]").get_by_text("cores").wait_for()
    wait_until(lambda: link(use).params.get("device", "").startswith("process:"))
    assert use.locator('[data-strip^="process.busy"]').count() == 1
    assert use.locator('[data-strip="cores"]').count() == 1
    use.reload()
    use.locator("[data-who]").get_by_text("cores").wait_for()
    no_violations(use)


def test_a_search_finds_what_is_typed_and_says_where_it_did_not(use):
    use.get_by_label("Search those who used it").fill("stitch")
    wait_until(lambda: bool(names(use)) and all("stitch" in name for name in names(use)))
    use.get_by_label("Search those who used it").fill("no such program")
    use.get_by_text("Nothing of that name").wait_for()
    use.get_by_role("checkbox", name="whole archive").check()
    use.get_by_text("ever among the heaviest").wait_for()


def test_who_ran_on_which_core_stands_above_the_strips(use):
    use.get_by_role("checkbox", name="who ran on which core").check()
    lane = use.locator("[data-core-lane]")
    picture = lane.get_by_role("img", name="Who ran on which core")
    wait_until(lambda: (picture.bounding_box() or {"height": 0})["height"] > 20)
    box = picture.bounding_box()

    def under(share):
        use.mouse.move(box["x"] + share * box["width"], box["y"] + 4)
        return use.locator("[data-core-under]").inner_text()

    # Some process had the core at one of them.
    wait_until(lambda: any("core 0" in under(share) for share in (0.2, 0.35, 0.5, 0.65, 0.8)))
    use.get_by_role("checkbox", name="who ran on which core").uncheck()
    lane.wait_for(state="detached")


def test_the_panel_is_widened_by_its_edge_and_by_keys(use):
    panel = use.get_by_role("complementary", name="The moment and the findings")
    before = panel.bounding_box()["width"]
    columns = use.locator("[data-use-total] td:visible").count()
    edge = use.locator("[data-panel-edge]")
    edge.focus()
    for _ in range(14):
        use.keyboard.press("ArrowLeft")
    wait_until(lambda: panel.bounding_box()["width"] > before + 250)
    assert use.locator("[data-use-total] td:visible").count() > columns
    use.reload()
    use.locator("[data-panel-edge]").wait_for()
    assert panel.bounding_box()["width"] > before + 250
    edge.dblclick()
    wait_until(lambda: panel.bounding_box()["width"] == pytest.approx(before, abs=2))
