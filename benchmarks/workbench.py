"""The workbench in Chromium: pictures a second while twelve strips play, how soon it answers, and how fast a big
week opens.

Run: .venv/bin/python -m benchmarks.workbench [DAYS, default 1] [CORES, default 64] [DISKS, default 24]
"""

import os
import sys
import tempfile
import time
from pathlib import Path
from statistics import median

import httpx
from playwright.sync_api import Browser, Page, sync_playwright

from benchmarks.table import show
from reditus.analysis.maintenance import Journal, maintain
from reditus.cli.client import Client
from reditus.cli.service import Service, service
from reditus.exchange.simulated import SimulatedArchive
from reditus.server.settings import Settings
from reditus.simulator.fernhold import ARCHIVES
from reditus.simulator.large import large_host
from reditus.store.store import Store

FLAGS = ["--no-sandbox", "--disable-gpu", "--disable-dev-shm-usage"]
TWELVE = "cores;stall-cpu;memory;swap;disk;network;stall-io;queue;load;waiting;busy;switches"
PLAY_MS = 6_000
CALM_MS = 3_000
# Counts what the browser paints, and how long each picture took to come.
FRAMES = """(ms) => new Promise((done) => {
  const gaps = []
  let last = performance.now()
  const until = last + ms
  const next = (now) => {
    gaps.push(now - last); last = now
    if (now < until) requestAnimationFrame(next); else done(gaps)
  }
  requestAnimationFrame(next)
})"""
EMPTY = "data:text/html,<p>nothing to draw</p>"
# From a key or a press until what it changes was painted, so many times; every other time another one.
ANSWERS = """async ([turns, first, second, reads, settles]) => {
  const frame = () => new Promise(requestAnimationFrame)
  const act = (what) => what.startsWith('[')
    ? document.querySelector(what).click()
    : dispatchEvent(new KeyboardEvent('keydown', { key: what, bubbles: true }))
  const read = () => reads.split(' | ').map((one) => {
    const found = document.querySelector(one)
    return found ? found.textContent + found.getBoundingClientRect().left : ''
  }).join()
  const out = []
  for (let at = 0; at < turns; at++) {
    const [before, begun] = [read(), performance.now()]
    act(at % 2 ? second : first)
    do { await frame() } while (read() === before)
    await frame()
    const shown = performance.now() - begun
    while (document.documentElement.hasAttribute('data-fetching')) await frame()
    out.push([shown, performance.now() - begun])
    await new Promise((done) => setTimeout(done, settles))
  }
  return out
}"""
ANSWERING = (
    "data:text/html,<p data-needle>0</p><script>addEventListener('keydown', () => "
    "document.querySelector('p').textContent++)</script>"
)
TURNS, SETTLE_MS = 20, 250


def main() -> None:
    days, cores, disks = (
        int(sys.argv[at]) if len(sys.argv) > at else least for at, least in ((1, 1), (2, 64), (3, 24))
    )
    with tempfile.TemporaryDirectory(prefix="reditus-bench-") as data:
        os.chmod(data, 0o711)
        settings = Settings(data=Path(data), seal_every_s=3_600)
        with service(settings, anywhere=True) as running, sync_playwright() as playwright:
            browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
            frames(running, browser)
            answers(running, browser)
            opening(running, browser, days, cores, disks)
            browser.close()


