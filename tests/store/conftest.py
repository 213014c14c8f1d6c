from uuid import UUID

import pytest

from builders import ARCHIVE, HOST, a_layout
from reditus.core.facts import HostFacts
from reditus.exchange.made_up import MadeUp
from reditus.simulator.large import large_host
from reditus.store import HostInfo


@pytest.fixture
def known(store):
    """A store that knows one archive and one layout."""
    store.register(
        host=HostInfo(HOST, "testbed"), archive=ARCHIVE, name="trial", source="recorded", facts=HostFacts(cores=2)
    )
    store.add_layout(ARCHIVE, a_layout())
    return store


def keep(store, made_up):
    told = made_up.registration
    host = HostInfo(UUID(told["host"]["id"]), told["host"]["name"])
    facts = HostFacts.from_json(told["facts"])
    store.register(host=host, archive=made_up.archive, name=told["name"], source="made up", facts=facts)
    for layout in made_up.layouts():
        store.add_layout(made_up.archive, layout)
    for blocks, identities in made_up.batches():
        store.append(made_up.archive, blocks, [identities])
    return made_up.archive


@pytest.fixture
def made_up(store):
    """A store with thirty hours of a made-up host every 5 s, and the archive."""
    return store, keep(
        store, MadeUp(large_host("hall", cores=2, disks=2, links=1, length_s=30 * 3_600, interval_s=5.0))
    )
