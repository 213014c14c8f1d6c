"""Files on the page: sent, looked at, corrected, followed, and opened as an archive."""

import re

import pytest
from playwright.sync_api import expect

from e2e_helpers import no_violations, settled
from reditus.core.rfc3339 import parse_time, spell_time
from reditus.core.types import NS_PER_S

BEGIN_NS = parse_time("2026-11-13T01:00:00Z")


def table(rows=300, head="when,Orders,MemAvailable"):
    lines = [f"{spell_time(BEGIN_NS + row * NS_PER_S)},{row * 3},{10_000_000 - row}" for row in range(rows)]
    return "\n".join([head, *lines]).encode()


@pytest.fixture
def files(running, page):
    page.goto(f"{running.url}/files")
    page.get_by_role("cell", name="Archive file in Parquet").wait_for()
    return page


def choose(page, name, content):
    page.locator("[data-files]").set_input_files({"name": name, "mimeType": "text/csv", "buffer": content})


def entry(page, name):
    return page.locator("[data-import]").filter(has_text=name)


def removed(page, name):
    page.get_by_role("button", name=f"remove {name}").click()
    expect(entry(page, name)).to_have_count(0)


def test_a_table_is_mapped_and_becomes_an_archive(files, running):
    choose(files, "shop.csv", table())
    reading = files.locator("[data-reading]")
    expect(reading.locator("[data-column]")).to_have_count(2)
    expect(reading).to_contain_text("Orders: never fall in the sample")
    expect(reading.get_by_label("What MemAvailable counts")).to_have_value("system.memory.linux.bytes")
    no_violations(files)
    name = reading.get_by_label("What Orders counts")
    name.fill("orders taken")
    name.press("Tab")
    reading.get_by_label("Attributes of Orders").fill("shop=3")
    reading.get_by_label("Attributes of Orders").press("Tab")
    reading.get_by_label("of the host").fill("till-7")
    reading.get_by_role("button", name="Read it: shop.csv").click()
    expect(entry(files, "shop.csv")).to_have_attribute("data-import", "done")
    expect(entry(files, "shop.csv")).to_contain_text("300 ticks")
    entry(files, "shop.csv").get_by_role("link", name="shop.csv").click()
    # Nothing is known of its cores: it opens with what others counted.
    expect(files.locator('[data-strip="other.orders%20taken"]')).to_contain_text("orders taken")
    settled(files)
    expect(files.locator("header").first).to_contain_text("till-7")
    expect(files).to_have_url(re.compile("layout=others"))
    # And its numbers go out again.
    files.get_by_role("button", name=re.compile("^share")).click()
    address = files.get_by_role("link", name="CSV").get_attribute("href")
    answer = files.request.get(f"{running.url}{address}")
    assert answer.ok
    assert answer.text().splitlines()[0].startswith("time,other.orders%20taken@shop=3")


def test_a_wrong_correction_is_said_and_taken_back(files):
    choose(files, "wrong.csv", table(head="when,Orders,Till"))
    reading = files.locator("[data-reading]")
    form = reading.get_by_label("written as")
    form.select_option("epoch-ms")
    expect(reading.get_by_role("alert")).to_contain_text("no time of the first rows is of the form epoch-ms")
    form.select_option("iso")
    expect(reading.get_by_role("alert")).to_have_count(0)
    removed(files, "wrong.csv")


def test_what_is_no_table_is_refused_with_a_sentence(files):
    choose(files, "picture.csv", b"\x89PNG\r\n\x1a\n\0\0\0\rIHDR")
    expect(entry(files, "picture.csv").get_by_role("alert")).to_contain_text("begins with 89 50 4e 47")
    removed(files, "picture.csv")


def test_an_upload_that_broke_off_goes_on(files):
    content = table(2_000, head="when,Orders,Half")
    pattern = "**/api/imports/*/content*"
    files.route(pattern, lambda route: route.abort())
    choose(files, "half.csv", content)
    expect(entry(files, "half.csv")).to_contain_text("sending, 0 B of")
    files.unroute(pattern)
    files.reload()
    expect(entry(files, "half.csv")).to_contain_text("broken off at 0 B; choose the file again")
    choose(files, "half.csv", content)
    expect(entry(files, "half.csv")).to_have_attribute("data-import", "received")
    removed(files, "half.csv")


PRINTED = """\
press-7, watched by hand

when      press   parcels   wait
23:59:58  left         40    0.2
23:59:58  right        30    0.1
23:59:59  left         41    0.3
23:59:59  right        31    0.1
00:00:00  left         42    0.1
00:00:00  right        32    0.4
"""


