"""Archives as files: out of one database and into another to the bit, and refused where they are damaged."""

import json
import zipfile
from hashlib import sha256

import numpy as np
import pyarrow.parquet as pq
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy import text

from builders import ARCHIVE, BEGIN_NS, BOOT, HOST
from cases import SHORT, at, load_whole, served
from databases import new_database
from reditus.core.blocks import Stretch, encode_block
from reditus.core.facts import HostFacts
from reditus.core.rfc3339 import parse_time
from reditus.core.schema import Column, Kind, Schema
from reditus.core.types import NS_PER_S
from reditus.core.window import Window
from reditus.exchange.archive_file.columns import blocks_in, schema_in, write_columns
from reditus.exchange.archive_file.manifest import ArchiveFileError
from reditus.exchange.archive_file.reading import open_archive
from reditus.exchange.archive_file.writing import write_archive
from reditus.store import BlockConflict, HostInfo
from reditus.store.store import Store

MADE = "2026-11-30T00:00:00Z"


@pytest.fixture(scope="module")
def source(cluster):
    with served(cluster) as (client, store):
        load_whole(client, SHORT)
        yield store


@pytest.fixture
def target(cluster):
    store = Store(new_database(cluster))
    store.migrate()
    yield store
    store.close()


def written(store, path, window=None, *, parquet=False, archive=SHORT.archive):
    with store.taking_out(archive, window) as contents:
        return write_archive(path, contents, MADE, window=window, parquet=parquet)


def everything(store, archive=SHORT.archive):
    """All that an archive holds, by schema: clocks, boots and counters, whatever blocks they stand in."""
    with store.taking_out(archive) as contents:
        names = {schema.digest: schema.canonical for schema in contents.head.schemas}
        found = {}
        for block in contents.blocks:
            part = block.stretch()
            found.setdefault(names[block.schema], []).append(
                (block.boot, block.interval_ns, part.wall_ns, part.monotonic_ns, part.values)
            )
        counters = {
            name: [np.concatenate([part[place] for part in parts]) for place in (2, 3, 4)]
            for name, parts in found.items()
        }
        who = sorted((str(item.boot), item.processes) for item in contents.identities)
        return contents.head, counters, who, list(contents.markers)


def same(one, other):
    (head, counters, who, markers), (head2, counters2, who2, markers2) = one, other
    assert (head.host, head.name, head.source, head.facts, head.notes) == (
        head2.host, head2.name, head2.source, head2.facts, head2.notes,
    )  # fmt: skip
    assert counters.keys() == counters2.keys()
    for name, arrays in counters.items():
        for mine, theirs in zip(arrays, counters2[name], strict=True):
            assert np.array_equal(mine, theirs)
    assert (who, markers) == (who2, markers2)


@pytest.mark.parametrize("parquet", [False, True])
def test_every_counter_arrives_in_another_database(source, target, tmp_path, parquet):
    path = tmp_path / "a.archive.zip"
    result = written(source, path, parquet=parquet)
    opened = open_archive(path)
    assert opened.ticks == result.ticks > 0
    taken = target.put_in(opened.head, opened.batches())
    assert (taken.stored_ticks, taken.repeated_ticks) == (result.ticks, 0)
    same(everything(source), everything(target))
    again = target.put_in(opened.head, opened.batches())
    assert (again.stored_ticks, again.repeated_ticks) == (0, result.ticks)
    same(everything(source), everything(target))


def test_a_window_is_cut_to_its_ticks(source, target, tmp_path):
    window = Window(parse_time(at(5)), parse_time(at(8)))
    path = tmp_path / "w.archive.zip"
    written(source, path, window)
    opened = open_archive(path)
    target.put_in(opened.head, opened.batches())
    _, counters, _, _ = everything(target)
    for wall_ns, _, _ in counters.values():
        assert window.start_ns <= wall_ns.min() <= wall_ns.max() < window.end_ns
    with zipfile.ZipFile(path) as files:
        assert json.loads(files.read("manifest.json"))["start_ns"] == window.start_ns


def test_parquet_is_read_without_reditus(source, tmp_path):
    path = tmp_path / "p.archive.zip"
    written(source, path, parquet=True)
    with zipfile.ZipFile(path) as files:
        name = next(name for name in files.namelist() if "cpu" in name and name.endswith(".parquet"))
        (tmp_path / "one.parquet").write_bytes(files.read(name))
    table = pq.read_table(tmp_path / "one.parquet")
    schema = json.loads(table.schema.metadata[b"reditus.schema"])
    assert table.column_names[:4] == ["time", "monotonic_ns", "boot", "interval_ns"]
    assert len(table.column_names) == 4 + len(schema["columns"])
    field = table.schema.field("system.cpu.context_switches")
    assert field.metadata[b"kind"] == b"cumulative"


