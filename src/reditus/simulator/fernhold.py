"""The digitisation lab of the herbarium at Fernhold: made-up machines with made-up troubles, and the truth
about them.
"""

from dataclasses import dataclass, replace
from uuid import UUID, uuid5

from reditus.core.facts import GroupFacts
from reditus.core.types import NS_PER_S
from reditus.simulator.host import SimulatedHost, simulate
from reditus.simulator.scenario import (
    GIB,
    Cause,
    Curve,
    Disk,
    Episode,
    Fault,
    FaultKind,
    Filesystem,
    Habit,
    Link,
    LogLine,
    Machine,
    Priority,
    Scenario,
    Sensor,
    Work,
    over_network,
    rotating,
)

FERNHOLD = UUID("8d7cf6a4-3f3c-4e0f-8b52-0f3f7e1d6a55")
MINUTE_S, HOUR_S, DAY_S = 60.0, 3_600.0, 86_400.0
MIDNIGHT_NS = 1_794_441_600 * NS_PER_S  # Thursday 12 November 2026, 00:00 UTC
TWO_DAYS_S = 2 * 86_400
FRIDAY_S = DAY_S
OFFICE = Curve(
    hours=(0.1, 0.1, 0.1, 0.1, 0.1, 0.1, 0.2, 0.4, 0.8, 1.0, 1.0, 0.9, 0.6, 0.9, 1.0, 1.0, 0.9, 0.7, 0.4, 0.2, 0.15,
           0.1, 0.1, 0.1),
    weekdays=(1.0, 1.0, 1.0, 1.0, 0.9, 0.2, 0.1),
)  # fmt: skip


def at(hour: float, minute: float = 0, second: float = 0) -> float:
    """Seconds from Thursday's midnight."""
    return hour * HOUR_S + minute * MINUTE_S + second


STITCH_01 = Machine(
    id=uuid5(FERNHOLD, "stitch-01"), name="stitch-01", cores=8, memory_bytes=32 * GIB, programs_bytes=3 * GIB,
    disks=(Disk("nvme0n1"),), links=(Link("ens4"),), parked_bytes=300 * 2**20,
    filesystems=(Filesystem("/", "nvme0n1", 950 * GIB, 310 * GIB, kept=0.4),),
)  # fmt: skip


def _morning(offset_s: float) -> tuple[tuple[Work, ...], tuple[Cause, ...]]:
    """The hour in which stitching begins, `offset_s` after the recording does."""

    def when(minute: float, second: float = 0) -> float:
        return offset_s + minute * MINUTE_S + second

    works = (
        Work(
            "fetch sheets",
            when(6, 30),
            when(13),
            workers=2,
            intensity=0.35,
            kernel_share=0.5,
            write_bytes_per_s=60e6,
            receive_bytes_per_s=62e6,
            send_bytes_per_s=0.9e6,
            waits=0.05,
        ),
        Work(
            "stitch",
            when(18, 20),
            when(33, 45),
            workers=13,
            kernel_share=0.06,
            memory_bytes=11 * GIB,
            read_bytes_per_s=45e6,
            write_bytes_per_s=12e6,
            waits=0.2,
        ),
        Work(
            "contact sheets",
            when(38),
            when(45, 30),
            workers=8,
            priority=Priority.LOW,
            memory_bytes=3 * GIB,
            read_bytes_per_s=18e6,
            write_bytes_per_s=4e6,
            waits=0.1,
        ),
        Work("label reader", when(49, 15), when(57, 40), workers=1, core=5, memory_bytes=GIB),
        Work(
            "upload",
            when(34, 30),
            when(41),
            workers=1,
            intensity=0.3,
            kernel_share=0.6,
            read_bytes_per_s=38e6,
            send_bytes_per_s=38e6,
            receive_bytes_per_s=0.6e6,
            waits=0.1,
        ),
    )
    causes = (
        Cause(
            "cpu.saturated",
            when(18, 20),
            when(33, 45),
            is_problem=True,
            story="Thirteen stitching workers on eight cores: five of them wait at any time.",
        ),
        Cause(
            "cpu.busy_unwaited",
            when(38),
            when(45, 30),
            is_problem=False,
            story="Contact sheets at low priority fill every core, and make room for any other work.",
        ),
        Cause(
            "cpu.one_core",
            when(49, 15),
            when(57, 40),
            is_problem=True,
            device="5",
            story="The label reader has a single thread, bound to core 5; the machine's mean hides it.",
        ),
    )
    return works, causes


