"""Small verbs for browser tests."""

import json
import re
import time
from collections.abc import Callable
from datetime import datetime
from pathlib import Path

import httpx
from playwright.sync_api import Page

WAIT_S = 60.0
AXE = Path(__file__).resolve().parents[2] / "web" / "node_modules" / "axe-core" / "axe.min.js"


def wait_until(holds: Callable[[], bool], wait_s: float = WAIT_S, says: str = "what was waited for") -> None:
    """Ask again and again; fail after a while."""
    deadline_s = time.monotonic() + wait_s
    while not holds():
        assert time.monotonic() < deadline_s, f"{says}: did not come about"
        time.sleep(0.1)


def link(page: Page) -> httpx.URL:
    """The address as the browser has it now; Playwright's own copy stands still while a test waits."""
    return httpx.URL(page.evaluate("location.href"))


def place(page: Page) -> tuple[float, float, float | None]:
    """Window and needle from the link, in seconds since the epoch."""
    query = link(page).params
    start, end, at = (
        datetime.fromisoformat(query[key]).timestamp() if key in query else None for key in ("from", "to", "at")
    )
    assert start is not None
    assert end is not None
    return start, end, at


def axis_share(page: Page, at_s: float) -> float:
    """Where a moment lies in the window, 0 to 1."""
    start, end, _ = place(page)
    return (at_s - start) / (end - start)


def readout(page: Page, strip: str) -> str:
    return page.locator(f'[data-readout="{strip}"]').inner_text()


def readout_value(page: Page, strip: str) -> float:
    found = re.match(r"[\d.]+", readout(page, strip))
    assert found
    return float(found[0])


SETTLED = """() => !document.documentElement.hasAttribute('data-fetching') && document.fonts.status === 'loaded'
    && document.getAnimations().every((one) => one.playState !== 'running')"""


def settled(page: Page) -> None:
    """Wait until nothing is being fetched, all fonts are there, and nothing moves: twice, a frame apart, for what has
    come may ask for more.
    """
    for _ in range(2):
        page.wait_for_function(SETTLED)
        page.evaluate("new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done)))")


def no_violations(page: Page) -> None:
    """Whatever axe finds that keeps people from using the page fails the test."""
    settled(page)
    page.evaluate(AXE.read_text())
    found = page.evaluate("axe.run(document, {resultTypes: ['violations']})")
    assert found["violations"] == [], json.dumps(
        [(match["id"], [node["html"][:200] for node in match["nodes"]]) for match in found["violations"]], indent=1
    )
