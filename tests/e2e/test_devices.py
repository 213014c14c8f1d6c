"""Filesystems, interfaces, protocols and heat: layouts behind "More", with a table where figures say more."""

import pytest

from e2e_helpers import link, no_violations, wait_until
from reditus.cli.client import Client
from reditus.exchange.simulated import SimulatedArchive
from reditus.simulator.fernhold import ARCHIVES, STITCH_01_MORNING

VAULT = SimulatedArchive.of(ARCHIVES[2])


@pytest.fixture
def bench(running, page):
    page.goto(f"{running.url}/archives/{STITCH_01_MORNING.archive}")
    page.locator('[data-strip="cores"] canvas').wait_for()
    return page


@pytest.fixture(scope="module")
def vault(running):
    with Client(running.url) as client:
        client.load(VAULT)
    return f"{running.url}/archives/{VAULT.archive}"


def choose(page, layout):
    page.locator('[data-layout="rare"]').click()
    page.get_by_role("option", name=layout).click()


def cells(table):
    return [row.locator("td").all_inner_texts() for row in table.locator("[data-row]").all()]


def test_filesystems_as_a_table_and_strips(bench):
    choose(bench, "Filesystems")
    table = bench.locator("[data-filesystems]")
    table.locator("[data-row]").first.wait_for()
    (root,) = cells(table)
    assert root[:4] == ["/", "/dev/nvme0n1", "ext4", "931\u2009GiB"]
    assert root[-1].startswith("in ")
    bench.locator('[data-strip="fs-use"] canvas').wait_for()
    wait_until(lambda: link(bench).params.get("layout") == "filesystems")
    no_violations(bench)
    bench.reload()
    bench.locator("[data-filesystems] [data-row]").first.wait_for()


def test_every_interface_and_direction_on_one_screen(bench):
    choose(bench, "Interfaces")
    table = bench.locator("[data-interfaces]")
    table.locator("[data-row]").first.wait_for()
    assert [row[:2] for row in cells(table)] == [["ens4", "received"], ["", "sent"]]
    assert "MTU 1500 B" in cells(table)[0][-1]
    table.get_by_role("columnheader", name="at the end").wait_for()
    bench.keyboard.press("ArrowRight")
    table.get_by_role("columnheader", name="at the needle").wait_for()
    no_violations(bench)


def test_protocols_one_by_one(bench):
    choose(bench, "Protocols")
    for strip in ("tcp", "sockets", "ip6", "icmp"):
        bench.locator(f'[data-strip="{strip}"] canvas').wait_for()
    bench.keyboard.press("/")
    bench.get_by_role("combobox").fill("icmp")
    bench.get_by_role("option", name="ICMP messages received").first.wait_for()


def test_a_hot_afternoon_with_the_sensors_own_names_and_limits(vault, page):
    page.goto(f"{vault}?layout=heat&from=2026-11-12T10:00:00Z&to=2026-11-12T20:00:00Z&at=2026-11-12T15:00:00Z")
    strip = page.locator('[data-strip="temperature"]')
    strip.locator("[data-limit]").wait_for()
    strip.get_by_text("Package id 0").first.wait_for()
    page.locator('[data-strip="throttles"] canvas').wait_for()
    page.locator('[data-strip="speed"] canvas').wait_for()
    page.get_by_role("tab", name="Findings").click()
    page.locator("[data-finding]", has_text="Thermal throttling").wait_for()
    no_violations(page)


def test_the_machine_on_a_page(bench):
    bench.get_by_role("button", name="what is known of this host").click()
    bench.locator("[data-machine-link]").click()
    page = bench.locator("[data-machine]")
    page.get_by_role("heading", name="Memory modules").wait_for()
    assert page.get_by_text("Fernhold Works Press 8").is_visible()
    page.get_by_role("row", name="DIMM C").get_by_text("empty").wait_for()
    page.get_by_role("row", name="/dev/nvme0n1").get_by_text("rw,relatime").wait_for()
    no_violations(bench)
    page.get_by_role("link", name="back to the strips").click()
    bench.locator('[data-strip="cores"] canvas').wait_for()


def test_the_moment_tells_filesystems_and_heat(vault, page):
    page.goto(f"{vault}?at=2026-11-12T15:00:00Z")
    panel = page.locator("[data-moment]")
    panel.get_by_role("heading", name="Filesystems").wait_for()
    panel.get_by_role("row", name="/srv/pictures").get_by_text("88").first.wait_for()
    panel.get_by_role("row", name="Package id 0").wait_for()