_WORKS, _CAUSES = _morning(0)
STITCH_01_MORNING = Scenario(
    machine=STITCH_01, archive=uuid5(STITCH_01.id, "Thursday morning"), name="Thursday morning",
    begin_ns=MIDNIGHT_NS + int(at(9)) * NS_PER_S, length_s=3_600, interval_s=1.0, seed=1871, works=_WORKS,
    causes=_CAUSES,
)  # fmt: skip
"""One hour of it for itself, every second."""


def _two_days(
    machine: Machine, seed: int, *, works: tuple[Work, ...], causes: tuple[Cause, ...], interval_s: float = 5.0,
    faults: tuple[Fault, ...] = (), lines: tuple[LogLine, ...] = (), habits: tuple[Habit, ...] = (),
) -> Scenario:  # fmt: skip
    return Scenario(
        machine=machine, archive=uuid5(machine.id, f"two days at {interval_s:g} s"), name="Thursday and Friday",
        begin_ns=MIDNIGHT_NS, length_s=TWO_DAYS_S, interval_s=interval_s, seed=seed, works=works, causes=causes,
        faults=faults, lines=lines, habits=habits,
    )  # fmt: skip


def _stitch() -> Scenario:
    works, causes = _morning(at(9))
    return _two_days(
        STITCH_01, 1871, interval_s=1.0,
        works=(
            *works,
            Work("previews", workers=3, intensity=0.25, curve=OFFICE, memory_bytes=600 * 2**20, read_bytes_per_s=6e6,
            write_bytes_per_s=2e6),
            Work(
                "stitch again", at(13, 5), at(15, 40), workers=11, kernel_share=0.06, memory_bytes=9 * GIB,
                read_bytes_per_s=38e6, write_bytes_per_s=10e6, waits=0.2,
            ),
            Work(
                "contact sheets at night", at(26), at(28, 30), workers=8, priority=Priority.LOW, memory_bytes=3 * GIB,
                read_bytes_per_s=18e6, write_bytes_per_s=4e6, waits=0.1,
            ),
            Work("label reader on Friday", at(34, 10), at(35, 45), workers=1, core=5, memory_bytes=GIB),
        ),
        causes=(
            *causes,
            Cause("cpu.saturated", at(13, 5), at(15, 40), is_problem=True,
                  story="The plates of the morning are stitched again, with eleven workers."),
            Cause("cpu.busy_unwaited", at(26), at(28, 30), is_problem=False,
                  story="Contact sheets at low priority, at night, when no other work needs a core."),
            Cause("cpu.one_core", at(34, 10), at(35, 45), is_problem=True, device="5",
                  story="The label reader again: one of eight cores is full, and the machine's mean says an eighth."),
        ),
        lines=(
            LogLine(at(9, 17, 40), "notice", "imaging[812]", "job 4417: 212 plates queued, 13 workers"),
            LogLine(at(9, 21, 4), "warning", "imaging[812]", "job 4417: plate 31 took 14.2 s, expected 8"),
            LogLine(at(9, 33, 45), "notice", "imaging[812]", "job 4417: done"),
            LogLine(at(13, 5), "notice", "imaging[812]", "job 4423: 1,180 plates queued, 11 workers"),
            LogLine(at(15, 40), "notice", "imaging[812]", "job 4423: done"),
            LogLine(at(34, 40), "warning", "labels[977]", "reader 1 is 300 labels behind"),
        ),
    )  # fmt: skip


