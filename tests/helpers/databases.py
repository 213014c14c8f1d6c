"""Databases in the run's cluster."""

from uuid import UUID, uuid4

import psycopg
from sqlalchemy.engine import make_url

from reditus.core.facts import HostFacts
from reditus.store import HostInfo
from reditus.store.database.cluster import Cluster


def new_database(cluster: Cluster) -> str:
    """A database of its own in the run's cluster; return its address."""
    name = f"test_{uuid4().hex[:12]}"
    url = make_url(cluster.url)
    plain = url.set(drivername="postgresql").render_as_string(hide_password=False)
    with psycopg.connect(plain, autocommit=True) as connection:
        connection.execute(f"create database {name}")  # type: ignore[call-overload]
    return url.set(database=name).render_as_string(hide_password=False)


def keep(store, simulated_archive):
    """Append a whole simulated recording to a store, as a recorder would. Return its archive."""
    answer = simulated_archive.registration
    host = HostInfo(UUID(answer["host"]["id"]), answer["host"]["name"])
    facts = HostFacts.from_json(answer["facts"])
    store.archives.register(
        host=host, archive=simulated_archive.archive, name=answer["name"], source="simulated", facts=facts
    )
    for schema in simulated_archive.schemas():
        store.add_schema(simulated_archive.archive, schema)
    for blocks, identities in simulated_archive.batches():
        store.append(simulated_archive.archive, blocks, [identities])
    return simulated_archive.archive
