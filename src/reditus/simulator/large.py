"""Large hosts, long times and many hosts, for benchmarks and for tests at scale: parameters of the same generator."""

from collections.abc import Iterator
from uuid import uuid5

from reditus.simulator.fernhold import FERNHOLD, HOUR_S, MIDNIGHT_NS, OFFICE
from reditus.simulator.scenario import GIB, Disk, Link, Machine, Priority, Scenario, Work, rotating


def large_host(
    name: str = "press-hall", *, cores: int = 64, disks: int = 24, links: int = 16, length_s: int = 7 * 86_400,
    interval_s: float = 1.0, seed: int = 1,
) -> Scenario:  # fmt: skip
    """A host with as many parts as requested, busy by day and at night, on every disk and link."""
    machine = Machine(
        id=uuid5(FERNHOLD, name),
        name=name,
        cores=cores,
        memory_bytes=4 * GIB * cores,
        disks=tuple(rotating(f"sd{at}") if at % 3 else Disk(f"nvme{at}n1") for at in range(disks)),
        links=tuple(Link(f"eth{at}", 10_000_000_000) for at in range(links)),
        packets_core=None,
    )
    return Scenario(
        machine=machine,
        archive=uuid5(machine.id, f"{length_s} s at {interval_s:g} s"),
        name=f"{length_s / 86_400:g} days",
        begin_ns=MIDNIGHT_NS,
        length_s=length_s,
        interval_s=interval_s,
        seed=seed,
        works=(
            *(
                Work(
                    f"press {at}", workers=max(cores // 8, 1), intensity=0.3, curve=OFFICE, disk=disk.name,
                    read_bytes_per_s=4e6, write_bytes_per_s=1e6, link=machine.links[at % links].name,
                    receive_bytes_per_s=6e6, send_bytes_per_s=20e6, memory_bytes=GIB, processes=1,
                )
                for at, disk in enumerate(machine.disks)
            ),
            Work("night run", 2 * HOUR_S, 4 * HOUR_S, every_s=86_400.0, workers=cores, priority=Priority.LOW),
        ),
    )  # fmt: skip


def many_hosts(count: int, *, length_s: int, interval_s: float = 1.0) -> Iterator[Scenario]:
    """Small hosts, each with a life of its own; one at a time, so that hundreds fit into memory."""
    for at in range(count):
        yield large_host(
            f"press-{at:03d}", cores=4, disks=2, links=2, length_s=length_s, interval_s=interval_s, seed=at + 1
        )