LEAFDB = Machine(
    id=uuid5(FERNHOLD, "leafdb"), name="leafdb", cores=4, memory_bytes=16 * GIB, swap_bytes=2 * GIB, swap_disk="sdb",
    disks=(Disk("sda"), rotating("sdb")), links=(Link("eth0"),), programs_bytes=2 * GIB, cache_bytes=9 * GIB,
    touch_bytes_per_s=1.2e9,
    filesystems=(Filesystem("/", "sda", 470 * GIB, 190 * GIB, kept=0.5),),
    listens=((22, "sshd", "root"), (5432, "catalogue", "leafdb")),
    limits=(
        ("lab/catalogue", GroupFacts(memory_high_bytes=12 * GIB, tasks=4_915)),
        ("lab/dump", GroupFacts(cores=1.0, memory_bytes=GIB, io=("8:0 wbps=104857600",))),
    ),
)  # fmt: skip
LEAK_BYTES_PER_S = 104_000.0


def _leafdb() -> Scenario:
    return _two_days(
        LEAFDB, 1902,
        works=(
            Work(
                "catalogue", workers=6, intensity=0.16, kernel_share=0.2, curve=None, memory_bytes=5 * GIB,
                files_bytes=6 * GIB, reread_bytes_per_s=45e6, read_size=32 * 1024, write_bytes_per_s=1.5e6,
                write_size=16 * 1024, waits=0.6, depth=6, receive_bytes_per_s=0.8e6, send_bytes_per_s=2.2e6,
                user="leafdb",
            ),
            Work(
                "indexer", start_s=at(6), workers=1, intensity=0.12, memory_bytes=200 * 2**20,
                leak_bytes_per_s=LEAK_BYTES_PER_S, write_bytes_per_s=0.4e6, user="leafdb",
            ),
            Work(
                "nightly dump", at(1), at(1, 25), every_s=DAY_S, workers=1, intensity=0.5, read_bytes_per_s=60e6,
                write_bytes_per_s=20e6, depth=2, user="leafdb",
            ),
        ),
        causes=(
            Cause("memory.leak", at(6), at(32, 30), is_problem=True,
                  story="The indexer forgets nothing: 104 kB a second, for more than a day."),
            Cause("memory.cache_thrash", at(18), at(32, 30), is_problem=True, because_of="memory.leak",
                  story="The catalogue's files no longer fit beside it: from noon some are read again from sda, by "
                        "evening so many that tasks wait for them."),
            Cause("memory.pressure", at(23, 24), at(32, 30), is_problem=True, because_of="memory.leak",
                  story="Hardly anything is available, and tasks lose more and more time to it."),
            Cause("swap.thrashing", at(27, 10), at(32, 30), is_problem=True, because_of="memory.leak",
                  story="What programs use no longer fits: pages go to sdb and come back."),
            Cause("disk.saturated", at(27, 40), at(32, 30), is_problem=True, device="sdb", because_of="swap.thrashing",
                  story="sdb carries nothing but swap, and cannot do more than about a hundred and eighty requests a "
                        "second."),
            Cause("memory.oom_kill", at(32, 25), at(32, 35), is_problem=True, because_of="memory.leak",
                  story="Swap is full; the kernel ends the indexer, and everything is well again."),
            Cause("disk.busy_steady", at(1), at(1, 25), is_problem=False, device="sda",
                  story="The nightly dump reads and writes; the disk answers as fast as ever."),
        ),
        lines=(
            LogLine(at(6), "notice", "indexer[1203]", "started, 41 million sheets to look at"),
            LogLine(at(29, 30), "warning", "catalogue[1188]", "a query took 9.4 s, usually 0.2 s"),
            LogLine(at(30, 12), "error", "catalogue[1188]", "12 clients gave up waiting"),
            LogLine(at(32, 40), "notice", "indexer[1203]", "gone; not started again"),
        ),
        habits=(
            Habit(
                "catalogue.log", "catalogue[1188]", 40.0,
                ("sheet # of drawer 14 shown", "search for Rosa: # sheets", "# sheets saved by imaging"), OFFICE,
                (
                    Episode(at(27, 20), at(32, 32), 24.0, "warning", ("a query took #.1 s, usually 0.2 s",)),
                    Episode(at(30), at(32, 32), 9.0, "error",
                            ("timeout: # clients gave up waiting", "timeout: no answer from the index within 30 s")),
                ),
            ),
            Habit("indexer.log", "indexer[1203]", 12.0, ("# thousand sheets looked at", "shelf # is done"), Curve(),
                  (Episode(at(27, 20), at(32, 30), 6.0, "warning", ("shelf # took longer than the last hundred",)),)),
        ),
    )  # fmt: skip


