"""The library itself: which troubles on which machines, at which pace, with what missing."""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from itertools import cycle

import numpy as np

from reditus.core.frame import Frame
from reditus.core.frame_builder import assemble
from reditus.core.types import NS_PER_S
from reditus.core.window import Window
from reditus.simulator.host import simulate
from reditus.simulator.library import recipes
from reditus.simulator.library.machines import LIBRARY, SIZES, ordinary
from reditus.simulator.library.recipes import FEW_CORES, LOOK_ALIKES, NEEDS_EQUALS, PROBLEMS, Recipe, Trouble, When
from reditus.simulator.scenario import Fault, FaultKind, Machine, Scenario, Work

BEGIN_NS = 1_790_000_000 * NS_PER_S
PACES_S = (1.0, 5.0, 0.2, 15.0, 1.0, 60.0)
TICKS = (1_500, 2_400)
LONG_TICKS = 3_600
TIMES_EACH, TIMES_LOOK_ALIKE, PAIRS, RESTARTS = 6, 4, 36, 6
CAPTURE_TICKS = (85, 130)
"""A field capture of a minute or two, as taken during the trouble."""
WANT_TIME = {
    recipes.memory_pressure,
    recipes.swap_full,
    recipes.fs_filling,
    recipes.periodic,
    recipes.spike,
    recipes.memory_free_low,
    recipes.swap_occupied,
    recipes.load_blocked,
    recipes.disk_hot,
    recipes.memory_leak,
}
"""Recipes that need more than a minute or two to be reported from chance."""
NEED_STALL = {"io.limited", "io.stalled", "memory.cache_thrash", "memory.pressure", "cpu.quota"}
"""Kinds that nothing tells where the kernel has no stall totals, or hardly."""
WANTS_LENGTH_S = {"memory_free_low": 600.0, "swap_occupied": 600.0, "load_blocked": 900.0, "spike": 3_000.0}
"""What only looks like a problem is reported where it goes on for minutes; a spike is one in a long recording."""


@dataclass(frozen=True, slots=True)
class Truth:
    """One trouble, or look-alike, and when it was."""

    trouble: Trouble
    start_s: float
    end_s: float


@dataclass(frozen=True, slots=True)
class Case:
    """A recording with everything that is true of it."""

    name: str
    scenarios: tuple[Scenario, ...]
    """Mostly one; the machine restarted between two."""
    truths: tuple[Truth, ...]
    has_stall: bool = True

    @property
    def interval_s(self) -> float:
        """The tick interval, in seconds."""
        return self.scenarios[0].interval_s

    @property
    def window(self) -> Window:
        """From the first tick of the first recording to the last of the last."""
        last = self.scenarios[-1]
        return Window(self.scenarios[0].begin_ns, last.begin_ns + int(last.length_s * NS_PER_S))

    def frame(self) -> Frame:
        """All recordings of the case as one frame."""
        pieces = [
            piece
            for scenario in self.scenarios
            for piece in simulate(scenario).pieces()
            if self.has_stall or not piece.group.startswith("stall.")
        ]
        return Frame(assemble(pieces), self.scenarios[0].machine.facts)


def cases(seed: int = 1) -> Iterator[Case]:
    """Some two hundred and sixty, the same for the same seed."""
    rng = np.random.default_rng([seed, 8_191])
    paces, sizes = cycle(PACES_S), cycle(("small", "medium", "large", "medium", "small"))
    for recipe in PROBLEMS:
        for time in range(TIMES_EACH):
            size = _fitting(recipe, next(sizes))
            yield _single(recipe, size, next(paces), rng, without_stall=time == 2, with_gap=time == 3)
    for recipe in LOOK_ALIKES:
        for _ in range(TIMES_LOOK_ALIKE):
            yield _single(recipe, _fitting(recipe, next(sizes)), next(paces), rng)
    for recipe in (*PROBLEMS, *LOOK_ALIKES):
        if recipe not in WANT_TIME:
            yield _capture(recipe, _fitting(recipe, next(sizes)), rng)
    for at in range(PAIRS):
        yield _pair(rng, next(sizes), next(paces), overlapping=at % 3 == 0)
    for at in range(RESTARTS):
        yield _restart(rng, next(sizes), next(paces), at % 2 == 1)


