"""Files that version 1 wrote are read for ever: they are kept here, and never written again."""

from pathlib import Path

import numpy as np
import pytest

from reditus.core.rfc3339 import parse_time
from reditus.core.types import NS_PER_S
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