VAULT_DISKS = tuple(f"sd{letter}" for letter in "bcdefg")
VAULT = Machine(
    id=uuid5(FERNHOLD, "vault"), name="vault", cores=8, memory_bytes=32 * GIB, swap_disk="sda",
    disks=(Disk("md0", on=VAULT_DISKS), *(rotating(name) for name in VAULT_DISKS), Disk("sda")),
    links=(Link("eno1", 10_000_000_000),), cache_bytes=20 * GIB, packets_core=None,
    filesystems=(
        Filesystem("/", "sda", 230 * GIB, 61 * GIB, kept=0.5),
        Filesystem("/srv/pictures", "md0", 36_000 * GIB, 30_900 * GIB, kept=0.9, kind="xfs", options="rw,noatime"),
    ),
    sensors=(
        Sensor("hwmon0 coretemp temp1", "Package id 0", 38.0, 71.0, high=85.0, critical=95.0),
        Sensor("hwmon1 board temp2", "Board", 34.0, 41.0, memory_s=900.0, high=55.0, critical=65.0),
        Sensor("hwmon1 board fan1", "Front fan", 1_150.0, 1_900.0, memory_s=300.0, is_fan=True),
        *(
            Sensor(f"hwmon{at} drivetemp temp1", name, 33.0, 37.0, memory_s=1_800.0, high=55.0, critical=60.0)
            for at, name in enumerate(VAULT_DISKS, 2)
        ),
    ),
)  # fmt: skip


def _vault() -> Scenario:
    return _two_days(
        VAULT, 1911,
        works=(
            Work(
                "file server", workers=8, intensity=0.12, kernel_share=0.6, curve=OFFICE, disk="md0",
                read_bytes_per_s=42e6,
                write_bytes_per_s=12e6, depth=24, waits=0.3, send_bytes_per_s=42e6, receive_bytes_per_s=12e6,
            ),
            Work(
                "scrub", at(1), at(5), every_s=DAY_S, workers=1, intensity=0.4, kernel_share=0.9, disk="md0",
                read_bytes_per_s=900e6, read_size=512 * 1024, depth=6, waits=0.0, user="root",
            ),
        ),
        faults=(
            Fault(FaultKind.SLOW_DISK, at(27, 15), at(48), "sdd", 7.0),
            Fault(FaultKind.WARM_ROOM, at(13, 40), at(14, 20), factor=9.0),
            Fault(FaultKind.WARM_ROOM, at(14, 20), at(16, 30), factor=17.0),
            Fault(FaultKind.HEAT, at(14, 35), at(16, 30), factor=0.8),
        ),
        causes=(
            Cause("disk.busy_steady", at(1), at(5), is_problem=False, device="md0",
                  story="The nightly scrub keeps every disk busy with one request at a time; each answers as it always "
                        "does."),
            Cause("disk.busy_steady", at(25), at(27, 15), is_problem=False, device="md0",
                  story="The scrub of the second night, until one disk falls behind."),
            Cause("cpu.thermal", at(14, 35), at(16, 30), is_problem=True,
                  story="Thursday afternoon the room's cooling stood still: everything is seventeen degrees warmer, "
                        "and the cores are slowed down."),
            Cause("disk.slow", at(27, 15), at(48), is_problem=True, device="sdd",
                  story="From 03:15 sdd needs seven times as long for every request; the volume is as slow as its "
                        "slowest disk."),
        ),
        lines=(
            LogLine(at(1), "informational", "kernel", "md: data-check of RAID array md0"),
            LogLine(at(14, 35, 20), "warning", "kernel", "CPU2: Core temperature above threshold, cpu clock throttled"),
            LogLine(at(16, 30, 5), "informational", "kernel", "CPU2: Core temperature/speed normal"),
            LogLine(at(25), "informational", "kernel", "md: data-check of RAID array md0"),
            LogLine(at(27, 16, 12), "warning", "kernel", "sd 3:0:0:0: [sdd] tag#11 timing out command, waited 30s"),
            LogLine(at(27, 44, 50), "warning", "diskwatch[702]", "sdd: 8 sectors pending"),
        ),
        habits=(
            Habit(
                "pictures.log", "fileserver[911]", 50.0, ("# pictures read by stitch-01", "# pictures stored"), OFFICE,
                (Episode(at(31), at(48), 5.0, "warning", ("plate # took 2.4 s to read, usually 0.3 s",)),),
            ),
        ),
    )  # fmt: skip


