"""What the workbench says when there is nothing yet, not all yet, nothing any more, or not what was requested."""

import time
from uuid import uuid4

import httpx
import pytest

from builders import a_block, a_schema
from e2e_helpers import link, no_violations, place, wait_until
from reditus.core.types import NS_PER_S
from reditus.simulator.fernhold import STITCH_01_MORNING

BEGIN_S = STITCH_01_MORNING.begin_ns / 1e9
SIMULATED = f"/archives/{STITCH_01_MORNING.archive}"


@pytest.fixture
def fresh(running):
    """An archive of a host that was never seen; a function that sends it ticks."""
    archive, host = uuid4(), uuid4()
    base = f"{running.url}/api/archives/{archive}"
    reported = {"host": {"id": str(host), "name": f"new-{archive.hex[:4]}"}, "name": "trial", "source": "recorded",
            "facts": {"cores": 2}}  # fmt: skip
    with httpx.Client(trust_env=False, timeout=30) as client:
        client.put(base, json=reported).raise_for_status()
        schema = a_schema()
        client.put(f"{base}/schemas/{schema.digest.hex()}", json=schema.as_json()).raise_for_status()

        def send(*stretches, begin_s=None):
            begin_ns = int((begin_s or time.time() - 120) * NS_PER_S)
            blocks = [a_block(count, start=start, archive=archive, begin_ns=begin_ns) for start, count in stretches]
            client.post(f"{base}/blocks", content=b"".join(block.to_bytes() for block in blocks)).raise_for_status()

        yield archive, host, send
        client.delete(base)


def test_nothing_recorded_yet_and_then_the_first_ticks(running, page, fresh):
    archive, _, send = fresh
    page.goto(f"{running.url}/archives/{archive}")
    page.get_by_role("heading", name="Nothing in this archive yet").wait_for()
    page.get_by_text("within a few seconds of the first").wait_for()
    no_violations(page)
    send((0, 60))
    page.locator("[data-layout-bar]").wait_for()


class Barrier:
    """Holds back what a page asks for while it is closed. To be made before the page asks for anything: what it asks
    for just after a route was put in its way may still slip past it.
    """

    def __init__(self, page, pattern, closed=True):
        self.closed, self.held = closed, []
        page.route(pattern, self._meet)

    def _meet(self, route):
        if self.closed:
            self.held.append(route)
        else:
            route.continue_()

    def open(self):
        self.closed = False
        for route in self.held:
            route.continue_()


def test_what_is_not_there_yet_is_said_and_what_is_there_stays(running, page):
    series = Barrier(page, "**/series?*", closed=False)
    page.goto(f"{running.url}{SIMULATED}")
    page.locator('[data-strip="cores"] [data-summary="mean"]').wait_for()
    series.closed = True
    page.keyboard.press("+")
    page.locator("[data-loading]").wait_for(state="attached")
    assert page.locator('[data-strip="cores"] canvas').count() == 1
    wait_until(lambda: len(series.held) > 0)
    series.open()
    page.locator("[data-loading]").wait_for(state="detached")


def test_what_takes_a_while_is_said_where_it_will_stand(running, page):
    moment, devices = Barrier(page, "**/moment?*"), Barrier(page, "**/strain?*devices=*")
    page.goto(f"{running.url}{SIMULATED}")
    page.locator('[data-strip="cores"] [data-summary="mean"]').wait_for()
    page.locator("[data-surface]").click()
    panel = page.locator("[data-moment]")
    panel.get_by_text("Reading the machine at this moment").wait_for()
    moment.open()
    panel.get_by_role("heading", name="Cores", exact=True).wait_for()
    page.get_by_role("button", name="Processor", exact=True).first.click()
    page.locator("[data-waiting]").wait_for()
    devices.open()
    page.locator('[data-strain^="processor "]').first.wait_for()
    page.locator("[data-waiting]").wait_for(state="detached")


def test_a_failure_is_said_beside_what_is_there(running, page):
    refusing = []

    def answer(route):
        if not refusing:
            return route.continue_()
        reported = '{"title": "No", "detail": "too many series"}'
        return route.fulfill(status=422, content_type="application/problem+json", body=reported)

    page.route("**/series?*", answer)
    page.goto(f"{running.url}{SIMULATED}")
    page.locator('[data-strip="cores"] [data-summary="mean"]').wait_for()
    refusing.append(True)
    page.keyboard.press("+")
    page.locator('[data-state="error"]').get_by_text("too many series").wait_for()
    assert page.locator('[data-strip="cores"] canvas').count() == 1


def test_a_window_that_is_not_there(running, page):
    page.goto(f"{running.url}{SIMULATED}?from=2025-01-01T10:00:00Z&to=2025-01-01T10:10:00Z")
    reported = page.locator('[data-state="outside"]')
    reported.get_by_text("lies outside this archive").wait_for()
    wait_until(lambda: "from" in link(page).params and place(page)[0] == BEGIN_S)
    assert place(page)[1] - place(page)[0] == 600
    no_violations(page)
    reported.get_by_role("button", name="Look at the whole").click()
    reported.wait_for(state="detached")
    wait_until(lambda: place(page)[:2] == (BEGIN_S, BEGIN_S + 3600))


def test_a_silent_host(running, page, fresh):
    archive, host, send = fresh
    send((0, 60), begin_s=time.time() - 300)
    report = {"version": "1", "pid": 7, "state": "recording", "started": "2026-11-12T09:00:00Z",
              "interval_s": 1, "last_tick": "2026-11-12T09:00:00Z", "ticks": 60, "missed": 0, "late_s": 0,
              "cost_share": 0.001, "memory_bytes": 1, "spool_bytes": 0, "spool_limit_bytes": 1}  # fmt: skip
    reported = {"host": {"id": str(host), "name": "quiet"}, "name": "quiet", "plan": None, "report": report}
    answer = httpx.put(f"{running.url}/api/recorders/{archive}", json=reported, trust_env=False, timeout=30)
    assert answer.status_code < 300, answer.text
    page.goto(f"{running.url}/archives/{archive}")
    line = page.locator('[data-state="silent"]')
    line.wait_for()
    assert " min" in line.inner_text()
    line.get_by_role("link", name="see what it does").click()
    page.get_by_role("heading", name="Recorders").first.wait_for()


def test_gaps_are_hatched_on_map_and_strips_and_can_be_jumped_to(running, page, fresh):
    archive, _, send = fresh
    begin_s = float(int(time.time()) - 3_600)
    send((0, 600), (1_200, 600), begin_s=begin_s)
    page.goto(f"{running.url}/archives/{archive}?strips=load;switches")
    page.locator("[data-gap]").wait_for()
    page.keyboard.press("g")
    wait_until(lambda: place(page)[2] is not None)
    assert place(page)[2] == pytest.approx(begin_s + 599, abs=3)
    start, end, _ = place(page)
    assert start < begin_s + 600 < begin_s + 1_200 < end
