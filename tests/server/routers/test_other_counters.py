"""Counters that no catalogue knows, as others send them: doubles, own names, any punctuation."""

import numpy as np
import pytest

from builders import ARCHIVE, BEGIN_NS, BOOT, HOST
from cases import served
from reditus.core.blocks import Stretch, encode_block
from reditus.core.facts import HostFacts
from reditus.core.rfc3339 import spell_time
from reditus.core.schema import Column, Kind, Schema
from reditus.core.types import NS_PER_S
from reditus.store import HostInfo

DEPTH = Column.of("Queue; depth (max)", {"queue": "mail, urgent"}, unit="1", kind=Kind.LEVEL, double=True)
SERVED = Column.of("jobs.served", unit="{job}", kind=Kind.CUMULATIVE, double=True)
LOADED = Column.of("pool.load", unit="%", kind=Kind.LEVEL, double=True)
VALUES = np.array([[1.5, 10.0, 50.0], [np.nan, 12.5, 100.0], [-2.25, 3.0, np.inf], [1e-9, 4.0, 25.0]])


@pytest.fixture(scope="module")
def client(cluster):
    with served(cluster) as (client, store):
        store.archives.register(
            host=HostInfo(HOST, "elsewhere"), archive=ARCHIVE, name="sent", source="test", facts=HostFacts()
        )
        schema = Schema("sent", 0, (DEPTH, SERVED, LOADED))
        times_ns = BEGIN_NS + np.arange(len(VALUES), dtype=np.int64) * NS_PER_S
        stretch = Stretch(times_ns, times_ns, VALUES.view(np.int64))
        block = encode_block(stretch, archive=ARCHIVE, boot=BOOT, schema=schema.digest, interval_ns=NS_PER_S)
        store.add_schema(ARCHIVE, schema)
        store.append(ARCHIVE, [block])
        yield client


def series(client, *names):
    end = spell_time(BEGIN_NS + 10 * NS_PER_S)
    query = {"measure": names, "from": spell_time(BEGIN_NS - NS_PER_S), "to": end, "width": 100}
    return client.get(f"/api/archives/{ARCHIVE}/series", params=query)


def test_they_are_listed_under_their_own_names(client):
    found = {item["name"]: item for item in client.get(f"/api/archives/{ARCHIVE}/measures").json()}
    depth = found["other.Queue%3B%20depth%20%28max%29"]
    assert (depth["title"], depth["resource"], depth["per"]) == ("Queue; depth (max)", "other", "other")
    assert depth["devices"] == ["queue=mail%2C%20urgent"]
    assert (found["other.jobs.served"]["unit"], found["other.pool.load"]["unit"]) == ("1/s", "share")


def test_doubles_come_back_to_the_bit_and_what_is_no_number_is_unknown(client):
    levels = series(client, "other.Queue%3B%20depth%20%28max%29@*").json()["series"]
    assert [item["mean"] for item in levels] == [[1.5, None, -2.25, 1e-9]]
    (share,) = series(client, "other.pool.load").json()["series"]
    assert share["mean"] == [0.5, 1.0, None, 0.25]


def test_what_grows_is_a_rate_and_a_fall_is_a_reset(client):
    (rate,) = series(client, "other.jobs.served").json()["series"]
    assert rate["mean"] == [None, 2.5, None, 1.0]


def test_a_name_that_is_not_there_is_refused_with_what_is(client):
    answer = series(client, "other.jobs.serve")
    assert answer.status_code == 404
    assert "other.jobs.served" in answer.json()["detail"]


def test_the_schema_keeps_its_digest_and_comes_back():
    schema = Schema("sent", 0, (DEPTH, SERVED))
    assert Schema.from_json(schema.as_json()).digest == schema.digest
    whole = Column.of("x", unit="1", kind=Kind.LEVEL)
    assert "number" not in whole.as_json()
    assert whole != Column.of("x", unit="1", kind=Kind.LEVEL, double=True)
