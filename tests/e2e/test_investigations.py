"""From a complaint to proof that another person can check: pinned with a key, written, handed out, opened elsewhere."""

import re
import subprocess
from io import BytesIO

import numpy as np
import pytest
from playwright.sync_api import expect
from pypdf import PdfReader

from databases import new_database
from e2e_helpers import link, no_violations, settled, wait_until
from reditus.cli.client import Client
from reditus.cli.service import service
from reditus.exchange.simulated import SimulatedArchive
from reditus.server.settings import Settings
from reditus.simulator import sample
from reditus.simulator.fernhold import SWAPPED

LEAFDB = SimulatedArchive.of(SWAPPED)
QUESTION = "Why did the catalogue stop answering on Friday morning?"
NIGHT = "from=2026-11-13T02:00:00Z&to=2026-11-13T09:00:00Z"


@pytest.fixture(scope="module")
def lab(running):
    """The server with leafdb, and its finished investigation."""
    with Client(running.url) as client:
        client.load(LEAFDB)
        client.load_investigation(
            str(sample.INVESTIGATION), sample.fields(LEAFDB.archive), sample.exhibits(LEAFDB.archive)
        )
    return running


@pytest.fixture
def bench(lab, page):
    page.goto(f"{lab.url}/archives/{LEAFDB.archive}?{NIGHT}&strips=swap;available")
    page.locator('[data-strip="swap"] canvas').wait_for()
    settled(page)
    return page


def point(page, strip):
    """The pointer over a strip's lines: over the surface that lies on all of them."""
    box = page.locator(f'[data-strip="{strip}"] canvas').bounding_box()
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)


def said(page):
    return page.locator("[data-pinned]")


def begin(page, question):
    """The first pin asks which investigation it is for."""
    page.get_by_role("dialog").get_by_label("A new one").fill(question)
    page.get_by_role("button", name="Pin it there").click()
    expect(said(page)).to_contain_text("Exhibit 1 of")


def test_from_complaint_to_pdf(bench, lab, tmp_path):
    point(bench, "swap")
    bench.keyboard.press("x")
    begin(bench, QUESTION)
    # The next one goes there at once: a finding, by its button.
    bench.get_by_role("tab", name="Findings").click()
    finding = bench.locator("[data-finding]").filter(has_text="Memory leak")
    finding.get_by_role("button", name=re.compile("Memory leak")).click()
    finding.get_by_role("button", name="Pin this finding as an exhibit").click()
    expect(said(bench)).to_contain_text("Exhibit 2 of")
    said(bench).get_by_role("link", name="open").click()
    bench.locator("[data-investigation-view]").wait_for()
    expect(bench.locator("[data-exhibit-item]")).to_have_count(2)
    bench.locator("[data-exhibit-picture] svg").first.wait_for()
    # The complaint, in words and as a window.
    bench.get_by_label("noticed by").fill("readers, from 06:10 on")
    bench.locator("[data-window]").fill("13 Nov 2026 05:30 – 08:30")
    bench.keyboard.press("Tab")
    bench.locator("[data-field^='captions/']").first.fill("It swaps all night")
    # A hypothesis, and what the first exhibit says of it.
    bench.locator("[data-add-hypothesis]").click()
    bench.locator("[data-hypothesis] textarea").fill("The indexer leaks")
    bench.locator("[data-exhibit-item='1'] [data-bears]").select_option(label="supports it")
    expect(bench.locator("[data-hypothesis]")).to_contain_text("for it 1")
    bench.locator("[data-kept]").wait_for()
    no_violations(bench)
    bench.reload()
    expect(bench.get_by_label("noticed by")).to_have_value("readers, from 06:10 on")
    expect(bench.locator("[data-window]")).to_have_value(re.compile("05:30:00"))
    # The report, as it is prepared, and as PDF.
    bench.get_by_role("button", name="Report", exact=True).click()
    preview = bench.frame_locator("[data-preview]")
    expect(preview.get_by_role("heading", name="It swaps all night")).to_be_visible()
    with bench.expect_download() as download:
        bench.get_by_role("button", name="Save as PDF").click()
    path = tmp_path / "report.pdf"
    download.value.save_as(path)
    reader = PdfReader(BytesIO(path.read_bytes()))
    text = re.sub(r"\s+", " ", " ".join(part.extract_text() for part in reader.pages))
    for words in (QUESTION, "readers, from 06:10 on", "It swaps all night", "The indexer leaks", "Memory leak"):
        assert words in text
    subprocess.run(["pdftoppm", "-r", "40", str(path), str(tmp_path / "sheet")], check=True)
    sheets = list(tmp_path.glob("sheet*.ppm"))
    assert len(sheets) == len(reader.pages)
    # What is drawn has the swap's ink in it.
    assert any(_has_ink(sheet, (0x7D, 0x3D, 0x79)) for sheet in sheets)


