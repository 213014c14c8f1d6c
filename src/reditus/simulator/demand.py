"""What works ask for at each tick, with the unsteadiness of real work."""

from dataclasses import dataclass

import numpy as np

from reditus.core.types import NS_PER_S, FloatArray
from reditus.simulator.counting import Wander
from reditus.simulator.scenario import HOURS, WEEKDAYS, Scenario, Work

DAY_S = 86_400
THURSDAY = 3  # the epoch's weekday, Monday being 0
BACKGROUND = Work(
    "background",
    workers=2,
    intensity=0.09,
    kernel_share=0.35,
    write_bytes_per_s=180e3,
    write_size=16 * 1024,
    depth=2,
    waits=0.2,
    receive_bytes_per_s=6e3,
    send_bytes_per_s=6e3,
    packet_bytes=400,
    user="root",
    processes=1,
    memory_bytes=180 * 2**20,
)
"""What a quiet machine does by itself: timers, log writers, an agent or two."""
MEMORY_FILLS_S = 40.0


@dataclass(slots=True)
class Load:
    """One work over a stretch of ticks. Rates are per second; processor time in cores."""

    work: Work
    on: FloatArray
    """How much of it there is: 0 while it does not run."""
    run: FloatArray
    """Which run it is, for one that comes again."""
    cpu: FloatArray
    read: FloatArray
    write: FloatArray
    receive: FloatArray
    send: FloatArray
    memory: FloatArray
    reread: FloatArray
    progress: FloatArray | float = 1.0
    """Share of its requests that the disks served; the rest of it waits as long."""


def ran_s(work: Work, at_s: FloatArray) -> FloatArray:
    """For how long the work has run until then."""
    since = at_s - work.start_s
    lasts = work.end_s - work.start_s
    if work.every_s is None:
        return np.clip(since, 0.0, lasts)
    since = np.maximum(since, 0.0)
    whole = np.floor(since / work.every_s)
    return whole * lasts + np.minimum(since - whole * work.every_s, lasts)


def held_bytes(work: Work, at_s: FloatArray) -> FloatArray:
    """The memory that the work holds: it fills within a minute, and a leak goes on."""
    since = at_s - work.start_s
    if work.every_s is not None:
        since = np.where(since >= 0, np.mod(since, work.every_s), since)
    runs = (since > 0) & (since <= work.end_s - work.start_s)
    ramp = np.clip(since / MEMORY_FILLS_S, 0.0, 1.0)
    return runs * (work.memory_bytes * ramp + work.leak_bytes_per_s * np.maximum(since, 0.0))


class Demand:
    """The works of a scenario, part by part."""

    def __init__(self, scenario: Scenario) -> None:
        self._scenario = scenario
        self.works = (BACKGROUND, *scenario.works)
        self._noise = {
            (at, name): Wander(
                scenario.seed, f"{at}/{work.name}/{name}", spread=spread, memory_s=memory_s,
                interval_s=scenario.interval_s,
            )
            for at, work in enumerate(self.works)
            for name, spread, memory_s in (("cpu", 0.15, 3.0), ("io", 0.2, 5.0), ("net", 0.2, 5.0))
        }  # fmt: skip

    def __call__(self, at_s: FloatArray) -> list[Load]:
        """`at_s` are the ends of the ticks' intervals, in seconds from the beginning."""
        return [self._load(at, work, at_s) for at, work in enumerate(self.works)]

    def _load(self, at: int, work: Work, at_s: FloatArray) -> Load:
        ticks, interval_s = len(at_s), self._scenario.interval_s
        on = (ran_s(work, at_s) - ran_s(work, at_s - interval_s)) / interval_s
        np.clip(on, 0.0, 1.0, out=on)
        if work.curve is not None:
            on *= self._by_clock(work, at_s)
        steady = work.intensity >= 1
        noise = {name: self._noise[at, name](ticks) for name in ("cpu", "io", "net")}
        run = np.zeros(ticks) if work.every_s is None else np.floor(np.maximum(at_s - work.start_s, 0) / work.every_s)
        return Load(
            work=work,
            on=on,
            run=run,
            cpu=on * work.workers * work.intensity * (1.0 if steady else noise["cpu"]),
            read=on * work.read_bytes_per_s * noise["io"],
            write=on * work.write_bytes_per_s * noise["io"],
            receive=on * work.receive_bytes_per_s * noise["net"],
            send=on * work.send_bytes_per_s * noise["net"],
            memory=held_bytes(work, at_s) * (on > 0),
            reread=on * work.reread_bytes_per_s * noise["io"],
        )

    def _by_clock(self, work: Work, at_s: FloatArray) -> FloatArray:
        assert work.curve is not None
        epoch_s = at_s + self._scenario.begin_ns / NS_PER_S
        hour = epoch_s % DAY_S / 3_600
        weekday = ((epoch_s // DAY_S).astype(np.int64) + THURSDAY) % WEEKDAYS
        hours = np.append(work.curve.hours, work.curve.hours[0])
        factor: FloatArray = np.interp(hour, np.arange(HOURS + 1), hours) * np.asarray(work.curve.weekdays)[weekday]
        return factor