WEEKS_BEFORE = 3
CREEPS_S, BENCH_4_S = at(6 * 24), at(12 * 24 + 9)
"""From the beginning of the weeks before: when requests began to take longer, and when bench 4 began to scan."""
ONCE_FASTER = 0.6
GROWN_BYTES = 5_390 * GIB
"""By so much the pictures grew in those weeks."""


def _vault_before() -> Scenario:
    """The weeks before the two days, as a slow recorder saw them: the pictures' filesystem fills, and with that
    requests of each disk take longer, a little more every day.
    """
    days = WEEKS_BEFORE * 7
    machine = replace(
        VAULT,
        filesystems=(
            replace(VAULT.filesystems[0], used_bytes=VAULT.filesystems[0].used_bytes - 2 * GIB),
            replace(VAULT.filesystems[1], used_bytes=VAULT.filesystems[1].used_bytes - GROWN_BYTES),
        ),
    )
    steps = [
        (
            day * DAY_S,
            ONCE_FASTER + (1 - ONCE_FASTER) * max(day * DAY_S + DAY_S / 2 - CREEPS_S, 0) / (days * DAY_S - CREEPS_S),
        )
        for day in range(days)
    ]
    before = Work(
        "file server", 0.0, BENCH_4_S, workers=8, intensity=0.08, kernel_share=0.6, curve=OFFICE, disk="md0",
        read_bytes_per_s=28e6, write_bytes_per_s=8e6, depth=24, waits=0.3, send_bytes_per_s=28e6,
        receive_bytes_per_s=8e6,
    )  # fmt: skip
    return Scenario(
        machine=machine, archive=uuid5(VAULT.id, "three weeks before"), name="Three weeks before",
        begin_ns=MIDNIGHT_NS - days * 86_400 * NS_PER_S, length_s=days * 86_400 - 300, interval_s=300.0, seed=1912,
        works=(
            before,
            replace(
                before, start_s=BENCH_4_S, end_s=days * DAY_S, intensity=0.12, read_bytes_per_s=42e6,
                write_bytes_per_s=12e6, send_bytes_per_s=42e6, receive_bytes_per_s=12e6,
            ),
            Work(
                "scrub", at(1), at(5), every_s=DAY_S, workers=1, intensity=0.4, kernel_share=0.9, disk="md0",
                read_bytes_per_s=900e6, read_size=512 * 1024, depth=6, waits=0.0, user="root",
            ),
        ),
        causes=(
            Cause("disk.busy_steady", at(1), days * DAY_S, is_problem=False, device="md0",
                  story="Every night the scrub."),
        ),
        faults=tuple(
            Fault(FaultKind.SLOW_DISK, start_s, start_s + DAY_S, name, factor)
            for start_s, factor in steps
            for name in VAULT_DISKS
        ),
        lines=(LogLine(BENCH_4_S, "notice", "fileserver[911]", "bench 4 connected"),),
    )  # fmt: skip


