import asyncio
from concurrent.futures import ThreadPoolExecutor
from uuid import UUID

from reditus.server.live_broadcast import TickBroadcaster


def run_async(scenario):
    """In a thread of its own: the browser tests leave their own loop running in this one."""
    with ThreadPoolExecutor(1) as pool:
        return pool.submit(lambda: asyncio.run(scenario())).result(30)


ONE, OTHER = UUID(int=1), UUID(int=2)


def test_subscribers_get_the_latest_of_their_archive():
    async def scenario():
        broadcaster = TickBroadcaster()
        broadcaster.attach()
        heard = []

        async def subscribe():
            async for last_ns in broadcaster.subscribe(ONE, heartbeat_s=5):
                heard.append(last_ns)
                if last_ns == 30:
                    return

        subscribed = asyncio.create_task(subscribe())
        while not heard:
            broadcaster.publish(OTHER, 99)
            broadcaster.publish(ONE, 10)
            await asyncio.sleep(0.001)
        broadcaster.publish(ONE, 20)
        broadcaster.publish(ONE, 30)  # a slow subscriber misses 20, never the latest
        await asyncio.wait_for(subscribed, 5)
        return heard

    heard = run_async(scenario)
    assert heard[0] == 10
    assert heard[-1] == 30
    assert 99 not in heard


def test_silence_gives_signs_of_life():
    async def scenario():
        broadcaster = TickBroadcaster()
        broadcaster.attach()
        return await anext(broadcaster.subscribe(ONE, heartbeat_s=0.01))

    assert run_async(scenario) is None