def test_printed_text_is_marked_word_by_word(files):
    choose(files, "press.txt", PRINTED.encode())
    reading = files.locator("[data-reading]")
    expect(reading).to_contain_text("text that is printed at an interval")
    expect(reading.get_by_role("alert")).to_contain_text("on which day it begins")
    expect(reading.locator("[data-word]")).to_have_count(4)
    reading.get_by_label("begins on the day").fill("2026-11-12")
    expect(reading.get_by_role("alert")).to_have_count(0)
    expect(reading.locator("[data-column]")).to_have_count(2)
    expect(reading.locator("[data-column]").first).to_contain_text("of left, right")
    # A word is pressed until it is what it is: once more, and the press is a value, which it cannot be.
    press = reading.get_by_role("button", name="press: says of what")
    press.click()
    expect(reading.get_by_role("button", name="press: a value")).to_be_visible()
    expect(reading.locator("[data-column]").first).not_to_contain_text("of left, right")
    reading.get_by_role("button", name="press: a value").click()
    reading.get_by_role("button", name="press: says when").click()
    expect(reading.locator("[data-column]").first).to_contain_text("of left, right")
    no_violations(files)
    reading.get_by_role("button", name="Read it: press.txt").click()
    expect(entry(files, "press.txt")).to_have_attribute("data-import", "done")
    expect(entry(files, "press.txt")).to_contain_text("3 ticks")


CORES = "when                 core  user%  idle%  jobs\n" + "".join(
    f"{spell_time(BEGIN_NS + second * NS_PER_S)} {core}  {busy}  {100 - busy}  7\n"
    for second in range(120)
    for core, busy in (("all", 50), ("0", 75), ("1", 25))
)


def test_printed_names_become_counters_that_are_judged(files, running):
    choose(files, "cores.txt", CORES.encode())
    reading = files.locator("[data-reading]")
    expect(reading.locator("[data-column]").first).to_contain_text("of all, 0, 1")
    for name, mode in (("user%", "user"), ("idle%", "idle")):
        counts = reading.get_by_label(f"What {name} counts")
        counts.fill("system.cpu.time")
        counts.press("Tab")
        expect(reading.locator("[data-column]").filter(has_text=name)).to_contain_text("rules judge it")
        attributes = reading.get_by_label(f"Attributes of {name}")
        attributes.fill(f"cpu.mode={mode}")
        attributes.press("Tab")
        reading.get_by_label(f"Whether {name} only grows").select_option("rate per second")
        reading.get_by_label(f"Scale of {name}").select_option("÷ 100 (hundredths)")
    jobs = reading.locator("[data-column]").filter(has_text="jobs")
    jobs.get_by_role("checkbox").uncheck()
    expect(jobs).to_contain_text("left out")
    no_violations(files)
    reading.get_by_label("of the host").fill("mill-2")
    reading.get_by_role("button", name="Read it: cores.txt").click()
    expect(entry(files, "cores.txt")).to_have_attribute("data-import", "done")
    expect(entry(files, "cores.txt")).to_contain_text("left out: jobs")
    entry(files, "cores.txt").get_by_role("link", name="cores.txt").click()
    # Two cores, one of them busy for three quarters and one for one: one core of two.
    settled(files)
    answer = files.request.get(f"{running.url}/api/archives")
    archive = next(item for item in answer.json() if item["name"] == "cores.txt")
    query = f"measure=cpu.busy&from={spell_time(BEGIN_NS)}&to={spell_time(BEGIN_NS + 120 * NS_PER_S)}&width=2000"
    series = files.request.get(f"{running.url}/api/archives/{archive['id']}/series?{query}").json()["series"][0]
    assert [round(value, 6) for value in series["mean"] if value is not None] == [1.0] * 119


def test_names_of_a_table_with_a_row_a_value_are_said(files):
    rows = [
        f"{spell_time(BEGIN_NS + second * NS_PER_S)},{name},{device},{value}"
        for second in range(60)
        for name, device, value in (("orders", "till-1", second), ("orders", "till-2", 2), ("noise", "", 7))
    ]
    choose(files, "tills.csv", "\n".join(["time,name,device,value", *rows]).encode())
    reading = files.locator("[data-reading]")
    expect(reading).to_contain_text("A row a value: value is the number, named by name, device.")
    expect(reading.locator("[data-column]")).to_have_count(2)
    expect(reading.locator("[data-column]").first).to_contain_text("of till-1, till-2")
    counts = reading.get_by_label("What orders counts")
    counts.fill("orders taken")
    counts.press("Tab")
    reading.locator("[data-column]").filter(has_text="noise").get_by_role("checkbox").uncheck()
    expect(reading.locator("[data-column]").filter(has_text="noise")).to_contain_text("left out")
    no_violations(files)
    reading.get_by_role("button", name="Read it: tills.csv").click()
    expect(entry(files, "tills.csv")).to_have_attribute("data-import", "done")
    expect(entry(files, "tills.csv")).to_contain_text("left out: noise")
    entry(files, "tills.csv").get_by_role("link", name="tills.csv").click()
    expect(files.locator('[data-strip="other.orders%20taken"]')).to_contain_text("orders taken")