SCAN_GATE = Machine(
    id=uuid5(FERNHOLD, "scan-gate"), name="scan-gate", cores=4, memory_bytes=8 * GIB,
    disks=(Disk("nvme0n1"),), links=(Link("enp1s0"), Link("enp2s0")), cache_bytes=4 * GIB, packet_cost_s=3.4e-6,
    filesystems=(Filesystem("/", "nvme0n1", 1_900 * GIB, 800 * GIB, kept=0.05),),
    listens=((22, "sshd", "root"), (8021, "receive-scans", "lab")),
)  # fmt: skip


def _scan_gate() -> Scenario:
    return _two_days(
        SCAN_GATE, 1925,
        works=(
            Work(
                "receive scans", workers=4, intensity=0.1, kernel_share=0.5, curve=OFFICE, link="enp2s0",
                receive_bytes_per_s=22e6, write_bytes_per_s=22e6, packet_bytes=900, waits=0.05,
            ),
            Work(
                "upload", at(10, 30), at(12, 10), every_s=DAY_S, workers=4, intensity=0.2, kernel_share=0.7,
                send_bytes_per_s=150e6, receive_bytes_per_s=1.5e6, read_bytes_per_s=110e6, depth=16, waits=0.1,
            ),
            Work(
                "scanner flood", at(14, 20), at(15, 10), every_s=DAY_S, workers=2, intensity=0.15, kernel_share=0.5,
                link="enp2s0", receive_bytes_per_s=105e6, packet_bytes=340, write_bytes_per_s=60e6, waits=0.05,
            ),
        ),
        causes=(
            Cause("net.saturated", at(10, 30), at(12, 10), is_problem=True, device="enp1s0",
                  story="Uploads ask for more than the line carries; segments are lost and sent again."),
            Cause("cpu.interrupts", at(14, 20), at(15, 10), is_problem=True, device="0",
                  story="Small packets by the hundred thousand: core 0 takes all of them, and its backlog overflows."),
            Cause("net.loss", at(14, 20), at(15, 10), is_problem=True, because_of="cpu.interrupts",
                  story="What the backlog drops is sent again."),
            Cause("net.saturated", at(34, 30), at(36, 10), is_problem=True, device="enp1s0",
                  story="The same upload on Friday."),
            Cause("cpu.interrupts", at(38, 20), at(39, 10), is_problem=True, device="0",
                  story="The scanners of Friday afternoon."),
        ),
        lines=(
            LogLine(at(10, 30), "notice", "upload[640]", "batch 88: 870 GB to send"),
            LogLine(at(11, 2), "warning", "upload[640]", "batch 88: at this pace until 12:10, planned 11:30"),
            LogLine(at(14, 23), "error", "scanner[655]", "bench 3: 14 images arrived incomplete"),
        ),
    )  # fmt: skip


READING_ROOM = Machine(
    id=uuid5(FERNHOLD, "reading-room"), name="reading-room", cores=4, memory_bytes=16 * GIB,
    disks=(Disk("vda"), over_network("vdb")), links=(Link("eth0"),), parked_bytes=1_900 * 2**20, cache_bytes=11 * GIB,
    filesystems=(
        Filesystem("/", "vda", 230 * GIB, 96 * GIB, kept=0.2),
        Filesystem("/var/store", "vdb", 2_000 * GIB, 640 * GIB),
    ),
)  # fmt: skip


