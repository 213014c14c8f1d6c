"""A drill: a backup made in several runs while recording and merging go on, and every counter of it put back."""

import json
import threading

import numpy as np
import pytest
from fastapi.testclient import TestClient

from builders import ARCHIVE, BEGIN_NS, BOOT, HOST, a_block, a_schema
from cases import QUESTION, SHORT, begin, load_whole, pinned
from databases import new_database
from reditus.core.facts import HostFacts
from reditus.core.markers import Marker
from reditus.core.types import NS_PER_S
from reditus.core.window import Window
from reditus.exchange.backup.folder import BackupError, BackupFolder
from reditus.exchange.backup.index import Index
from reditus.exchange.backup.running import back_up, check_backup, restore
from reditus.server import background
from reditus.server.app import create_app
from reditus.server.settings import Settings
from reditus.store import HostInfo
from reditus.store.store import Store

MADE = "2026-11-30T00:00:00Z"


def say(_):
    """None of it matters."""


@pytest.fixture
def stores(cluster):
    made = [Store(new_database(cluster)) for _ in range(2)]
    for store in made:
        store.migrate()
    host = HostInfo(HOST, "testbed")
    made[0].archives.register(host=host, archive=ARCHIVE, name="trial", source="recorded", facts=HostFacts())
    made[0].add_schema(ARCHIVE, a_schema())
    yield made
    for store in made:
        store.close()


def counters(store, archive=ARCHIVE):
    """Every tick with its counters, whatever blocks they stand in."""
    with store.taking_out(archive) as contents:
        names = {schema.digest: schema.canonical for schema in contents.head.schemas}
        out = {}
        for block in contents.blocks:
            part = block.stretch()
            for place, at_ns in enumerate(part.wall_ns.tolist()):
                key = names[block.schema], block.boot, at_ns, int(part.monotonic_ns[place])
                assert key not in out
                out[key] = part.values[place].tobytes()
        return out


def test_every_counter_of_many_runs_comes_back(stores, tmp_path):
    source, target = stores
    folder = BackupFolder.opened(tmp_path / "b", make=True)
    written = []
    for run in range(4):
        for step in range(30):
            source.append(ARCHIVE, [a_block(5, start=(run * 30 + step) * 5)])
        if run != 1:
            source.compact(ARCHIVE)  # what the last run wrote in small blocks stands in a big one now
        written.append(back_up(source, folder, MADE, say=say).ticks)
    assert written == [150, 150, 150, 150]
    source.compact(ARCHIVE)
    last = back_up(source, folder, MADE, say=say)
    assert (last.archives, last.unchanged, last.ticks) == (0, 1, 0)
    assert not check_backup(folder, say).troubles
    assert restore(target, folder, say=say).ticks == 600
    assert counters(target) == counters(source)
    again = restore(target, folder, say=say)
    assert (again.ticks, again.troubles) == (0, [])
    assert counters(target) == counters(source)


def test_late_ticks_and_markers_are_taken_too(stores, tmp_path):
    source, target = stores
    folder = BackupFolder.opened(tmp_path / "b", make=True)
    source.append(ARCHIVE, [a_block(5), a_block(5, start=20)])
    back_up(source, folder, MADE, say=say)
    source.append(ARCHIVE, [a_block(5, start=10)])
    source.compact(ARCHIVE)
    source.markers.add(ARCHIVE, [Marker("m", BEGIN_NS, "note", "deployed", "someone")])
    back_up(source, folder, MADE, say=say)
    restore(target, folder, say=say)
    assert counters(target) == counters(source)
    with target.taking_out(ARCHIVE) as contents:
        assert [marker.text for marker in contents.markers] == ["deployed"]


def test_what_comes_late_into_a_gap_of_a_merged_block_is_taken(stores, tmp_path):
    source, target = stores
    folder = BackupFolder.opened(tmp_path / "b", make=True)
    source.append(ARCHIVE, [a_block(50)])
    source.append(ARCHIVE, [a_block(50, start=60)])
    while source.compact(ARCHIVE):
        pass
    back_up(source, folder, MADE, say=say)
    source.append(ARCHIVE, [a_block(5, start=52)])
    back_up(source, folder, MADE, say=say)
    restore(target, folder, say=say)
    assert counters(target) == counters(source)


def test_recording_goes_on_meanwhile(stores, tmp_path):
    source, target = stores
    folder = BackupFolder.opened(tmp_path / "b", make=True)
    runs = threading.Event()

    def record():
        for step in range(400):
            source.append(ARCHIVE, [a_block(2, start=step * 2)])
            if step == 20:
                runs.set()
            if step % 50 == 49:
                source.compact(ARCHIVE)

    recorder = threading.Thread(target=record)
    recorder.start()
    runs.wait()
    while recorder.is_alive():
        assert not back_up(source, folder, MADE, say=say).troubles
    recorder.join()
    back_up(source, folder, MADE, say=say)
    restore(target, folder, say=say)
    assert counters(target) == counters(source)
    assert len(counters(target)) == 800


def test_a_run_that_was_broken_off_is_gone_on_with(stores, tmp_path):
    source, target = stores
    folder = BackupFolder.opened(tmp_path / "b", make=True)
    source.append(ARCHIVE, [a_block(5)])
    back_up(source, folder, MADE, say=say)
    place = folder.of_archive(ARCHIVE)
    # Killed after the file had its name and before its index had, and in the middle of the next.
    (place / "000001.index.json").unlink()
    (place / "000002.archive.zip.partial").write_bytes(b"half")
    assert back_up(source, folder, MADE, say=say).ticks == 5
    assert sorted(path.name for path in place.iterdir()) == ["000001.archive.zip", "000001.index.json"]
    restore(target, folder, say=say)
    assert counters(target) == counters(source)


