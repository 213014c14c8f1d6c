"""The list of archives as a person uses it: details, notes, a copy, and a deletion taken back."""

import httpx
import pytest
from playwright.sync_api import expect

from e2e_helpers import no_violations, wait_until
from reditus.simulator.fernhold import STITCH_01_MORNING

API = f"/api/archives/{STITCH_01_MORNING.archive}"
NAME = STITCH_01_MORNING.name


@pytest.fixture
def archives(running, page):
    page.goto(running.url)
    page.locator(f"[data-archive='{NAME}']").wait_for()
    return page


def details(page, name=NAME):
    page.get_by_role("button", name=f"Details of {name}", exact=True).click()
    dialog = page.locator("[data-archive-dialog]")
    dialog.get_by_role("heading", name=name, exact=True).wait_for()
    return dialog


def test_an_archive_at_a_glance(archives):
    dialog = details(archives)
    dialog.locator("[data-fact=gaps]").get_by_text("none").wait_for()
    assert dialog.locator("[data-fact=ticks]").inner_text().startswith("3,601 of ")
    assert dialog.locator("[data-fact=coverage]").inner_text() == "100.00 %"
    no_violations(archives)
    archives.keyboard.press("Escape")
    dialog.wait_for(state="detached")


def test_what_is_found_of_a_host_is_one_step_from_the_first_page(archives):
    """The link opens the finding itself, and so does the address that it leads to."""
    archives.locator("[data-host-finding]", has_text="Single core saturated, others idle").click()
    for _ in range(2):
        archives.get_by_role("tab", name="Findings", selected=True).wait_for()
        found = archives.locator("[data-finding] [aria-current=true]")
        found.get_by_text("Single core saturated, others idle, core 5").wait_for()
        expect(found).to_be_in_viewport()
        archives.wait_for_url("**finding=cpu.one_core@5**")
        archives.reload()


def test_notes_and_protection_are_kept(archives, running):
    dialog = details(archives)
    dialog.get_by_label("Notes", exact=True).fill("the morning of the call")
    dialog.get_by_label("Protected").check()
    wait_until(lambda: dialog.get_by_role("button", name="Protected: not to be deleted").is_disabled())
    dialog.get_by_role("button", name="Save name and notes").click()
    row = archives.locator(f"[data-archive='{NAME}']")
    row.get_by_text("the morning of the call").wait_for()
    row.get_by_text("protected").wait_for()
    httpx.patch(f"{running.url}{API}", json={"notes": "", "protected": False}, trust_env=False).raise_for_status()


def test_a_stretch_becomes_an_archive_and_its_deletion_is_taken_back(archives, running):
    dialog = details(archives)
    dialog.get_by_label("From", exact=True).fill("2026-11-12 09:20:00Z")
    dialog.get_by_label("To", exact=True).fill("yesterday")
    dialog.get_by_label("Name of the copy").fill("ten minutes")
    dialog.get_by_role("button", name="Copy it").click()
    dialog.get_by_text("'yesterday' is no time").wait_for()
    dialog.get_by_label("To", exact=True).fill("2026-11-12T09:30:00Z")
    dialog.get_by_role("button", name="Copy it").click()
    archives.get_by_role("status").get_by_text("ten minutes: 600 ticks copied.").wait_for()
    # Both archives of the host can be read as one.
    archives.get_by_role("link", name="all 2 archives as one").wait_for()
    copy = details(archives, "ten minutes")
    copy.get_by_role("button", name="Delete the archive").click()
    row = archives.locator("[data-archive='ten minutes']")
    row.get_by_text("goes within a minute").wait_for()
    archives.get_by_role("button", name="Take back the deletion of ten minutes").click()
    archives.get_by_role("status").get_by_text("is there again").wait_for()
    copy = details(archives, "ten minutes")
    copy.get_by_label("To", exact=True).fill("2026-11-12T09:25:00Z")
    copy.get_by_label("what lies outside may go").check()
    copy.get_by_role("button", name="Trim to it").click()
    wait_until(lambda: ticks(running, "ten minutes") == 300)
    archives.get_by_role("link", name="all 2 archives as one").click()
    archives.locator("[data-readout], [data-strip]").first.wait_for()
    archives.get_by_role("heading", name="2 archives as one").wait_for()
    copy_id = next(item["id"] for item in listed(running) if item["name"] == "ten minutes")
    httpx.delete(f"{running.url}/api/archives/{copy_id}", trust_env=False).raise_for_status()


def listed(running):
    return httpx.get(f"{running.url}/api/archives", trust_env=False).json()


def ticks(running, name):
    return next((item["ticks"] for item in listed(running) if item["name"] == name), None)
