"""Lanes: what runs may be seen from other threads."""

import anyio
from anyio import to_thread

from reditus.server.lanes import Lanes


def test_lanes_say_from_any_thread_whether_something_is_being_read():
    lanes = Lanes()

    async def seen_within(lane):
        async with lane:
            return await to_thread.run_sync(lambda: lanes.reading)

    async def all_of_them():
        return [
            (await to_thread.run_sync(lambda: lanes.reading), await seen_within(lane), lanes.reading)
            for lane in (lanes.charts, lanes.long, lanes.health, lanes.intake)
        ]

    assert anyio.run(all_of_them) == [(False, True, False)] * 2 + [(False, False, False)] * 2
