"""A host over weeks, on the page: days and their strain, what changed since when, and what is usual behind strips."""

import re
from dataclasses import replace
from uuid import uuid5

import pytest

from e2e_helpers import link, no_violations, wait_until
from reditus.cli.client import Client
from reditus.exchange.simulated import SimulatedArchive
from reditus.simulator.fernhold import BENCH_4_S, EARLIER, STITCH_01_MORNING, WEEKS_BEFORE
from reditus.simulator.scenario import Fault, FaultKind

# A machine of its own: what other tests load of vault would be days of the same host.
_VAULT = EARLIER[0].scenario
BEFORE = replace(
    _VAULT,
    archive=uuid5(_VAULT.archive, "alone"),
    machine=replace(_VAULT.machine, id=uuid5(_VAULT.machine.id, "alone")),
)
DAY_S = 86_400
DAY_AFTER = replace(
    BEFORE, archive=uuid5(BEFORE.archive, "the day after"), name="The day after",
    begin_ns=BEFORE.begin_ns + WEEKS_BEFORE * 7 * DAY_S * 10**9, length_s=DAY_S, interval_s=60.0,
    works=tuple(
        replace(work, start_s=0.0, end_s=DAY_S) if work.name == "file server" else work for work in BEFORE.works[1:]
    ),
    faults=(Fault(FaultKind.SLOW_DISK, 5 * 3_600.0, 9 * 3_600.0, "sdd", 9.0),),
)  # fmt: skip


@pytest.fixture(scope="module")
def vault(running):
    """Three weeks and the day after, once the server has made hours of them."""
    with Client(running.url) as client:
        for scenario in (BEFORE, DAY_AFTER):
            client.load(SimulatedArchive(scenario))
        answer = {"changes": [], "left": []}

        def is_made():
            answer.update(client.weeks(str(DAY_AFTER.archive), {}))
            # All hours of both: which is made first is not said.
            hours = answer["changes"][0]["hours"] if answer["changes"] else []
            return sum(hour is not None for hour in hours) >= (WEEKS_BEFORE * 7 + 1) * 24 - 5

        wait_until(is_made, 240)
    return f"{running.url}/archives/{DAY_AFTER.archive}"


@pytest.fixture
def weeks(vault, page):
    page.goto(f"{vault}/weeks")
    page.locator("[data-slow-change]").first.wait_for()
    return page


def test_since_when_is_it_like_this(weeks):
    days = weeks.locator("a[data-day]")
    assert days.count() == WEEKS_BEFORE * 7 + 1
    assert "disk up to" in days.first.get_attribute("aria-label")
    # Three weeks and a day that begin on a Thursday.
    assert weeks.locator("[data-day-calendar] canvas").count() == WEEKS_BEFORE * 7 + 1
    strained = weeks.locator("[data-strained]").inner_text()
    assert "every day, 01 to 05" in strained
    assert "Memory\nnever strained" in strained
    room = weeks.locator("[data-left]").inner_text()
    assert room.startswith("/srv/pictures full in ")
    rows = weeks.locator("[data-slow-change]").all_inner_texts()
    assert any("Wait per request" in row and "creeping up" in row for row in rows)
    began = next(row for row in rows if "Bytes read" in row)
    assert re.search(r"since (about )?3 Nov", began)
    assert BENCH_4_S == 12 * DAY_S + 9 * 3_600
    no_violations(weeks)


def test_a_day_leads_to_its_strips_and_a_change_to_its_own(weeks):
    weeks.locator("a[data-day]").nth(12).click()
    weeks.locator("[data-strip] canvas").first.wait_for()
    wait_until(lambda: link(weeks).params.get("from") == "2026-11-03T00:00:00Z")
    assert str(BEFORE.machine.id) in weeks.url
    weeks.go_back()
    row = weeks.locator("[data-slow-change]").filter(has_text="Bytes read").first
    row.get_by_role("link").click()
    weeks.locator('[data-strip^="disk.read.rate"] canvas').wait_for()


def test_what_is_usual_stands_behind_the_strips_by_choice(vault, page):
    page.goto(f"{vault}?layout=disk&from=2026-11-12T02:00:00Z&to=2026-11-12T12:00:00Z")
    page.locator("[data-strip] canvas").first.wait_for()
    assert page.locator("[data-usual]").count() == 0
    page.locator("[data-compare-menu]").click()
    page.locator("[data-usual-choice]").check()
    band = page.locator("[data-usual]").filter(has_text="sdd").first
    band.wait_for()
    assert "% of the window outside, learnt from 3 weeks" in band.inner_text()
    wait_until(lambda: link(page).params.get("usual") == "1")
    page.reload()
    page.locator("[data-usual]").first.wait_for()
    # On the map there is a row for it, once the findings are there.
    row = page.locator("[data-unusual]")
    row.wait_for()
    assert "Unlike usual for the hour: disk." in row.get_attribute("aria-label")
    no_violations(page)


def test_a_host_with_a_short_past_says_so(running, page):
    with page.expect_response(re.compile("/unusual")) as answered:
        page.goto(f"{running.url}/archives/{STITCH_01_MORNING.archive}")
    assert set(answered.value.json()["strain"]) == {None}
    page.locator('[data-strip="cores"] canvas').wait_for()
    assert page.locator("[data-unusual]").count() == 0
    page.locator("[data-compare-menu]").click()
    page.locator("[data-usual-choice]").check()
    page.locator("[data-usual]").first.wait_for()
    assert "too little is known of the past" in page.locator("[data-usual]").first.inner_text()
    page.get_by_role("link", name="Over weeks").click()
    page.locator("[data-weeks] [data-sentence]").wait_for()
    assert "a weekend may pass" in page.locator("[data-weeks]").inner_text()
    assert page.locator("a[data-day]").count() == 1


def test_from_the_first_page(running, vault, page):
    page.goto(running.url)
    # Other tests may have a host of this name too.
    own = [f'a[href*="{each}"]' for each in (BEFORE.machine.id, BEFORE.archive, DAY_AFTER.archive)]
    page.locator(", ".join(own)).and_(page.get_by_role("link", name="vault over weeks")).first.click()
    page.locator("[data-slow-change]").first.wait_for()