def _has_ink(sheet, ink):
    """Whether a sheet (a picture in PPM: a head of three lines, then the pixels) has a colour in it, or one near."""
    head = re.match(rb"P6\s+\d+\s+\d+\s+255\s", sheet.read_bytes())
    pixels = np.frombuffer(sheet.read_bytes()[head.end() :], dtype=np.uint8).reshape(-1, 3)
    return bool((np.abs(pixels.astype(int) - ink) < 40).all(axis=1).any())


def test_the_server_draws_what_the_page_draws(bench, lab):
    with bench.expect_download() as download:
        bench.locator('[data-strip="swap"] [data-strip-menu]').first.click()
        bench.get_by_role("button", name="Save as SVG").click()
    on_page = download.value.path().read_text()
    point(bench, "swap")
    bench.keyboard.press("x")
    begin(bench, "Are both pictures the same?")
    said(bench).get_by_role("link", name="open").click()
    exhibit = bench.locator("[id^='exhibit-'][role='group']").last.get_attribute("id").removeprefix("exhibit-")
    drawn = bench.request.get(f"{lab.url}/api/exhibits/{exhibit}/pictures/0?head=true").text()

    def lines(svg):
        """Every path of a line: where it goes, its ink, its width and its dashes; and what is written."""
        paths = re.findall(r'<path d="([^"]*)" fill="none" stroke="([^"]*)" stroke-width="([^"]*)"([^>]*)/>', svg)
        return paths, re.findall(r"<text [^>]*>([^<]*)</text>", svg)

    own, its = lines(on_page), lines(drawn)
    assert len(own[0]) >= 2
    assert its[0] == own[0]
    assert sorted(its[1]) == sorted(own[1])


def test_the_report_opens_without_a_network(lab, browser):
    html = browser.new_context().request.get(f"{lab.url}/api/investigations/{sample.INVESTIGATION}/report.html").text()
    context = browser.new_context(offline=True, viewport={"width": 1280, "height": 800})
    page = context.new_page()
    tried, wrong = [], []
    page.on("request", lambda request: tried.append(request.url))
    page.on("console", lambda message: wrong.append(message.text))
    page.set_content(html)
    page.get_by_role("heading", name=QUESTION).wait_for()
    assert page.locator("figure svg").count() == 4
    assert page.evaluate(
        "document.fonts.ready.then(() => [...document.fonts].some((face) => face.status === 'loaded'))"
    )
    no_violations(page)
    assert [url for url in tried if not url.startswith("data:")] == []
    assert wrong == []
    context.close()


def test_two_people_write_and_no_words_are_lost(lab, page):
    url = f"{lab.url}/investigations/{sample.INVESTIGATION}"
    page.goto(url)
    noticed = page.get_by_label("noticed by")
    expect(noticed).to_have_value(re.compile("Readers"))
    settled(page)
    current = page.request.get(f"{lab.url}/api/investigations/{sample.INVESTIGATION}").json()
    # While one writes, the other is quicker.
    theirs = {"version": current["version"], "fields": {"noticed": "The night shift."}}
    noticed.press_sequentially(" And the library.")
    page.request.patch(f"{lab.url}/api/investigations/{sample.INVESTIGATION}", data=theirs)
    clash = page.locator("[data-clash]")
    expect(clash.locator("[data-theirs]")).to_have_text("The night shift.")
    expect(clash.locator("[data-mine]")).to_contain_text("And the library.")
    clash.get_by_role("button", name="Keep both").click()
    page.locator("[data-kept]").wait_for()

    def kept():
        found = page.request.get(f"{lab.url}/api/investigations/{sample.INVESTIGATION}").json()
        return found["fields"]["noticed"]

    wait_until(lambda: "The night shift." in kept() and "And the library." in kept())


