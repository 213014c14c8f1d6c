"""Investigations over made-up archives, for tests."""

import random
import zipfile
from contextlib import contextmanager
from dataclasses import replace
from io import BytesIO
from uuid import UUID, uuid4

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import text

from databases import new_database
from reditus.cli.client import Client
from reditus.core.rfc3339 import spell_time
from reditus.exchange.simulated import SimulatedArchive
from reditus.server import background
from reditus.server.app import create_app
from reditus.server.settings import Settings
from reditus.simulator.fernhold import STITCH_01_MORNING
from reditus.store.store import Store

CASE = UUID("5b0e3f2e-0f52-4c1c-9d53-2f3b8a4f0c11")
BEGIN_NS = STITCH_01_MORNING.begin_ns
MINUTE_NS = 60 * 10**9
SHORT = replace(STITCH_01_MORNING, length_s=2_100)
"""The part in which its cores are full."""
QUESTION = "Why was stitching slow on Thursday morning?"


@contextmanager
def served(cluster):
    """A server with a database of its own, and its store: for several tests that leave its archives as they are."""
    with pytest.MonkeyPatch.context() as patched:
        patched.setattr(background, "LOADED_S", 86_400.0)
        store = Store(new_database(cluster))
        store.migrate()
        with TestClient(create_app(store, Settings(allowed_hosts=["testserver"]))) as client:
            yield client, store
        store.close()


def cleared(store, *tables):
    """Without what the last test left."""
    with store.engine.begin() as connection:
        connection.execute(text(f"truncate {', '.join(tables)} cascade"))


def at(minutes):
    return spell_time(BEGIN_NS + round(minutes * MINUTE_NS))


def load_whole(client, scenario):
    """Everything of a simulated host, processes and log lines too, through a test client."""
    loader = Client("http://testserver")
    loader._http = client
    loader.load(SimulatedArchive(scenario))


def begin(client, case=CASE, **fields):
    answer = client.put(f"/api/investigations/{case}", json={"question": QUESTION} | fields)
    assert answer.status_code == 200, answer.text
    return answer.json()


def change(client, version, case=CASE, **fields):
    return client.patch(f"/api/investigations/{case}", json={"version": version, "fields": fields})


def strip(title, resource, unit, *names, **more):
    lines = [{"names": [name], "label": name} for name in names]
    return {"title": title, "resource": resource, "unit": unit, "lines": lines} | more


CORES = strip("Cores busy", "processor", "cores", "cpu.busy")


def pinned(client, case=CASE, exhibit=None, status=200, archive=SHORT.archive, **pin):
    body = {"archive": str(archive), "start": at(5), "end": at(30), "view": f"/archives/{archive}?from={at(5)}"} | pin
    answer = client.put(f"/api/investigations/{case}/exhibits/{exhibit or uuid4()}", json=body)
    assert answer.status_code == status, answer.text
    return answer.json()


def repacked(bundle, rng: random.Random, change):
    """A bundle with its parts changed: `change` takes and returns a mapping of names to bytes."""
    with zipfile.ZipFile(BytesIO(bundle)) as files:
        parts = {name: files.read(name) for name in files.namelist()}
    out = BytesIO()
    with zipfile.ZipFile(out, "w") as files:
        for name, data in change(parts, rng).items():
            files.writestr(name, data)
    return out.getvalue()