def test_damage_is_found_and_holds_up_no_other(stores, tmp_path):
    source, target = stores
    other = ARCHIVE.__class__(int=0xBEEF)
    source.archives.register(
        host=HostInfo(HOST, "testbed"), archive=other, name="second", source="recorded", facts=HostFacts()
    )
    source.append(ARCHIVE, [a_block(5)])
    source.append(other, [a_block(5, archive=other)])
    folder = BackupFolder.opened(tmp_path / "b", make=True)
    back_up(source, folder, MADE, say=say)
    spoilt = folder.of_archive(ARCHIVE) / "000001.archive.zip"
    data = bytearray(spoilt.read_bytes())
    data[60] ^= 1
    spoilt.write_bytes(data)
    [trouble] = check_backup(folder, say).troubles
    assert f"archives/{ARCHIVE}/000001.archive.zip" in trouble
    outcome = restore(target, folder, say=say)
    assert len(outcome.troubles) == 1
    assert [info.id for info in target.archives.all()] == [other]
    assert counters(target, other) == counters(source, other)


def test_one_host_and_what_was_written_of_it(cluster, stores, tmp_path, monkeypatch):
    monkeypatch.setattr(background, "LOADED_S", 86_400.0)
    source, target = stores
    source.append(ARCHIVE, [a_block(5)])
    with TestClient(create_app(source, Settings(allowed_hosts=["testserver"]))) as client:
        load_whole(client, SHORT)
        begin(client)
        frozen = pinned(client, strip={"title": "x", "resource": "processor", "unit": "cores",
                                       "lines": [{"names": ["cpu.busy"], "label": "b"}]}, kind="strip")  # fmt: skip
        name = {"kind": "core", "device": "0", "name": "first"}
        assert client.put(f"/api/archives/{SHORT.archive}/names", json=name).is_success
    folder = BackupFolder.opened(tmp_path / "b", make=True)
    back_up(source, folder, MADE, say=say)
    with pytest.raises(BackupError, match=r"no host in .* is called 'nope'; there are .*testbed"):
        restore(target, folder, host="nope", say=say)
    restore(target, folder, host=SHORT.machine.name, say=say)
    assert {info.host.name for info in target.archives.all()} == {SHORT.machine.name}
    assert counters(target, SHORT.archive) == counters(source, SHORT.archive)
    restore(target, folder, say=say)
    assert {info.id for info in target.archives.all()} == {ARCHIVE, SHORT.archive}
    assert target.device_names.of_host(SHORT.machine.id) == source.device_names.of_host(SHORT.machine.id)
    [case] = target.investigations.all()
    assert case.fields["question"] == QUESTION
    [exhibit] = target.investigations.exhibits(case.id)
    assert str(exhibit.id) == frozen["id"]
    assert "settings" not in json.loads((folder.path / "records.json").read_text())["tables"]


def test_only_what_is_newer(stores, tmp_path):
    source, target = stores
    source.append(ARCHIVE, [a_block(10)])
    folder = BackupFolder.opened(tmp_path / "b", make=True)
    since = Window(BEGIN_NS + 5 * NS_PER_S, 1 << 61)
    assert back_up(source, folder, MADE, window=since, say=say).ticks == 5
    assert back_up(source, folder, MADE, say=say).ticks == 10
    restore(target, folder, say=say)
    assert counters(target) == counters(source)


@pytest.mark.parametrize(
    ("content", "said"),
    [
        (None, "has no backup.json"),
        ("{", "is not JSON"),
        ('{"format": "x"}', "does not say 'reditus-backup'"),
        ('{"format": "reditus-backup", "version": 9}', "by a later Reditus"),
    ],
)
def test_what_is_no_backup_is_refused(tmp_path, content, said):
    if content is not None:
        (tmp_path / "backup.json").write_text(content)
    with pytest.raises(BackupError, match=said):
        BackupFolder.opened(tmp_path)


def test_a_folder_that_holds_something_else_is_left_alone(tmp_path):
    (tmp_path / "letter.txt").write_text("dear")
    with pytest.raises(BackupError, match="not empty"):
        BackupFolder.opened(tmp_path, make=True)
    assert [path.name for path in tmp_path.iterdir()] == ["letter.txt"]


@pytest.mark.parametrize(
    ("held", "fresh"),
    [
        ([], [(0, 10)]),
        ([(0, 10)], []),
        ([(0, 20)], [(0, 10)]),  # it may have come late into a gap of the longer one
        ([(0, 4), (4, 10)], []),
        ([(0, 4)], [(4, 10)]),
        ([(0, 4), (6, 10)], [(0, 10)]),  # something came late between them
        ([(0, 5), (0, 5)], [(0, 10)]),  # the same half twice is no whole
        ([(-5, 3)], [(0, 10)]),
    ],
)
def test_what_is_new_of_ten_ticks(held, fresh):
    index, blocks = Index(), [a_block(10, start=100)]
    key = blocks[0].schema, BOOT
    times = [int(part) for part in blocks[0].column(0)]
    step = times[1] - times[0]
    index.add(key, [(times[0] + a * step, times[0] + (b - 1) * step, b - a) for a, b in held])
    found = [(block.first_ns, block.last_ns) for block in index.fresh(blocks)]
    assert found == [(times[0] + a * step, times[0] + (b - 1) * step) for a, b in fresh]
    assert np.diff(times).min() == step
