"""Pairs of recordings of which it is known what differs: the same machine at the same work, with one change or none."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from itertools import cycle

import numpy as np

from reditus.core.frame import Frame
from reditus.core.frame_builder import assemble
from reditus.core.types import NS_PER_S
from reditus.core.window import Window
from reditus.simulator.host import simulate
from reditus.simulator.library.cases import BEGIN_NS
from reditus.simulator.library.machines import LIBRARY, SIZES, ordinary
from reditus.simulator.scenario import Curve, Fault, FaultKind, Machine, Scenario, Work

PACES_S = (1.0, 5.0, 0.2, 15.0, 60.0)
TICKS = (900, 1_800)
DAY_S = 86_400
RHYTHM = Curve(hours=tuple(1 + 0.7 * float(np.sin(2 * np.pi * hour / 24)) for hour in range(24)))


@dataclass(frozen=True)
class Change:
    """One side's machine, work and faults against the other's, and how it shows."""

    what: str
    """More work, slower work, another mix, or the same; as the comparison words it."""
    shows_in: tuple[str, ...] = ()
    """Measures of which one has to stand among the first rows; none where nothing differs."""
    device: str | None = None
    machine: Machine | None = None
    """Of the window, where it is another."""
    works: tuple[Work, ...] | None = None
    """Of the window, where they are others."""
    before: tuple[Work, ...] | None = None
    """Of the reference, where more than the ordinary is done."""
    faults: tuple[Fault, ...] = ()


@dataclass(frozen=True)
class Pair:
    """Two recordings and the truth about them."""

    name: str
    window: Scenario
    reference: Scenario
    change: Change

    def frames(self) -> tuple[Frame, Frame]:
        """Window and reference."""
        return _frame(self.window), _frame(self.reference)


def _frame(scenario: Scenario) -> Frame:
    return Frame(assemble(list(simulate(scenario).pieces())), scenario.machine.facts)


def window_of(scenario: Scenario) -> Window:
    """From its first tick to its last."""
    return Window(scenario.begin_ns, scenario.begin_ns + scenario.length_s * NS_PER_S)


@dataclass(frozen=True)
class Given:
    """What a change is made of: the machine and its ordinary work, and the generator for what is random about it."""

    machine: Machine
    base: tuple[Work, ...]
    rng: np.random.Generator
    length_s: float


Recipe = Callable[[Given], Change]


def same(_: Given) -> Change:
    """Nothing differs."""
    return Change("same")


def same_day(given: Given) -> Change:
    """Nothing differs, and the work has a rhythm of hours."""
    works = tuple(replace(work, curve=RHYTHM) for work in given.base)
    return Change("same", works=works, before=works)


def slow_disk_by_day(given: Given) -> Change:
    """A disk that takes longer, on work that has a rhythm of hours."""
    works = tuple(replace(work, curve=RHYTHM) for work in given.base)
    return replace(slow_disk(given), works=works, before=works)


def more_work(given: Given) -> Change:
    """Everything is done more often."""
    factor = float(given.rng.uniform(1.5, 2.2))
    works = tuple(
        replace(
            work, intensity=work.intensity * factor, read_bytes_per_s=work.read_bytes_per_s * factor,
            write_bytes_per_s=work.write_bytes_per_s * factor, send_bytes_per_s=work.send_bytes_per_s * factor,
            receive_bytes_per_s=work.receive_bytes_per_s * factor,
        )
        for work in given.base
    )  # fmt: skip
    shows = ("cpu.user", "cpu.busy", "disk.read.rate", "disk.write.rate", "disk.read.requests", "disk.write.requests",
             "net.send.rate", "net.receive.rate", "net.receive.packets", "net.send.packets")  # fmt: skip
    return Change("more work", shows, works=works)


def slow_disk(given: Given) -> Change:
    """One disk takes longer for each request."""
    disk = given.machine.disks[int(given.rng.integers(1, len(given.machine.disks)))].name
    fault = Fault(FaultKind.SLOW_DISK, 0.0, given.length_s + 1, disk, float(given.rng.uniform(3, 12)))
    return Change(
        "slower work", ("disk.wait", "disk.read.wait", "disk.write.wait", "disk.queue"), disk, faults=(fault,)
    )


def less_memory(given: Given) -> Change:
    """Files that were kept in memory are read again and again once the machine has less of it."""
    machine = given.machine
    smaller = replace(machine, memory_bytes=int(machine.memory_bytes * 0.6), cache_bytes=machine.cache_bytes // 2)
    search = Work(
        "search", workers=2, intensity=0.1, files_bytes=int(0.68 * machine.memory_bytes - machine.programs_bytes),
        reread_bytes_per_s=float(given.rng.uniform(60e6, 120e6)), read_size=32 * 1024, waits=0.9, depth=4,
    )  # fmt: skip
    shows = ("memory.refaults", "memory.total", "memory.cache", "stall.memory.some", "memory.available",
             "disk.read.rate", "memory.faults.major", "disk.read.requests", "stall.io.some")  # fmt: skip
    works = (*given.base, search)
    return Change("slower work", shows, machine=smaller, works=works, before=works)


def fewer_cores(given: Given) -> Change:
    """The same work on one core fewer, or an eighth of many."""
    cores = given.machine.cores - max(given.machine.cores // 8, 1)
    intensity = float(given.rng.uniform(0.72, 0.8)) * (0.9 if cores < 3 else 1.0)
    works = (*given.base, Work("batch", workers=given.machine.cores, intensity=intensity))
    shows = ("cpu.waiting", "stall.cpu.some", "cpu.hottest")
    return Change("slower work", shows, machine=replace(given.machine, cores=cores), works=works, before=works)


def other_mix(given: Given) -> Change:
    """As many bytes, in larger requests."""
    factor = int(given.rng.choice([4, 8]))
    works = tuple(
        replace(work, read_size=work.read_size * factor, write_size=work.write_size * factor) for work in given.base
    )
    shows = ("disk.read.size", "disk.write.size", "disk.read.requests", "disk.write.requests")
    return Change("other mix", shows, works=works)


def stolen(given: Given) -> Change:
    """A neighbour on the same hypervisor takes its share."""
    works = (*given.base, Work("batch", workers=given.machine.cores, intensity=float(given.rng.uniform(0.3, 0.6))))
    fault = Fault(FaultKind.STEAL, 0.0, given.length_s + 1, "", float(given.rng.uniform(0.25, 0.5)))
    shows = ("cpu.steal", "cpu.waiting", "stall.cpu.some")
    return Change("slower work", shows, works=works, before=works, faults=(fault,))


def leaking(given: Given) -> Change:
    """A program that forgets what it took."""
    leak = Work(
        "forgetful", 0.0, given.length_s, workers=1, intensity=0.02,
        leak_bytes_per_s=given.machine.memory_bytes * float(given.rng.uniform(0.3, 0.5)) / given.length_s,
    )  # fmt: skip
    return Change("same", ("memory.programs", "memory.available", "memory.cache"), works=(*given.base, leak))


BY_DAY: tuple[Recipe, ...] = (same_day, slow_disk_by_day)
RECIPES: tuple[Recipe, ...] = (more_work, slow_disk, less_memory, fewer_cores, other_mix, stolen, leaking)


def pairs(seed: int = 1, *, alike: int = 40, each: int = 10) -> Iterator[Pair]:
    """`alike` pairs in which nothing differs, then `each` of every recipe; the same for the same seed."""
    rng = np.random.default_rng([seed, 524_287])
    paces, sizes = cycle(PACES_S), cycle(("small", "medium", "small"))
    for recipe, times in ((same, alike), *((recipe, each) for recipe in RECIPES)):
        for _ in range(times):
            yield _pair(recipe, next(sizes), next(paces), rng)
    for recipe in BY_DAY:
        for _ in range(each):
            yield _pair(recipe, next(sizes), 60.0, rng, days=1)


SISTER_MEMORY = 1.5


def sisters(seed: int = 1, *, each: int = 3) -> Iterator[Pair]:
    """Pairs of which the reference is of another machine that does the same: with more memory, and disks and interfaces
    of other names. `each` of every recipe that does not change the machine itself.
    """
    rng = np.random.default_rng([seed, 131_071])
    paces, sizes = cycle(PACES_S), cycle(("small", "medium", "small"))
    for recipe in (same, more_work, slow_disk, other_mix, stolen, leaking):
        for _ in range(each):
            pair = _pair(recipe, next(sizes), next(paces), rng)
            yield replace(pair, name=f"sister of {pair.name}", reference=_on_sister(pair.reference))


def _on_sister(scenario: Scenario) -> Scenario:
    machine = scenario.machine
    disks = {disk.name: f"vd{chr(97 + at)}" for at, disk in enumerate(machine.disks)}
    links = {link.name: f"ens{at + 3}" for at, link in enumerate(machine.links)}
    sister = replace(
        machine, name=f"{machine.name}-sister", memory_bytes=int(SISTER_MEMORY * machine.memory_bytes),
        disks=tuple(replace(disk, name=disks[disk.name], on=tuple(disks.get(own, own) for own in disk.on))
                    for disk in machine.disks),
        links=tuple(replace(link, name=links[link.name]) for link in machine.links),
        filesystems=tuple(replace(own, disk=disks.get(own.disk, own.disk)) for own in machine.filesystems),
        swap_disk=disks.get(machine.swap_disk, machine.swap_disk) if machine.swap_disk else machine.swap_disk,
    )  # fmt: skip
    works = tuple(
        replace(
            work, disk=disks.get(work.disk, work.disk) if work.disk else work.disk,
            link=links.get(work.link, work.link) if work.link else work.link,
        )
        for work in scenario.works
    )  # fmt: skip
    return replace(scenario, machine=sister, works=works)


def _pair(recipe: Recipe, size: str, pace_s: float, rng: np.random.Generator, days: int = 0) -> Pair:
    machine = SIZES[size](rng)
    base = ordinary(machine, rng)
    length_s = days * DAY_S or int(max(float(rng.integers(*TICKS)) * pace_s, 300))
    change = recipe(Given(machine, base, rng, float(length_s)))

    def scenario(host: Machine, works: tuple[Work, ...], faults: tuple[Fault, ...], day: int) -> Scenario:
        return Scenario(
            machine=host, archive=LIBRARY, name="", begin_ns=BEGIN_NS + day * DAY_S * NS_PER_S, length_s=length_s,
            interval_s=pace_s, seed=int(rng.integers(1 << 31)), works=works, faults=faults,
        )  # fmt: skip

    reference = scenario(machine, change.before or base, (), 0)
    window = scenario(change.machine or machine, change.works or base, change.faults, 1)
    return Pair(f"{recipe.__name__}/{size}/{pace_s:g}s", window, reference, change)
