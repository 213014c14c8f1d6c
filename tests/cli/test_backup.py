"""Backing up and restoring, as docs/operation.md says it."""

import os
import shutil
import subprocess
from pathlib import Path
from uuid import UUID

import pytest

from builders import ARCHIVE, a_block, a_schema
from reditus.analysis.maintenance import Journal, maintain
from reditus.core.facts import HostFacts
from reditus.store import HostInfo
from reditus.store.database.cluster import Cluster, _binary
from reditus.store.records import CheckPosition
from reditus.store.store import Store


@pytest.fixture
def folder(tmp_path_factory):
    made = tmp_path_factory.mktemp("backup")
    for above in (made, *list(made.parents)[:3]):
        above.chmod(0o755)
    return made


def started(folder):
    cluster = Cluster(folder / "database")
    cluster.make()
    cluster.start()
    store = Store(cluster.url)
    store.migrate()
    return cluster, store


def fill(store):
    store.archives.register(
        host=HostInfo(UUID(int=1), "lab"), archive=ARCHIVE, name="kept", source="recorded", facts=HostFacts(cores=2)
    )
    store.add_schema(ARCHIVE, a_schema())
    for start in range(0, 1_200, 100):
        store.append(ARCHIVE, [a_block(100, start=start)])
    maintain(store, Journal())


def contents(store):
    with store.reading(ARCHIVE) as reader:
        (group,) = reader.frame(list(reader.known), None).groups
        return {str(column.counter): series.values.tolist() for column, series in group.series.items()}


def is_whole(store):
    found = store.archives.verify(ARCHIVE, CheckPosition(), 1_000)
    return (
        found.checked > 0
        and not found.damage
        and not store.archives.verify_tables()
        and not store.archives.verify_rollups(ARCHIVE)
    )


def pg(cluster, program, *words, out=None):
    data = Path(cluster.log).parent
    env = {**os.environ, "PGPASSWORD": (data / "password").read_text()}
    port = (data / "port").read_text()
    command = [str(_binary(program)), "-h", "127.0.0.1", "-p", port, "-U", "reditus", *words]
    subprocess.run(command, env=env, check=True, stdout=out)


def test_a_dump_is_restored_elsewhere(folder):
    cluster, store = started(folder / "one")
    fill(store)
    before = contents(store)
    dump = folder / "reditus.dump"
    with dump.open("wb") as file:
        pg(cluster, "pg_dump", "-Fc", "postgres", out=file)
    store.close()
    cluster.stop()

    other, empty = started(folder / "two")
    empty.close()
    pg(other, "pg_restore", "-d", "postgres", "--clean", "--if-exists", "--no-owner", str(dump))
    restored = Store(other.url)
    restored.migrate()
    assert contents(restored) == before
    assert is_whole(restored)
    restored.append(ARCHIVE, [a_block(100, start=2_000)])
    assert restored.archives.get(ARCHIVE).ticks == 1_300
    restored.close()
    other.stop()


def test_a_copied_folder_goes_on(folder):
    cluster, store = started(folder / "one")
    fill(store)
    before = contents(store)
    store.close()
    cluster.stop()
    shutil.copytree(folder / "one", folder / "two")
    if os.geteuid() == 0:  # what `cp -a` does
        for path in (folder / "two", *(folder / "two").rglob("*")):
            like = (folder / "one" / path.relative_to(folder / "two")).stat()
            os.chown(path, like.st_uid, like.st_gid)
            path.chmod(like.st_mode)
    copy = Cluster(folder / "two" / "database")
    copy.start()
    again = Store(copy.url)
    assert contents(again) == before
    assert is_whole(again)
    again.close()
    copy.stop()
