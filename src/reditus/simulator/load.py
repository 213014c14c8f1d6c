"""What is asked of a host at each tick, summed over its works, with the unsteadiness of real work."""

from dataclasses import dataclass

import numpy as np
from scipy.signal import lfilter

from reditus.core.types import FloatArray
from reditus.simulator.scenario import Priority, Scenario, Work


@dataclass(frozen=True, slots=True)
class Load:
    """Demand per tick. Processor demands are in cores; rates in bytes per second."""

    normal: FloatArray
    low: FloatArray
    pinned: FloatArray
    """Shape (cores, ticks): demand that is bound to a core."""
    kernel_share: FloatArray
    workers: FloatArray
    """Workers that want to run all the time; the rest comes and goes."""
    memory_bytes: FloatArray
    read: FloatArray
    write: FloatArray
    receive: FloatArray
    send: FloatArray


BACKGROUND_CORES = 0.18
"""What a quiet machine does by itself: timers, log writers, an agent or two."""
BACKGROUND_WRITE = 180_000.0
BACKGROUND_SEND = 6_000.0


def wander(rng: np.random.Generator, ticks: int, *, spread: float, memory: float = 0.9) -> FloatArray:
    """Noise around 1 that remembers: each value is `memory` of the last one and the rest new."""
    steps = rng.normal(0.0, spread * np.sqrt(1 - memory**2), ticks)
    noise: FloatArray = lfilter([1.0], [1.0, -memory], steps)
    return np.maximum(1.0 + noise, 0.05)


def active(work: Work, at_s: FloatArray, interval_s: float) -> FloatArray:
    """Share of each tick's interval during which the work runs: at its edges only a part."""
    begin_s = at_s - interval_s
    overlap = np.minimum(at_s, work.end_s) - np.maximum(begin_s, work.start_s)
    return np.clip(overlap / interval_s, 0.0, 1.0)


def load_of(scenario: Scenario, at_s: FloatArray, rng: np.random.Generator) -> Load:
    """Sum the works. `at_s` are the ends of the ticks' intervals, seconds from the beginning."""
    ticks, cores = len(at_s), scenario.machine.cores
    load = Load(
        normal=BACKGROUND_CORES * wander(rng, ticks, spread=0.25),
        low=np.zeros(ticks),
        pinned=np.zeros((cores, ticks)),
        kernel_share=np.zeros(ticks),
        workers=np.zeros(ticks),
        memory_bytes=np.zeros(ticks),
        read=np.zeros(ticks),
        write=BACKGROUND_WRITE * wander(rng, ticks, spread=0.5, memory=0.3),
        receive=BACKGROUND_SEND * wander(rng, ticks, spread=0.3),
        send=BACKGROUND_SEND * wander(rng, ticks, spread=0.3),
    )
    in_kernel = load.normal * 0.35
    for work in scenario.works:
        on = active(work, at_s, scenario.interval_s)
        demand = on * work.workers * work.intensity
        if work.intensity < 1:
            demand *= wander(rng, ticks, spread=0.15, memory=0.7)
        if work.core is not None:
            load.pinned[work.core] += demand
        elif work.priority is Priority.LOW:
            load.low[:] += demand
        else:
            load.normal[:] += demand
        in_kernel += demand * work.kernel_share
        load.workers[:] += on * work.workers * (work.intensity >= 1)
        load.memory_bytes[:] += (
            work.memory_bytes * np.clip((at_s - work.start_s) / 40.0, 0.0, 1.0) * (at_s <= work.end_s)
        )
        for name in ("read", "write", "receive", "send"):
            wanted = getattr(work, f"{name}_bytes_per_s")
            getattr(load, name)[:] += on * wanted * wander(rng, ticks, spread=0.2, memory=0.8)
    total = load.normal + load.low + load.pinned.sum(axis=0)
    load.kernel_share[:] = in_kernel / np.maximum(total, 1e-9)
    return load
