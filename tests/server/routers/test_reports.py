"""Reports: prepared, previewed, and handed out as HTML, PDF and Markdown."""

import re
import zipfile
from html.parser import HTMLParser
from io import BytesIO
from uuid import uuid4

import pytest
from pypdf import PdfReader

from cases import CASE, CORES, QUESTION, SHORT, at, begin, change, load_whole, pinned, served

URL = f"/api/investigations/{CASE}"
LONG_PROGRAM = "stitch"


@pytest.fixture(scope="module")
def case(cluster):
    with served(cluster) as (client, _):
        prepare(client)
        yield client


def prepare(client):
    load_whole(client, SHORT)
    begin(client, noticed="the foreman | *loudly*", next="Two more cores.", window={"start": at(5), "end": at(30)})
    strip = pinned(client, kind="strip", strip=CORES)["id"]
    use = pinned(client, kind="use", by="program")["id"]
    more = {"supporting": [strip], "place": 1, "state": "supported"}
    hypotheses = {
        str(uuid4()): {"text": "All <cores> are busy.", **more},
        str(uuid4()): {"text": "The disk is slow.", "state": "excluded", "opposing": [use], "place": 2},
    }
    assert change(client, 1, hypotheses=hypotheses, captions={strip: "Cores are full from 09:19"}).status_code == 200


class Resources(HTMLParser):
    """Whatever a browser would fetch."""

    def __init__(self):
        super().__init__()
        self.found, self.open = [], []

    def handle_starttag(self, tag, attributes):
        own = dict(attributes)
        self.found += [own[name] for name in ("src", "srcset", "data", "poster", "action", "xlink:href") if name in own]
        if tag in ("link", "script", "iframe", "object", "embed", "base", "form"):
            self.found.append(tag)


def test_the_report_is_prepared_with_the_answer_first(case):
    text = case.post(f"{URL}/report/preview", json={}).json()["markdown"]
    heads = re.findall(r"^##? (.*)$", text, re.MULTILINE)
    assert heads == [
        QUESTION, "Answer", "The complaint", "Timeline", "Evidence", "What was ruled out", "What to do next",
        "How it was measured",
    ]  # fmt: skip
    assert "**All \\<cores> are busy.** (for it: exhibit 1)" in text
    assert "the foreman \\| \\*loudly\\*" in text
    assert "- **The disk is slow.** (against it: exhibit 2)" in text
    assert "| since | *still open* |" in text
    assert re.search(r"stitch-01 \| Thursday morning, every second \| 1 s \| 100.0%", text)


def test_what_the_analyst_writes_stands_and_is_shown(case):
    number = "![cores](exhibit:1)"
    body = {
        "markdown": f"# Mine\n\n{number}\n\nsee ![x](exhibit:2) and ![y](http://example.org/a.png) <script>x</script>"
    }
    html = case.post(f"{URL}/report/preview", json=body).json()["html"]
    assert html.count("<svg") == 1
    assert '<a href="#exhibit-2">exhibit 2</a>' in html
    assert "[picture left out: y]" in html
    assert "<script>" not in html
    missing = case.post(f"{URL}/report/preview", json={"markdown": f"![x](exhibit:{uuid4()})"}).json()["html"]
    assert "is not part of this investigation" in missing
    # A preview changes nothing.
    assert case.get(URL).json()["fields"]["report"] is None


def test_the_html_is_one_file_that_fetches_nothing(case):
    answer = case.get(f"{URL}/report.html")
    assert answer.headers["content-disposition"].startswith('attachment; filename="why-was-stitching-slow')
    resources = Resources()
    resources.feed(answer.text)
    assert resources.found == []
    assert all(found.startswith("data:") for found in re.findall(r"url\(([^)]*)\)", answer.text))
    assert "default-src 'none'" in answer.text
    assert "Cores are full from 09:19" in answer.text
    assert re.search(
        r'<svg [^>]*role="img" aria-label="stitch-01, Thursday morning, every second: Cores busy"', answer.text
    )
    assert f"<title>{QUESTION}</title>" in answer.text


@pytest.mark.parametrize(("paper", "size"), [("A4", (595, 842)), ("letter", (612, 792))])
def test_the_pdf_is_read_back(case, paper, size):
    answer = case.get(f"{URL}/report.pdf", params={"paper": paper})
    assert answer.status_code == 200, answer.text
    pages = PdfReader(BytesIO(answer.content)).pages
    assert (round(float(pages[0].mediabox.width)), round(float(pages[0].mediabox.height))) == size
    text = " ".join(page.extract_text() for page in pages)
    for said in (QUESTION, "All <cores> are busy.", "Cores are full from 09:19", "Two more cores.", "SHA-256"):
        assert said in re.sub(r"\s+", " ", text)
    # Text in the chart is text, and the chart is drawn as lines.
    assert "means of" in text or "Cores busy" in text


def test_markdown_has_its_pictures_beside_it(case):
    answer = case.get(f"{URL}/report.zip")
    with zipfile.ZipFile(BytesIO(answer.content)) as files:
        text = files.read("report.md").decode()
        assert "![Cores busy](exhibits/001-0.svg)" in text
        assert files.read("exhibits/001-0.svg").startswith(b"<svg ")
        assert "| program |" in text
    assert "exhibit:" not in text


def test_a_report_without_exhibits_is_a_report(client):
    begin(client)
    assert "No exhibit is pinned yet." in client.get(f"{URL}/report.html").text
    assert client.get(f"{URL}/report.pdf").content.startswith(b"%PDF")