def test_order_by_keys_and_removal_with_undo(lab, page):
    page.goto(f"{lab.url}/investigations/{sample.INVESTIGATION}")
    items = page.locator("[data-exhibit-item]")
    expect(items).to_have_count(10)
    second = items.nth(1).locator("textarea").first.input_value()
    page.get_by_role("button", name="Exhibit 2 up").click()
    expect(items.nth(0).locator("textarea").first).to_have_value(second)
    page.locator("[data-kept]").wait_for()
    page.get_by_role("button", name="Exhibit 1 down").click()
    expect(items.nth(1).locator("textarea").first).to_have_value(second)
    page.get_by_role("button", name="Remove exhibit 10").click()
    expect(items).to_have_count(9)
    page.get_by_role("button", name="undo").click()
    expect(items).to_have_count(10)


def test_findings_are_taken_over_and_exhibits_dragged(lab, page):
    page.goto(f"{lab.url}/investigations")
    page.locator("[data-question]").fill("What else was the matter with leafdb?")
    page.get_by_role("button", name="Begin an investigation").click()
    page.locator("[data-add-host]").select_option(str(LEAFDB.archive))
    page.locator("[data-window]").fill("13 Nov 2026 02:00 – 09:00")
    page.keyboard.press("Tab")
    page.locator("[data-changed-at]").fill("12 Nov 2026 06:00")
    page.keyboard.press("Tab")
    expect(page.locator("[data-changed-at]")).to_have_value(re.compile("06:00:00"))
    page.locator("[data-take-over] summary").click()
    page.get_by_role("button", name="Take over Memory pressure").click()
    expect(page.locator("[data-exhibit-item]")).to_have_count(1)
    expect(page.get_by_role("img", name="change: what changed")).to_be_visible()
    expect(page.locator("[data-hypothesis] textarea")).to_have_value("Memory pressure on leafdb")
    expect(page.locator("[data-hypothesis]")).to_contain_text("for it 1")
    page.get_by_role("button", name="Take over Load above core count, cores idle").click()
    expect(page.locator("[data-exhibit-item]")).to_have_count(2)
    expect(page.get_by_label("State of “Load above core count, cores idle on leafdb”")).to_have_value("excluded")
    page.locator("[data-kept]").wait_for()
    titles = [item.get_attribute("placeholder") for item in page.locator("[data-exhibit-item] textarea").all()]
    page.locator("[data-exhibit-item='2'] [data-lift]").drag_to(page.locator("[data-exhibit-item='1']"))
    expect(page.locator("[data-exhibit-item='1'] textarea")).to_have_attribute("placeholder", titles[1])
    # The finding's own view is one click away.
    page.locator("[data-exhibit-item='2'] [data-live]").click()
    page.locator("[data-finding] [aria-current='true']").first.wait_for()


def test_a_bundle_is_opened_by_another_reditus(lab, page, cluster, tmp_path):
    page.goto(f"{lab.url}/investigations/{sample.INVESTIGATION}?tab=inside")
    page.locator("[data-size]").wait_for()
    page.get_by_label("hosts", exact=True).check()
    expect(page.locator("[data-size]")).to_contain_text("none is left")
    expect(page.locator("[data-substitute]").filter(has_text="leafdb").first).to_contain_text("host_")
    page.get_by_label("hosts", exact=True).uncheck()
    expect(page.locator("[data-substitute]")).to_have_count(0)
    no_violations(page)
    with page.expect_download() as download:
        page.get_by_role("button", name="Save the bundle").click()
    bundle = tmp_path / "case.zip"
    download.value.save_as(bundle)
    settings = Settings(data=tmp_path / "other", database_url=new_database(cluster))
    with service(settings, anywhere=True) as other:
        page.goto(f"{other.url}/investigations")
        page.locator("[data-bundle-file]").set_input_files(bundle)
        page.locator("[data-investigation-view]").wait_for()
        expect(page.locator("[data-exhibit-item]")).to_have_count(10)
        expect(page.get_by_text("it stays as it came")).to_be_visible()
        # One click leads to the same view, on the archive that came along.
        page.locator("[data-exhibit-item='1'] [data-live]").click()
        page.locator("[data-strip] canvas").first.wait_for()
        assert str(LEAFDB.archive) not in str(link(page))
        page.goto(f"{other.url}/investigations")
        page.get_by_role("button", name=f"Delete {QUESTION}").click()
        page.get_by_role("button", name="undo").click()
        expect(page.locator("[data-investigation]")).to_have_count(1)
        no_violations(page)