def rewritten(path, target, change):
    """The same file with something changed behind its checksums."""
    with zipfile.ZipFile(path) as files, zipfile.ZipFile(target, "w") as out:
        parts = {name: files.read(name) for name in files.namelist()}
        manifest = json.loads(parts.pop("manifest.json"))
        change(manifest, parts)
        for entry in manifest["parts"]:
            if entry["name"] in parts:
                data = parts[entry["name"]]
                entry["bytes"], entry["sha256"] = len(data), sha256(data).hexdigest()
        for name, data in parts.items():
            out.writestr(name, data)
        out.writestr("manifest.json", json.dumps(manifest))
    return target


@pytest.mark.parametrize(
    ("change", "said"),
    [
        (lambda manifest, _: manifest.update(version=2, reditus="9.1"), "version 2, made by Reditus 9.1"),
        (lambda manifest, _: manifest.update(format="other"), "its manifest does not say"),
        (lambda manifest, _: manifest.update(ticks=manifest["ticks"] + 1), "where its manifest says"),
        (lambda manifest, _: manifest["parts"].pop(), "is not in its manifest"),
        (lambda _, parts: parts.pop("records/00001.blocks"), "is missing"),
        (lambda manifest, _: manifest["archive"].update(id=str(HOST)), "another archive"),
        (lambda manifest, _: manifest["schemas"].clear(), "other columns than its schema"),
        (lambda manifest, _: manifest["facts"][0].update(facts={"cores": "many"}), "manifest is not as it should be"),
        (lambda _, parts: parts.update({"records/00001.blocks": b"RDTB"}), "is not as it should be"),
    ],
)
def test_what_was_changed_is_refused(source, tmp_path, change, said):
    path = tmp_path / "a.archive.zip"
    written(source, path)
    with pytest.raises(ArchiveFileError, match=said):
        open_archive(rewritten(path, tmp_path / "b.archive.zip", change))


def test_a_flipped_bit_and_a_cut_are_found(source, tmp_path):
    path = tmp_path / "a.archive.zip"
    written(source, path)
    whole = path.read_bytes()
    spoilt = tmp_path / "b.archive.zip"
    spoilt.write_bytes(whole[: len(whole) // 2] + bytes([whole[len(whole) // 2] ^ 1]) + whole[len(whole) // 2 + 1 :])
    with pytest.raises(ArchiveFileError, match=r"damaged|cannot be read"):
        open_archive(spoilt)
    spoilt.write_bytes(whole[:-100])
    with pytest.raises(ArchiveFileError, match="only a part of one"):
        open_archive(spoilt)


def test_what_fails_in_the_middle_leaves_nothing(source, target, tmp_path):
    path = tmp_path / "a.archive.zip"
    written(source, path)
    opened = open_archive(path)

    def broken():
        yield from opened.batches()
        raise ArchiveFileError("the disk went away")

    with pytest.raises(ArchiveFileError, match="went away"):
        target.put_in(opened.head, broken())
    with target.engine.connect() as connection:
        for table in ("hosts", "archives", "schemas", "blocks", "processes", "markers"):
            assert connection.execute(text(f"select count(*) from {table}")).scalar() == 0, table


def test_an_id_of_another_host_is_refused(source, target, tmp_path):
    path = tmp_path / "a.archive.zip"
    written(source, path)
    opened = open_archive(path)
    target.archives.register(
        host=HostInfo(HOST, "other"), archive=SHORT.archive, name="x", source="test", facts=HostFacts()
    )
    with pytest.raises(BlockConflict, match="another host"):
        target.put_in(opened.head, opened.batches())


numbers = st.integers(-(2**63), 2**63 - 1)


@settings(max_examples=40, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(rows=st.lists(st.tuples(numbers, numbers), min_size=1, max_size=30), steps=st.integers(1, 10**12))
def test_any_numbers_survive_parquet(tmp_path, rows, steps):
    schema = Schema(
        "g", 0,
        (
            Column.of("a", unit="1", kind=Kind.LEVEL),
            Column.of("b", {"x": 'q"'}, unit="1", kind=Kind.LEVEL, double=True),
        ),
    )  # fmt: skip
    values = np.array(rows, dtype=np.int64)
    times_ns = BEGIN_NS + np.arange(len(rows), dtype=np.int64) * steps
    block = encode_block(
        Stretch(times_ns, times_ns, values), archive=ARCHIVE, boot=BOOT, schema=schema.digest, interval_ns=NS_PER_S
    )
    with (tmp_path / "x.parquet").open("wb") as file:
        write_columns(file, schema, [block])
    with pq.ParquetFile(tmp_path / "x.parquet") as file:
        assert schema_in(file) == schema
        (back,) = blocks_in(file, schema, ARCHIVE)
    assert back.to_bytes() == block.to_bytes()