def frames(running: Service, browser: Browser) -> None:
    answer = SimulatedArchive.of(ARCHIVES[0])
    with Client(running.url) as client:
        client.load(answer)
    page = browser.new_page(viewport={"width": 1280, "height": 1300})
    page.goto(EMPTY)
    idle = page.evaluate(FRAMES, PLAY_MS // 2)
    page.goto(
        f"{running.url}/archives/{answer.archive}?from=2026-11-12T09:00:00Z&to=2026-11-12T10:00:00Z"
        f"&at=2026-11-12T09:00:00Z&strips={TWELVE}"
    )
    page.locator("[data-readout]").nth(11).wait_for()
    page.wait_for_timeout(1_500)
    still = page.evaluate(FRAMES, PLAY_MS // 2)
    page.keyboard.press(" ")
    playing = page.evaluate(FRAMES, PLAY_MS)
    page.keyboard.press(" ")
    rows = [
        (
            name,
            f"{1000 * len(gaps) / sum(gaps):5.1f} a second, median {median(gaps):5.1f} ms, "
            f"slowest twentieth over {sorted(gaps)[-len(gaps) // 20]:5.1f} ms",
        )
        for name, gaps in (
            ("an empty page", idle),
            ("twelve strips, at rest", still),
            ("twelve strips, playing ×60", playing),
        )
    ]
    rows.append(("playing, to an empty page", f"{len(playing) / sum(playing) / (len(idle) / sum(idle)):.2f}"))
    show("Pictures that Chromium draws", rows)
    page.close()


def answers(running: Service, browser: Browser) -> None:
    page = browser.new_page(viewport={"width": 1280, "height": 800})

    def taken(first: str, second: str, reads: str) -> tuple[float, float]:
        found = page.evaluate(ANSWERS, [TURNS, first, second, reads, SETTLE_MS])
        return median(shown for shown, _ in found), median(whole for _, whole in found)

    page.goto(ANSWERING)
    empty_ms, _ = taken("x", "x", "[data-needle]")
    archive = SimulatedArchive.of(ARCHIVES[0]).archive
    page.goto(
        f"{running.url}/archives/{archive}?from=2026-11-12T09:00:00Z&to=2026-11-12T10:00:00Z&at=2026-11-12T09:30:00Z"
    )
    page.locator("[data-readout]").nth(3).wait_for()
    page.wait_for_timeout(CALM_MS)
    rows = [("a key on an empty page", f"{empty_ms:.0f} ms")]
    for name, *actions in (
        ("the needle steps", "ArrowRight", "ArrowLeft", "[data-needle] | [data-readout]"),
        ("zoomed", "+", "-", "[data-window-text]"),
        ("another layout", '[data-layout="disk"]', '[data-layout="network"]', "[data-strip] h2"),
    ):
        shown_ms, whole_ms = taken(*actions)
        rows.append((name, f"{shown_ms:.0f} ms, {shown_ms / empty_ms:.1f} times it; all figures {whole_ms:.0f} ms"))
    show("From a key or a press to the picture", rows)
    page.close()


def opening(running: Service, browser: Browser, days: int, cores: int, disks: int) -> None:
    host = SimulatedArchive(large_host("big", cores=cores, disks=disks, links=16, length_s=days * 86_400))
    with Client(running.url) as client:
        client.load(host)
    page = browser.new_page(viewport={"width": 1280, "height": 800})
    before_s = opened(page, running, host)
    assert running.cluster
    store = Store(running.cluster.url)
    begun = time.perf_counter()
    maintain(store, Journal())
    rolling_s = time.perf_counter() - begun
    store.close()
    first_s = opened(page, running, host)
    # A visit during which its findings were worked out, which is remembered as the map is.
    begun = time.perf_counter()
    httpx.get(f"{running.url}/api/archives/{host.archive}/diagnosis", trust_env=False, timeout=600).raise_for_status()
    judging_s = time.perf_counter() - begun
    again = [opened(page, running, host) for _ in range(3)]
    show(
        f"{days} days at 1 s of {cores} cores and {disks} disks: from the link to map and first strips",
        [
            ("before there are rollups", f"{before_s:.2f} s"),
            ("the first time with them", f"{first_s:.2f} s"),
            ("after the first visit", f"{median(again):.2f} s"),
            ("its findings, begun by those visits: the rest of the wait", f"{judging_s:.1f} s"),
            ("sealing and rolling it up, once", f"{rolling_s:.1f} s"),
        ],
    )


def opened(page: Page, running: Service, host: SimulatedArchive) -> float:
    page.goto("about:blank")
    page.wait_for_timeout(CALM_MS)  # what the page before had requested is given up
    begun = time.perf_counter()
    page.goto(f"{running.url}/archives/{host.archive}", wait_until="commit")
    page.locator("[data-map-surface] canvas").nth(4).wait_for(timeout=600_000)
    page.locator('[data-strip="cores"] [data-summary="mean"]').wait_for(timeout=600_000)
    return time.perf_counter() - begun


if __name__ == "__main__":
    main()
