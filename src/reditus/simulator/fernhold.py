"""The digitisation lab of the herbarium at Fernhold: made-up machines with made-up troubles, and the truth about them."""

from uuid import UUID, uuid5

from reditus.core.facts import DiskFacts, DiskRole, HostFacts, LinkFacts
from reditus.core.types import NS_PER_S
from reditus.simulator.host import SimulatedHost, simulate
from reditus.simulator.scenario import Cause, Machine, Priority, Scenario, Work

FERNHOLD = UUID("8d7cf6a4-3f3c-4e0f-8b52-0f3f7e1d6a55")
MINUTE_S = 60.0
BEGIN_NS = 1_794_474_000 * NS_PER_S  # Thursday 12 November 2026, 09:00 UTC

STITCH_01 = Machine(
    id=uuid5(FERNHOLD, "stitch-01"),
    name="stitch-01",
    cores=8,
    memory_bytes=32 * 2**30,
    disk="nvme0n1",
    disk_service_s=0.00035,
    disk_parallel=8,
    interface="ens4",
    facts=HostFacts(
        cores=8,
        memory_bytes=32 * 2**30,
        kernel="6.1.0-fernhold",
        model="made-up processor, 8 cores",
        disks={"nvme0n1": DiskFacts(DiskRole.DISK, (), rotational=False)},
        links={"ens4": LinkFacts(1_000_000_000, physical=True)},
    ),
)

STITCH_01_MORNING = Scenario(
    machine=STITCH_01,
    archive=uuid5(STITCH_01.id, "Thursday morning"),
    name="Thursday morning",
    begin_ns=BEGIN_NS,
    length_s=3_600,
    interval_s=1.0,
    seed=1871,
    works=(
        Work(
            "fetch sheets", 6.5 * MINUTE_S, 13 * MINUTE_S, workers=2, intensity=0.35, kernel_share=0.5,
            write_bytes_per_s=60e6, receive_bytes_per_s=62e6, send_bytes_per_s=0.9e6,
        ),
        Work(
            "stitch", 18 * MINUTE_S + 20, 33 * MINUTE_S + 45, workers=13, kernel_share=0.06, memory_bytes=11 * 2**30,
            read_bytes_per_s=45e6, write_bytes_per_s=12e6,
        ),
        Work(
            "contact sheets", 38 * MINUTE_S, 45 * MINUTE_S + 30, workers=8, priority=Priority.LOW, memory_bytes=3 * 2**30,
            read_bytes_per_s=18e6, write_bytes_per_s=4e6,
        ),
        Work("label reader", 49 * MINUTE_S + 15, 57 * MINUTE_S + 40, workers=1, core=5, memory_bytes=2**30),
        Work(
            "upload", 34 * MINUTE_S + 30, 41 * MINUTE_S, workers=1, intensity=0.3, kernel_share=0.6,
            read_bytes_per_s=38e6, send_bytes_per_s=38e6, receive_bytes_per_s=0.6e6,
        ),
    ),
    causes=(
        Cause(
            "cpu.saturated", 18 * MINUTE_S + 20, 33 * MINUTE_S + 45, is_problem=True,
            story="Thirteen stitching workers on eight cores: five of them wait at any time.",
        ),
        Cause(
            "cpu.busy_unwaited", 38 * MINUTE_S, 45 * MINUTE_S + 30, is_problem=False,
            story="Contact sheets at low priority fill every core, and make room for whoever comes.",
        ),
        Cause(
            "cpu.one_core", 49 * MINUTE_S + 15, 57 * MINUTE_S + 40, is_problem=True,
            story="The label reader has a single thread, bound to core 5; the machine's mean hides it.",
        ),
    ),
)  # fmt: skip

SCENARIOS = (STITCH_01_MORNING,)


def made_up() -> list[SimulatedHost]:
    """Every made-up archive that the demo shows."""
    return [simulate(scenario) for scenario in SCENARIOS]