def normal_days(seed: int = 1) -> Iterator[Case]:
    """Days on which nothing was wrong: 48 hours in all, on machines of every size."""
    rng = np.random.default_rng([seed, 131_071])
    for size, pace_s, hours in (("small", 1.0, 12), ("medium", 5.0, 12), ("large", 15.0, 12), ("medium", 60.0, 12)):
        machine = SIZES[size](rng)
        yield Case(
            f"normal/{size}/{pace_s:g}s",
            (_scenario(machine, ordinary(machine, rng), (), hours * 3_600, pace_s, rng),),
            (),
        )


def _fitting(recipe: Recipe, size: str) -> str:
    if recipe in FEW_CORES:
        return "small"
    return "medium" if recipe in NEEDS_EQUALS and size == "small" else size


def _single(
    recipe: Recipe,
    size: str,
    pace_s: float,
    rng: np.random.Generator,
    *,
    without_stall: bool = False,
    with_gap: bool = False,
) -> Case:
    if recipe in (recipes.spike, recipes.cache_growth):
        pace_s = 1.0  # at a slower pace some seconds are not even four ticks, and memory fills by itself in a day
    machine = SIZES[size](rng)
    base = ordinary(machine, rng)
    length_s = _length_s(recipe, pace_s, rng)
    when = _when(rng, length_s, pace_s, 0.3, 0.7)
    trouble = recipe(machine, base, when)
    gap = _gap(rng, when, pace_s, length_s) if with_gap else ()
    without_stall = without_stall and trouble.kind not in NEED_STALL
    name = f"{recipe.__name__}/{size}/{pace_s:g}s" + ("/no stall" if without_stall else "") + ("/gap" if gap else "")
    return _case(name, machine, base, ((trouble, when),), length_s, pace_s, rng, gap=gap, has_stall=not without_stall)


def _capture(recipe: Recipe, size: str, rng: np.random.Generator) -> Case:
    machine = SIZES[size](rng)
    base = ordinary(machine, rng)
    length_s = float(rng.integers(*CAPTURE_TICKS))
    when = _when(rng, length_s, 1.0, 0.2, 0.8)
    return _case(
        f"{recipe.__name__}/{size}/capture", machine, base, ((recipe(machine, base, when), when),), length_s, 1.0, rng
    )


def _pair(rng: np.random.Generator, size: str, pace_s: float, *, overlapping: bool) -> Case:
    """Two troubles of different resources, one after the other or at once."""
    names = [item for item in PROBLEMS if item not in (recipes.periodic, *NEEDS_EQUALS)]
    if overlapping:
        # A task that waits for its own memory uses less of everything else.
        names = [item for item in names if _resource(item) not in ("memory", "swap", "cache")]
    pool = (
        names
        if overlapping
        else [*names, *(item for item in LOOK_ALIKES if item not in (recipes.spike, recipes.cache_growth))]
    )
    first = pool[int(rng.integers(len(pool)))]
    length_s = max(float(rng.integers(*TICKS)) * pace_s, 1_200.0 if pace_s < 1 else 0.0)
    spans = ((0.3, 0.6), (0.3, 0.6)) if overlapping else ((0.15, 0.45), (0.55, 0.85))
    troubles: list[tuple[Trouble, When]] = []
    second = pool[int(rng.integers(len(pool)))]
    while _resource(second) == _resource(first) or (overlapping and _clash(first, second)):
        second = pool[int(rng.integers(len(pool)))]
    size = _fitting(second, _fitting(first, size))
    machine = SIZES[size](rng)
    base = ordinary(machine, rng)
    for recipe, (begin, end) in zip((first, second), spans, strict=True):
        when = _when(rng, length_s, pace_s, begin, end)
        trouble = recipe(machine, base, when)
        machine = trouble.machine or machine
        troubles.append((_renamed(trouble, len(troubles)), when))
    name = f"{first.__name__}+{second.__name__}/{size}/{pace_s:g}s" + ("/at once" if overlapping else "")
    return _case(name, machine, base, tuple(troubles), length_s, pace_s, rng)


def _restart(rng: np.random.Generator, size: str, pace_s: float, troubled: bool) -> Case:
    """The machine restarts in the middle; every other time with a trouble after it."""
    machine = SIZES[size](rng)
    base = ordinary(machine, rng)
    length_s = float(rng.integers(*TICKS)) * pace_s
    first = _scenario(machine, base, (), length_s / 2, pace_s, rng)
    again = replace(machine, id=SIZES[size](rng).id)
    works, truths = base, [Truth(Trouble("data.reset"), length_s / 2, length_s / 2 + 30 + 2 * pace_s)]
    if troubled:
        when = _when(rng, length_s / 2, pace_s, 0.4, 0.8)
        trouble = recipes.cpu_saturated(again, base, when)
        works = (*base, *trouble.works)
        offset_s = length_s / 2 + 30
        truths.append(Truth(trouble, when.start_s + offset_s, when.end_s + offset_s))
    second = replace(
        _scenario(again, works, (), length_s / 2, pace_s, rng),
        begin_ns=first.begin_ns + int((length_s / 2 + 30) * NS_PER_S),
    )
    return Case(f"restart/{size}/{pace_s:g}s", (first, second), tuple(truths))


