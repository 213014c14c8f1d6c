"""Growth of filesystems, and until when there is room: by hand, and over the API."""

import pytest

from api_helpers import introduce, load, send
from builders import ARCHIVE, a_block, a_schema
from reditus.core.counters import FILESYSTEM_STATE, MOUNT
from reditus.core.kernel_columns import kernel_column
from reditus.simulator import simulate
from reditus.simulator.fernhold import STITCH_01_MORNING

COLUMNS = tuple(
    kernel_column("system.filesystem.usage", {MOUNT: "/srv", FILESYSTEM_STATE: state}) for state in ("used", "free")
)
SCHEMA = a_schema(COLUMNS, group="filesystem")
WRITTEN_A_TICK, LEFT = 100, 1


def listed(client, archive, **window):
    names = {"start": "from", "end": "to"}
    response = client.get(
        f"/api/archives/{archive}/filesystems", params={names[key]: value for key, value in window.items()}
    )
    assert response.status_code == 200, response.text
    return {item["mount"]: item for item in response.json()}


def test_growth_is_that_of_the_window_and_says_until_when_there_is_room(client):
    introduce(client, SCHEMA)
    assert send(client, a_block(600, schema=SCHEMA)).status_code == 200
    found = listed(client, ARCHIVE)["/srv"]
    # Of means over bins, which the last one ends with: a bin is 2.5 s long.
    assert found["used_bytes"] == pytest.approx(599 * WRITTEN_A_TICK, abs=3 * WRITTEN_A_TICK)
    assert found["growth_bytes_per_s"] == pytest.approx(WRITTEN_A_TICK, rel=0.001)
    assert found["full_in_s"] == pytest.approx(LEFT / WRITTEN_A_TICK, rel=0.01)
    assert found["inodes"] is None


def test_what_does_not_grow_has_no_end(client):
    flat = a_schema(COLUMNS[::-1], group="filesystem")
    introduce(client, flat)
    assert send(client, a_block(600, schema=flat)).status_code == 200
    # Now the free space grows, and what is used does not.
    found = listed(client, ARCHIVE)["/srv"]
    assert (found["growth_bytes_per_s"], found["full_in_s"]) == (None, None)


def test_every_mount_of_a_machine_is_listed(client):
    load(client, STITCH_01_MORNING, simulate(STITCH_01_MORNING))
    found = listed(client, STITCH_01_MORNING.archive, start="2026-11-12T09:18:00Z", end="2026-11-12T09:34:00Z")
    assert list(found) == ["/"]
    assert found["/"]["growth_bytes_per_s"] > 0
    assert found["/"]["full_in_s"] == pytest.approx(
        found["/"]["free_bytes"] / found["/"]["growth_bytes_per_s"], rel=1e-9
    )


def test_where_none_was_recorded_the_list_is_empty(client):
    introduce(client)
    send(client, a_block(30))
    assert listed(client, ARCHIVE) == {}
