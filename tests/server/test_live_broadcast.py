import asyncio
from concurrent.futures import ThreadPoolExecutor
from uuid import UUID

from reditus.server.live_broadcast import TickBroadcaster


def run_async(scenario):
    """In a thread of its own: the browser tests leave their own loop running in this one."""
    with ThreadPoolExecutor(1) as pool:
        return pool.submit(lambda: asyncio.run(scenario())).result(30)


ONE, OTHER = UUID(int=1), UUID(int=2)


def test_listeners_hear_the_latest_and_only_of_their_archive():
    async def scenario():
        bell = TickBroadcaster()
        bell.attach()
        heard = []

        async def listen():
            async for last_ns in bell.listen(ONE, heartbeat_s=5):
                heard.append(last_ns)
                if last_ns == 30:
                    return

        listening = asyncio.create_task(listen())
        while not heard:
            bell.ring(OTHER, 99)
            bell.ring(ONE, 10)
            await asyncio.sleep(0.001)
        bell.ring(ONE, 20)
        bell.ring(ONE, 30)  # a slow listener misses 20, never the latest
        await asyncio.wait_for(listening, 5)
        return heard

    heard = run_async(scenario)
    assert heard[0] == 10
    assert heard[-1] == 30
    assert 99 not in heard


def test_silence_gives_signs_of_life():
    async def scenario():
        bell = TickBroadcaster()
        bell.attach()
        return await anext(bell.listen(ONE, heartbeat_s=0.01))

    assert run_async(scenario) is None
