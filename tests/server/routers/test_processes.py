"""Processes at the needle, through the API."""

import pytest

from api_helpers import BLOCKS, introduce
from builders import ARCHIVE, BEGIN_NS, BOOT, PROCESS_COLUMNS, process_values
from reditus.core.identities import Identities, Identity
from reditus.core.processes import STATES
from reditus.core.types import NS_PER_S
from reditus.recorder.batcher import CLOCK_STEP_NS, Batcher
from reditus.recorder.sampler import Reading

# Clocks are kept in steps: a second between two ticks is right within one of them.
OF_A_SECOND = CLOCK_STEP_NS / NS_PER_S


def test_who_had_what_at_a_tick(client):
    batcher = Batcher(ARCHIVE, BOOT, NS_PER_S)
    for second in range(3):
        at_ns = BEGIN_NS + second * NS_PER_S
        batcher.add([Reading("process", at_ns, at_ns, PROCESS_COLUMNS, process_values(cores=0.75, pid=31))])
    batcher.report([Identity(31, 777, "stitch", "lab", "/lab", 1)])
    batch = batcher.take()
    introduce(client, *batcher.schemas.values())
    for _ in range(2):  # sending again is harmless
        assert client.post(BLOCKS, content=batch).status_code == 200
    renamed = Identities(ARCHIVE, BOOT, (Identity(31, 777, "stitch-2", "lab", "/lab", 1),)).to_bytes()
    assert client.post(BLOCKS, content=renamed).status_code == 200

    at = "2026-11-12T09:00:02Z"
    response = client.get(f"/api/archives/{ARCHIVE}/processes", params={"at": at})
    assert response.status_code == 200, response.text
    found = response.json()
    (one,) = found["processes"]
    assert (one["pid"], one["name"], one["user"], one["state"], one["core"]) == (31, "stitch-2", "lab", "R", 1)
    assert one["usage"]["cpu_cores"] == pytest.approx(0.75, rel=OF_A_SECOND)
    assert one["usage"]["read_bytes_per_s"] == pytest.approx(8192, rel=OF_A_SECOND)
    assert found["total"]["cpu_cores"] == pytest.approx(1.5, rel=OF_A_SECOND)
    assert found["states"] == dict(zip(STATES, range(len(STATES)), strict=True))
    early = client.get(f"/api/archives/{ARCHIVE}/processes", params={"at": "2026-11-12T08:00:00Z"}).json()
    assert (early["recorded"], early["tick"], early["processes"]) == (True, None, [])
