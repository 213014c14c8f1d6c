"""Databases in the run's cluster."""

from uuid import uuid4

import psycopg
from sqlalchemy.engine import make_url

from reditus.store.database.cluster import Cluster


def new_database(cluster: Cluster) -> str:
    """A database of its own in the run's cluster; return its address."""
    name = f"test_{uuid4().hex[:12]}"
    url = make_url(cluster.url)
    plain = url.set(drivername="postgresql").render_as_string(hide_password=False)
    with psycopg.connect(plain, autocommit=True) as connection:
        connection.execute(f"create database {name}")  # type: ignore[call-overload]
    return url.set(database=name).render_as_string(hide_password=False)
