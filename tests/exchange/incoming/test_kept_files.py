"""Files that version 1 wrote are read for ever: they are kept here, and never written again."""

from pathlib import Path
from zipfile import ZipFile

import numpy as np
import pytest

from reditus.core.rfc3339 import parse_time
from reditus.core.types import NS_PER_S
from reditus.exchange.archive_file.reading import open_archive
from reditus.exchange.formats import FORMATS
from reditus.exchange.incoming.readers import ImportOptions, read_incoming, recognised

KEPT = Path(__file__).resolve().parent.parent / "kept"
FILES = sorted(KEPT.glob("v1.*"))
BEGIN_NS = parse_time("2026-11-13T01:00:00Z")
MADE = "2026-11-30T00:00:00Z"


def test_there_is_one_of_each_format_that_is_written():
    written = {each.extension for each in FORMATS.values() if each.writes is not None}
    assert {path.name.removeprefix("v1") for path in FILES} == written


@pytest.mark.parametrize("path", FILES, ids=lambda path: path.name)
def test_it_is_read_as_ever(path, tmp_path):
    incoming = read_incoming(path, path.name, ImportOptions(), tmp_path / "made.zip", MADE, lambda _: None)
    schemas = {schema.digest: schema for schema in incoming.file.head.schemas}
    found = {}
    for batch in incoming.file.batches():
        for block in batch.blocks:
            stretch = block.stretch()
            assert stretch.wall_ns.tolist() == [BEGIN_NS + tick * NS_PER_S for tick in range(20)]
            for place, column in enumerate(schemas[block.schema].columns):
                found[column.counter, column.attributes] = np.ascontiguousarray(stretch.values[:, place])
    (queue,) = [values for (counter, _), values in found.items() if counter == "queue"]
    assert queue.view(np.float64).tolist() == [tick / 4 for tick in range(20)]
    if recognised(path, path.name) == "archive":
        head = incoming.file.head
        assert (head.host_name, head.name, head.notes, head.facts[0][1].cores) == ("kept", "of version 1", "made up", 2)
        assert head.device_names == {"core": {"0": "first"}}
        user = found["system.cpu.time", (("cpu.mode", "user"),)]
        assert user.tolist() == [50 * tick for tick in range(20)]
        records = [batch for batch in incoming.file.batches() if batch.identities or batch.markers]
        assert records[0].identities[0].processes[0].name == "shopd"
        assert records[0].markers[0].markers[0].text == "deployed"


def test_counters_taken_out_of_an_archive_in_parquet_are_read_alone(tmp_path):
    """Each of them to the bit, and into the archive that they came from."""
    whole = open_archive(KEPT / "v1.parquet.zip")
    stored = {}
    for batch in whole.batches():
        for block in batch.blocks:
            stretch = block.stretch()
            stored[block.schema] = stretch.wall_ns.tolist(), stretch.values.tolist()
    with ZipFile(KEPT / "v1.parquet.zip") as files:
        parts = [name for name in files.namelist() if name.endswith(".parquet")]
        files.extractall(tmp_path, parts)
    assert len(parts) == len(stored)
    for number, name in enumerate(parts):
        path, target = tmp_path / name, tmp_path / f"made {number}.zip"
        incoming = read_incoming(path, path.name, ImportOptions(), target, MADE, lambda _: None)
        assert (incoming.file.head.archive, incoming.file.head.host_name) == (whole.head.archive, "kept")
        found = {}
        for batch in incoming.file.batches():
            for block in batch.blocks:
                stretch = block.stretch()
                found[block.schema] = stretch.wall_ns.tolist(), stretch.values.tolist()
        ((schema, values),) = found.items()
        assert values == stored[schema]
