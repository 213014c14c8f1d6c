"""What happens when parts go away: recorders spool, the page says so, and all recovers by itself."""

import httpx
import pytest

from e2e_helpers import link, place, wait_until
from reditus.cli.child_processes import Child
from reditus.cli.service import service
from reditus.core.rfc3339 import parse_time
from reditus.server.settings import Settings


@pytest.fixture(scope="module")
def alone(tmp_path_factory):
    """A service with a cluster of its own, that may be broken, and a recorder."""
    data = tmp_path_factory.mktemp("alone")
    for folder in (data, *data.parents):
        if folder.stat().st_uid == data.stat().st_uid and folder != folder.parent and "pytest" in str(folder):
            folder.chmod(0o755)
    with service(Settings(data=data), anywhere=True) as running:
        arguments = ["--server", running.url, "--spool", str(running.spool), "--name", "watched", "--every", "500ms"]
        recorder = Child("reditus.recorder", arguments, log=running.logs / "recorder.log")
        yield running
        recorder.stop()


def archive(running):
    found = httpx.get(f"{running.url}/api/archives", trust_env=False, timeout=30)
    return found.json()[0] if found.status_code == 200 and found.json() else None


def test_following_live_keeps_up_with_the_recorder(alone, page):
    wait_until(lambda: (archive(alone) or {"ticks": 0})["ticks"] > 6)
    page.goto(f"{alone.url}/archives/{archive(alone)['id']}")
    page.get_by_role("button", name="Follow live").wait_for()
    assert page.get_by_role("button", name="Follow live").get_attribute("aria-pressed") == "true"
    wait_until(lambda: "at" in link(page).params)
    before = place(page)
    wait_until(lambda: place(page)[2] >= before[2] + 3)
    assert place(page)[1] == place(page)[2]
    page.locator("[data-readout]").first.wait_for()
    # Looking elsewhere stops following.
    page.locator("[data-surface]").click(position={"x": 40, "y": 30})
    assert page.get_by_role("button", name="Follow live").get_attribute("aria-pressed") == "false"


def test_twelve_tabs_open_and_all_of_them_answer(alone, page):
    """A browser has six connections to a server, and none of them is held by a page."""
    wait_until(lambda: (archive(alone) or {"ticks": 0})["ticks"] > 6)
    url = f"{alone.url}/archives/{archive(alone)['id']}"
    tabs = [page, *(page.context.new_page() for _ in range(11))]
    for tab in tabs:
        tab.goto(url)
    for tab in tabs:
        tab.locator("[data-strip] canvas").first.wait_for()
    first = place(page)[1]
    for tab in (tabs[0], tabs[-1]):
        tab.bring_to_front()
        wait_until(lambda tab=tab: "at" in link(tab).params and place(tab)[1] > first)
        tab.locator("[data-surface]").click(position={"x": 40, "y": 30})
        tab.locator("[data-moment]").wait_for()
    for tab in tabs[1:]:
        tab.close()


@pytest.mark.parametrize(("typed", "name"), [("icmp", "icmp"), ("ipv6", "ip6"), ("inodes", "inodes")])
def test_what_this_kernel_counts_is_found_by_the_trade_s_words(alone, page, typed, name):
    wait_until(lambda: (archive(alone) or {"ticks": 0})["ticks"] > 2)
    page.goto(f"{alone.url}/archives/{archive(alone)['id']}")
    page.locator("[data-strip] canvas").first.wait_for()
    page.keyboard.press("/")
    page.get_by_label("What to find").fill(typed)
    wait_until(lambda: any(name in text for text in page.locator('[data-entry="measure"]').all_inner_texts()))


def test_a_lost_database_is_said_and_survived(alone, page):
    """Ticks recorded while the database is away arrive once it is back, each once, without a gap."""
    wait_until(lambda: (archive(alone) or {"ticks": 0})["ticks"] > 2)
    page.goto(f"{alone.url}/archives/{archive(alone)['id']}")
    page.locator("[data-strip]").first.wait_for()
    alone.cluster.kill()
    page.get_by_text("Database unavailable").wait_for(timeout=20_000)
    health = httpx.get(f"{alone.url}/api/health", trust_env=False, timeout=30)
    assert health.status_code == 503
    assert health.json()["status"] == "database away"
    refused = httpx.get(f"{alone.url}/api/archives", trust_env=False, timeout=30)
    assert refused.status_code == 503
    assert refused.headers["content-type"] == "application/problem+json"
    spool = alone.spool / next(folder.name for folder in alone.spool.iterdir())
    wait_until(lambda: len(list(spool.glob("*.batch"))) >= 3)

    alone.restart_dead_children()  # what the running command does every two seconds
    page.get_by_text("Database unavailable").wait_for(state="detached", timeout=90_000)
    wait_until(lambda: len(list(spool.glob("*.batch"))) <= 1, 40)
    wait_until(lambda: archive(alone)["coverage"] > 0.97)
    found = archive(alone)
    expected = (parse_time(found["end"]) - parse_time(found["start"])) / 5e8 + 1
    assert found["ticks"] == pytest.approx(expected, abs=2)


def test_a_server_that_ends_is_started_again_where_it_was(alone):
    url = alone.url
    alone.children["server"].stop()
    alone.restart_dead_children()
    wait_until(lambda: _answers(url), 40)


def _answers(url):
    try:
        return httpx.get(f"{url}/api/health", trust_env=False, timeout=5).status_code == 200
    except httpx.HTTPError:
        return False