def _reading_room() -> Scenario:
    return _two_days(
        READING_ROOM, 1931,
        works=(
            Work("catalogue pages", workers=4, intensity=0.15, curve=OFFICE, memory_bytes=GIB, read_bytes_per_s=1.5e6,
                 send_bytes_per_s=3e6, receive_bytes_per_s=0.4e6),
            Work(
                "refresh index", at(0, 4), at(0, 5, 30), every_s=15 * MINUTE_S, workers=2, intensity=0.8,
                read_bytes_per_s=45e6, write_bytes_per_s=8e6, depth=4,
            ),
            Work(
                "backup", at(2), at(3, 30), every_s=DAY_S, workers=1, intensity=0.25, kernel_share=0.6,
                read_bytes_per_s=2e9, read_size=512 * 1024, depth=1, send_bytes_per_s=55e6, waits=1.0, user="root",
            ),
            Work("thumbnails", at(12), at(13), workers=4, priority=Priority.LOW, read_bytes_per_s=5e6, waits=0.1),
            Work("a crowd at once", at(16, 20), at(16, 20, 20), workers=9),
            Work(
                "copy to the store", at(19), at(19, 20), workers=8, intensity=0.03, disk="vdb", read_bytes_per_s=1e9,
                depth=8, waits=1.0, processes=2,
            ),
        ),
        faults=(Fault(FaultKind.UNOBSERVED, at(31, 10), at(31, 13)),),
        causes=(
            Cause("swap.occupied", at(0), at(48), is_problem=False, story="1.9 GiB were swapped out long ago; no "
                                                                          "program reads them."),
            Cause("memory.free_low", at(2, 5), at(48), is_problem=False, story="Free memory is small because files "
                                                                               "fill it; available is ample."),
            Cause("disk.busy_steady", at(2), at(3, 30), is_problem=False, device="vda",
                  story="One reader, one request at a time: always busy, never slow."),
            Cause("io.iowait_harmless", at(2), at(3, 30), is_problem=False, story="iowait is idle time beside that one "
                                                                                  "reader."),
            Cause("cpu.busy_unwaited", at(12), at(13), is_problem=False, story="Thumbnails at low priority."),
            Cause("spike", at(16, 20), at(16, 20, 20), is_problem=False, story="Twenty seconds, once."),
            Cause("load.blocked", at(19), at(19, 20), is_problem=False, device="vdb",
                  story="Eight tasks wait for a store over the network that answers as it always does: load, but no "
                        "lack of cores."),
            Cause("data.gap", at(31, 10), at(31, 13), is_problem=False, story="The recorder was updated."),
        ),
        lines=(
            LogLine(at(2), "informational", "backup[501]", "started"),
            LogLine(at(3, 30), "informational", "backup[501]", "done, 4 files changed while they were read"),
            LogLine(at(31, 10), "notice", "lab[1]", "recorder stopped for an update"),
            LogLine(at(31, 13), "notice", "lab[1]", "recorder started"),
        ),
    )  # fmt: skip


@dataclass(frozen=True, slots=True)
class DemoArchive:
    """An archive of the demo: a scenario, and every how many of its ticks were recorded."""

    scenario: Scenario
    by: int = 1


STITCH_01_TWO_DAYS = _stitch()
STORY = DemoArchive(STITCH_01_TWO_DAYS, by=5)
"""Where the story begins."""
SWAPPED = DemoArchive(_leafdb())
ARCHIVES = (
    STORY,
    SWAPPED,
    DemoArchive(_vault()),
    DemoArchive(_scan_gate()),
    DemoArchive(_reading_room()),
    DemoArchive(STITCH_01_TWO_DAYS),
)
EARLIER = (DemoArchive(_vault_before()),)
"""What came before: long, and at coarse ticks."""
STORY_BEGINS_S, STORY_SHOWS_S = at(9), HOUR_S


def simulated() -> list[SimulatedHost]:
    """The hour for itself, whole in memory: small enough for tests and pictures."""
    return [simulate(STITCH_01_MORNING)]
