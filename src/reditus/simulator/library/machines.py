"""Hosts for the library, small to large, and the ordinary work that goes on beside any trouble."""

from collections.abc import Callable
from uuid import UUID, uuid5

import numpy as np

from reditus.simulator.scenario import GIB, Disk, Link, Machine, Work, rotating

LIBRARY = UUID("3f0c9a52-6c6b-4f5c-9d0b-1a4e8f7d2b11")
SHARE_OF_CORES = (0.05, 0.22)


def small(rng: np.random.Generator) -> Machine:
    """A machine of 2 or 4 cores."""
    return Machine(
        id=_id(rng), name="small", cores=int(rng.choice([2, 4])), memory_bytes=4 * GIB, programs_bytes=GIB,
        kernel_bytes=300 * 2**20, cache_bytes=GIB, swap_bytes=2 * GIB, parked_bytes=100 * 2**20,
        disks=(_flash("vda", rng), rotating("vdb")), swap_disk="vdb", links=(Link("eth0"),), touch_bytes_per_s=3e9,
    )  # fmt: skip


def medium(rng: np.random.Generator) -> Machine:
    """A machine of 8 or 16 cores."""
    return Machine(
        id=_id(rng), name="medium", cores=int(rng.choice([8, 16])), memory_bytes=32 * GIB, programs_bytes=6 * GIB,
        cache_bytes=8 * GIB, parked_bytes=200 * 2**20, links=(Link("ens1"), Link("ens2")), swap_disk="sdb",
        disks=(_flash("nvme0n1", rng), rotating("sdb"), rotating("sdc"), rotating("sdd"), rotating("sde")),
    )  # fmt: skip


def large(rng: np.random.Generator) -> Machine:
    """A machine of 64 cores."""
    return Machine(
        id=_id(rng), name="large", cores=64, memory_bytes=256 * GIB, programs_bytes=60 * GIB, kernel_bytes=6 * GIB,
        cache_bytes=80 * GIB, swap_bytes=16 * GIB, parked_bytes=GIB, touch_bytes_per_s=40e9,
        disks=(_flash("nvme0n1", rng), *(rotating(f"sd{chr(ord('a') + at)}") for at in range(23))), swap_disk="sda",
        links=tuple(Link(f"p{at}", 10_000_000_000) for at in range(16)),
    )  # fmt: skip


SIZES: dict[str, Callable[[np.random.Generator], Machine]] = {"small": small, "medium": medium, "large": large}


def ordinary(machine: Machine, rng: np.random.Generator) -> tuple[Work, ...]:
    """A service and its files, a little of everything, on every disk and the first link."""
    share = float(rng.uniform(*SHARE_OF_CORES))
    workers = max(machine.cores // 2, 2)
    service = Work(
        "service", workers=workers, intensity=share * machine.cores / workers, kernel_share=float(rng.uniform(0.1,
        0.3)),
        read_bytes_per_s=float(rng.uniform(0.3e6, 1.5e6)), read_size=32 * 1024,
        write_bytes_per_s=float(rng.uniform(0.2e6, 1e6)),
        write_size=32 * 1024, depth=4, waits=0.3, receive_bytes_per_s=float(rng.uniform(0.4e6, 3e6)),
        send_bytes_per_s=float(rng.uniform(0.5e6, 4e6)), memory_bytes=machine.memory_bytes // 50,
    )  # fmt: skip
    others = tuple(
        Work(
            f"files on {disk.name}", workers=1, intensity=0.01, disk=disk.name,
            read_bytes_per_s=float(rng.uniform(0.15e6, 0.5e6)),
            read_size=32 * 1024, write_bytes_per_s=float(rng.uniform(0.05e6, 0.2e6)), write_size=32 * 1024, depth=2,
            waits=0.3,
        )
        for disk in machine.disks[1:]
    )  # fmt: skip
    return (service, *others)


def _flash(name: str, rng: np.random.Generator) -> Disk:
    return Disk(name, service_s=float(rng.uniform(0.0001, 0.0004)), bytes_per_s=float(rng.uniform(0.4e9, 2e9)))


def _id(rng: np.random.Generator) -> UUID:
    return uuid5(LIBRARY, str(rng.integers(1 << 62)))
