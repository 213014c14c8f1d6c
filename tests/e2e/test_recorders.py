"""The recorders screen, with a recorder at work: how it does, orders, plans; and processes at the needle."""

import httpx
import pytest

from e2e_helpers import no_violations, wait_until
from reditus.cli.child_processes import Child


@pytest.fixture(scope="module")
def recorder(running):
    arguments = ["--server", running.url, "--spool", str(running.spool), "--name", "bench recorder", "--every", "1s"]
    recorder = Child("reditus.recorder", arguments, log=running.logs / "recorder.log")
    yield recorder
    assert recorder.stop() == 0


def report(running):
    entries = httpx.get(f"{running.url}/api/recorders", trust_env=False, timeout=30).json()
    return next(entry for entry in entries if entry["name"] == "bench recorder")


@pytest.fixture
def row(running, recorder, page):
    page.goto(f"{running.url}/recorders")
    row = page.locator('[data-recorder="bench recorder"]')
    row.wait_for()
    return row


def test_a_plan_is_made_followed_and_changed_in_place(running, row, page):
    page.get_by_role("button", name="Make a new plan").click()
    page.get_by_label("Name").fill("lean")
    page.get_by_label("Tick every", exact=True).fill("10ms")
    page.get_by_label("The heaviest processes", exact=True).uncheck()
    page.get_by_role("button", name="Save the plan").click()
    # What is wrong is reported at its place, and nothing is lost.
    page.get_by_text("a duration of at least 0.1 s").wait_for()
    assert page.get_by_label("Name").input_value() == "lean"
    no_violations(page)
    page.get_by_label("Tick every", exact=True).fill("2s")
    page.get_by_role("button", name="Save the plan").click()
    page.locator("[data-plan-dialog]").wait_for(state="detached")
    plan = page.locator('[data-plan="lean"]')
    assert "a tick every 2s · kept for ever · without process · no recorder follows it" in plan.inner_text()

    row.get_by_label("Plan of bench recorder").select_option("lean")
    wait_until(lambda: report(running)["report"]["interval_s"] == 2.0)
    plan.get_by_text("bench recorder").wait_for()
    assert plan.get_by_role("button", name="Remove lean").is_disabled()
    plan.get_by_role("button", name="Change lean").click()
    page.get_by_label("Tick every", exact=True).fill("500ms")
    page.get_by_role("button", name="Save the plan").click()
    wait_until(lambda: report(running)["report"]["interval_s"] == 0.5)
    row.get_by_label("Plan of bench recorder").select_option("")
    wait_until(lambda: report(running)["report"]["interval_s"] == 1.0)
    plan.get_by_role("button", name="Remove lean").click()
    plan.wait_for(state="detached")


def test_burst_stop_and_resume(running, row, page):
    state = row.locator("[data-state]")
    row.get_by_role("button", name="Burst 1 min: sample bench recorder faster").click()
    wait_until(lambda: "burst" in state.inner_text())
    assert report(running)["report"]["interval_s"] == 0.2
    row.get_by_role("button", name="End burst of bench recorder").click()
    wait_until(lambda: "recording" in state.inner_text())
    row.get_by_role("button", name="Stop bench recorder").click()
    wait_until(lambda: "stopped" in state.inner_text())
    no_violations(page)
    row.get_by_role("button", name="Resume bench recorder").click()
    wait_until(lambda: "recording" in state.inner_text())


def test_processes_are_read_at_the_needle(running, row, page):
    row.get_by_role("link", name="bench recorder").click()
    table = page.locator("[data-processes]")
    table.wait_for()
    archive = report(running)["id"]
    at = httpx.get(f"{running.url}/api/archives/{archive}", trust_env=False).json()["end"]
    answer = httpx.get(f"{running.url}/api/archives/{archive}/processes", params={"at": at}, trust_env=False).json()
    assert answer["recorded"]
    assert answer["total"]["memory_bytes"] >= sum(entry["usage"]["memory_bytes"] for entry in answer["processes"])
    listed = [entry for entry in answer["processes"] if entry["name"]]
    assert listed, answer
    # The page goes on with time. Who holds much memory is there a moment later too; who was busy may have ended.
    lasting = str(max(listed, key=lambda item: item["usage"]["memory_bytes"])["pid"])
    page.get_by_label("Filter processes").fill(lasting)
    wait_until(lambda: table.get_by_text(lasting).count() > 0)
    assert all(lasting in line for line in table.locator("tbody tr").all_inner_texts())
    no_violations(page)


def test_counters_are_explained_and_found(running, page):
    page.goto(running.url)
    page.get_by_role("link", name="Counters", exact=True).click()
    page.get_by_text("Time spent waiting for a core").wait_for()
    page.get_by_label("Find a counter").fill("inode")
    page.get_by_text("1 of ").wait_for()
    assert page.get_by_text("Inodes of filesystems").is_visible()
    no_violations(page)
    page.get_by_label("Find a counter").fill("flux")
    page.get_by_role("heading", name="No such counter").wait_for()
