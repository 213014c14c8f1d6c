"""The real thing: server and recorder as processes, the run's PostgreSQL, and Debian's Chromium."""

from collections.abc import Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, expect, sync_playwright

from databases import new_database
from reditus.cli.client import Client
from reditus.cli.service import Service, service
from reditus.exchange.simulated import as_recording
from reditus.server.settings import Settings
from reditus.simulator import simulated

FLAGS = [
    "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-dev-shm-usage",
    "--disable-background-networking", "--disable-component-update", "--disable-sync",
]  # fmt: skip


PATIENCE_MS = 90_000
"""A starved machine may be slow; that is no failure."""
expect.set_options(timeout=PATIENCE_MS)


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    for item in items:
        if Path(__file__).parent in item.path.parents:
            item.add_marker("e2e")


@pytest.fixture(scope="session")
def running(cluster, tmp_path_factory) -> Iterator[Service]:
    """A server of its own, with the made-up archive."""
    settings = Settings(data=tmp_path_factory.mktemp("e2e"), database_url=new_database(cluster))
    with service(settings, anywhere=True) as running:
        with Client(running.url) as client:
            for host in simulated():
                client.load(as_recording(host))
        yield running


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(
            executable_path="/usr/bin/chromium",
            args=FLAGS,
            # As most people have them: what scrolls is narrower by its bar.
            ignore_default_args=["--hide-scrollbars"],
        )
        yield browser
        browser.close()


@pytest.fixture
def page(browser: Browser) -> Iterator[Page]:
    """A page at the size the product is drawn for. An error in the page fails the test."""
    context = browser.new_context(viewport={"width": 1280, "height": 800}, timezone_id="UTC", color_scheme="light")
    context.set_default_timeout(PATIENCE_MS)
    # Not the first visit: its hints were put away.
    # A frame without an origin, as that in which a report is shown, has no storage.
    context.add_init_script(
        "if (self.origin !== 'null') localStorage.setItem('reditus.hints', 'archives workbench use figures')"
    )
    page = context.new_page()
    errors: list[str] = []
    page.on("pageerror", lambda error: errors.append(str(error)))
    yield page
    context.close()
    assert not errors, errors


@pytest.fixture
def open_folder(tmp_path):
    """A folder that the database's own user can get through to."""
    for folder in (tmp_path, *list(tmp_path.parents)[:2]):
        if "pytest" in str(folder):
            folder.chmod(0o755)
    return tmp_path / "data"