def _case(
    name: str,
    machine: Machine,
    base: tuple[Work, ...],
    troubles: tuple[tuple[Trouble, When], ...],
    length_s: float,
    pace_s: float,
    rng: np.random.Generator,
    *,
    gap: tuple[Fault, ...] = (),
    has_stall: bool = True,
) -> Case:
    for trouble, _ in troubles:
        machine = trouble.machine or machine
    works = (*base, *(work for trouble, _ in troubles for work in trouble.works))
    faults = (*gap, *(fault for trouble, _ in troubles for fault in trouble.faults))
    truths = [Truth(trouble, trouble.begins_s or when.start_s, _end_s(trouble, when)) for trouble, when in troubles]
    truths += [Truth(Trouble("data.gap"), item.start_s, item.end_s) for item in gap]
    scenario = replace(_scenario(machine, works, faults, length_s, pace_s, rng))
    return Case(name, (scenario,), tuple(truths), has_stall)


def _scenario(
    machine: Machine,
    works: tuple[Work, ...],
    faults: tuple[Fault, ...],
    length_s: float,
    pace_s: float,
    rng: np.random.Generator,
) -> Scenario:
    return Scenario(
        machine=machine, archive=LIBRARY, name="", begin_ns=BEGIN_NS, length_s=int(length_s), interval_s=pace_s,
        seed=int(rng.integers(1 << 31)), works=works, faults=faults,
    )  # fmt: skip


def _when(rng: np.random.Generator, length_s: float, pace_s: float, begin: float, end: float) -> When:
    """Somewhere in that part of the recording; on a tick, for between two of them nothing is known."""
    start = float(rng.uniform(begin, begin + 0.3 * (end - begin))) * length_s
    stop = float(rng.uniform(end - 0.3 * (end - begin), end)) * length_s
    return When(round(start / pace_s) * pace_s, round(stop / pace_s) * pace_s, length_s, rng)


def _gap(rng: np.random.Generator, when: When, pace_s: float, length_s: float) -> tuple[Fault, ...]:
    """Some ticks are missing, away from the trouble's beginning."""
    at_s = when.end_s + 0.3 * (length_s - when.end_s)
    return (Fault(FaultKind.UNOBSERVED, at_s, at_s + float(rng.uniform(8, 30)) * pace_s),)


def _end_s(trouble: Trouble, when: When) -> float:
    """A look-alike that is a matter of the machine lasts as long as the recording."""
    if not trouble.works and not trouble.faults:
        return when.length_s
    if trouble.works and trouble.period_s is None and trouble.kind == "spike":
        return trouble.works[0].end_s
    return when.length_s if trouble.period_s is not None else when.end_s


def _length_s(recipe: Recipe, pace_s: float, rng: np.random.Generator) -> float:
    return max(float(rng.integers(*TICKS)) * pace_s, WANTS_LENGTH_S.get(recipe.__name__, 0.0))


def _resource(recipe: Recipe) -> str:
    return recipe.__name__.partition("_")[0]


DISKLIKE = ("memory", "swap", "disk", "io", "cache", "busy", "iowait", "load")
CORELIKE = ("cpu", "net", "periodic", "tasks")


def _clash(first: Recipe, second: Recipe) -> bool:
    """Two that act on the same part of a machine are not independent."""
    alike = [{_resource(item) in family for item in (first, second)} == {True} for family in (DISKLIKE, CORELIKE)]
    return any(alike)


def _renamed(trouble: Trouble, at: int) -> Trouble:
    """Works of two troubles have names of their own, and so have the faults that point at them."""
    names = {work.name: f"{work.name} {at + 1}" for work in trouble.works}
    return replace(
        trouble,
        works=tuple(replace(work, name=names[work.name]) for work in trouble.works),
        faults=tuple(replace(fault, device=names.get(fault.device, fault.device)) for fault in trouble.faults),
    )
