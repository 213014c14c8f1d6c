"""Background work does not make a freshly loaded recording wait for its next round."""

import threading

from fastapi.testclient import TestClient

from databases import keep
from e2e_helpers import wait_until
from reditus.analysis.maintenance import Task
from reditus.exchange.simulated import SimulatedArchive
from reditus.server import background
from reditus.server.app import create_app
from reditus.server.settings import Settings
from reditus.simulator.large import large_host


def test_a_recording_that_was_loaded_is_rolled_up_and_judged_at_once(store, monkeypatch):
    monkeypatch.setattr(background, "LOADED_S", 0.5)
    app = create_app(store, Settings(allowed_hosts=["testserver"], seal_every_s=86_400))
    host = large_host("hall", cores=2, disks=1, links=1, length_s=2 * 3_600, interval_s=1.0)
    with TestClient(app):
        archive = keep(store, SimulatedArchive(host))
        journal = app.state.context.journal
        wait_until(lambda: any(item.task is Task.JUDGING and item.last_success_ns for item in journal.reports()))
    # Its last round may outlast the server by a moment, and has the store's connections.
    wait_until(lambda: not any(thread.name == "background" for thread in threading.enumerate()))
    with store.reading(archive) as reader:
        assert reader.rollups.reach(archive, 60) is not None


def test_what_trickles_in_waits_for_the_round(store):
    """A recorder's ticks are few at a time: they are not worth a round of their own."""
    host = large_host("hall", cores=2, disks=1, links=1, length_s=600, interval_s=1.0)
    keep(store, SimulatedArchive(host))
    assert not store.has_come_to_rest(0.0)
