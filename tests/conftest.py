"""What tests share: one PostgreSQL per run, on a port of its own, and databases in it."""

import signal
import tempfile
from collections.abc import Iterator
from pathlib import Path

import psycopg
import pytest
from fastapi.testclient import TestClient
from hypothesis import settings as hypothesis_settings
from sqlalchemy.engine import make_url

from builders import ARCHIVE, HOST, a_schema
from databases import keep, new_database
from reditus.core.facts import HostFacts
from reditus.exchange.simulated import SimulatedArchive
from reditus.server import background
from reditus.server.app import create_app
from reditus.server.settings import Settings
from reditus.simulator.large import large_host
from reditus.store import HostInfo
from reditus.store.database.cluster import Cluster
from reditus.store.store import Store

# A shell that runs the tests in its background hands down SIGINT ignored. What the tests start has it as a terminal
# gives it.
signal.signal(signal.SIGINT, signal.default_int_handler)
# No test is timed: on a busy machine an example may take as long as it takes.
hypothesis_settings.register_profile("reditus", deadline=None)
hypothesis_settings.load_profile("reditus")

TABLES = (
    "imports, exhibits, investigations, settings, damage, scrubs, verdicts, hours, rollups, rollup_reach, rollup_keys, "
    "use_bins, use_reach, layouts, markers, device_names, facts, recorders, plans, processes, blocks, columns, "
    "schemas, archives, hosts"
)


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Whatever uses the database is marked `store`."""
    for item in items:
        if "database_url" in getattr(item, "fixturenames", ()):
            item.add_marker("store")


@pytest.fixture(autouse=True)
def no_rounds_of_their_own(monkeypatch):
    """What is loaded into a server within this process is rolled up and judged only by the tests that say so: others
    would end in the midst of it.
    """
    monkeypatch.setattr(background, "LOADED_S", 86_400.0)


@pytest.fixture(scope="session")
def cluster() -> Iterator[Cluster]:
    with tempfile.TemporaryDirectory(prefix="reditus-test-", ignore_cleanup_errors=True) as folder:
        # Run by root, PostgreSQL is another user, which has to get through to its folder.
        Path(folder).chmod(0o711)
        cluster = Cluster(Path(folder) / "database")
        cluster.make()
        cluster.start()
        yield cluster
        cluster.stop()


@pytest.fixture(scope="session")
def database_url(cluster: Cluster) -> str:
    """The database of all tests that empty it before they begin."""
    url = new_database(cluster)
    store = Store(url)
    store.migrate()
    store.close()
    return url


@pytest.fixture
def store(database_url: str) -> Iterator[Store]:
    """An empty store."""
    plain = make_url(database_url).set(drivername="postgresql").render_as_string(hide_password=False)
    with psycopg.connect(plain, autocommit=True) as connection:
        connection.execute(f"truncate {TABLES}")  # type: ignore[call-overload]
    store = Store(database_url)
    yield store
    store.close()


@pytest.fixture
def client(store: Store) -> Iterator[TestClient]:
    """The server's API over an empty store."""
    settings = Settings(allowed_hosts=["testserver"])
    with TestClient(create_app(store, settings)) as client:
        yield client


@pytest.fixture
def known(store):
    """A store that knows one archive and one schema."""
    store.archives.register(
        host=HostInfo(HOST, "testbed"), archive=ARCHIVE, name="trial", source="recorded", facts=HostFacts(cores=2)
    )
    store.add_schema(ARCHIVE, a_schema())
    return store


@pytest.fixture
def shift(store):
    """A store with eight hours of a simulated host every 5 s, and the archive."""
    return store, keep(
        store, SimulatedArchive(large_host("hall", cores=2, disks=2, links=1, length_s=8 * 3_600, interval_s=5.0))
    )


@pytest.fixture
def simulated_archive(store):
    """A store with thirty hours of a simulated host every 5 s, and the archive."""
    return store, keep(
        store, SimulatedArchive(large_host("hall", cores=2, disks=2, links=1, length_s=30 * 3_600, interval_s=5.0))
    )


@pytest.fixture
def half_archive(store):
    """The same over fifteen hours, where that is enough: rolling up takes as long as what is rolled up."""
    return store, keep(
        store, SimulatedArchive(large_host("hall", cores=2, disks=2, links=1, length_s=15 * 3_600, interval_s=5.0))
    )
