"""The workbench in Chromium: pictures a second while twelve strips play, and how fast a big week opens.

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
