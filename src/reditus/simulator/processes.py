"""Whose work it was: processes own what they use, and add up to the machine."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from reditus.core.identities import Identity
from reditus.core.kernel_columns import PAGE_BYTES, TICKS_PER_S, cpu_time
from reditus.core.processes import AMOUNTS, PLACES, SLOTS, STATES, WAITED, slot_columns, whole_columns
from reditus.core.schema import Column
from reditus.core.types import NS_PER_S, FloatArray, IntArray
from reditus.simulator.counting import Tally
from reditus.simulator.demand import Load
from reditus.simulator.disks import Served
from reditus.simulator.memory import Wants
from reditus.simulator.processor import UPTIME_S, Running
from reditus.simulator.scenario import Priority, Scenario, Work

FIRST_PID = 400
RUN_PIDS = 2_000
"""Each run of a work that comes again has numbers of its own, up to so many apart."""
APART_S = 120.0
"""Between two that share a slot, at least: they are never of one tick."""
OWN_SHARE = 0.985
"""Of what the machine used, this much at most is of the processes in slots."""
OTHERS = 61
"""Processes that sleep nearly all the time, and are in no slot."""


class Processes:
    """Every work is one or several processes, each in a slot of its own while it runs."""

    def __init__(self, scenario: Scenario, works: tuple[Work, ...]) -> None:
        self._scenario = scenario
        self._placed = _placed(works)
        # Pids of a later run lie beyond those of all processes of the run before.
        self._apart = max(SLOTS, sum(work.process_count for work in works))
        self._tally = Tally()
        self._busy_before: list[IntArray | None] = [None, None]
        self._described: set[tuple[int, int]] = set()
        self.new: list[Identity] = []
        """Who runs for the first time, in the part that was made last."""

    def counters(
        self, at_s: FloatArray, loads: list[Load], cpu: dict[Column, IntArray], running: Running,
        served: dict[str, Served], wants: Wants, bottom: dict[int, tuple[str, ...]], hung: FloatArray,
    ) -> dict[Column, IntArray]:  # fmt: skip
        """Counters of the process slots. `hung` counts the tasks that hang in the kernel; they are in no slot."""
        ticks, interval_s = len(at_s), self._scenario.interval_s
        self.new = []
        used = [self._grown(0, cpu, ("user", "nice")), self._grown(1, cpu, ("system",))]
        slots = np.zeros((SLOTS, 4 + len(AMOUNTS), ticks), dtype=np.int64)
        resident_share = 1.0 - wants.over / np.maximum(
            sum((load.memory for load in loads), np.full(ticks, float(self._scenario.machine.programs_bytes))),
            1.0,
        )
        parts = np.zeros((len(self._placed), 2, ticks))
        waits: dict[int, FloatArray] = {}
        for place, part in zip(self._placed, parts, strict=True):
            one = loads[place.work]
            grant = running.low_granted if one.work.priority is Priority.LOW else running.granted
            cores = one.cpu * one.progress * np.minimum(grant, 1.0) / one.work.process_count
            in_kernel = cores * one.work.kernel_share
            part[:] = np.stack([cores - in_kernel, in_kernel]) * interval_s * TICKS_PER_S
            # Of what it would have run it waited for what it was not granted.
            waits[place.index] = cores * (1.0 / np.maximum(np.minimum(grant, 1.0), 1e-6) - 1.0)
        owned = parts.sum(axis=0)
        waits_scale = np.minimum(1.0, running.waiting * OWN_SHARE / np.maximum(sum(waits.values()), 1e-9))
        # Never more than the machine tells; what is left is everyone else's.
        scale = np.minimum(1.0, np.stack(used) * OWN_SHARE / np.maximum(owned, 1e-9))
        for place, part in zip(self._placed, parts, strict=True):
            one = loads[place.work]
            own = self._own(place, one, part * scale, np.stack(used), served, bottom, wants, resident_share)
            own[len(PLACES) + WAITED] = waits[place.index] * waits_scale * interval_s * NS_PER_S * (one.on > 0)
            # Works that are never there at the same time share a slot.
            slots[place.slot] = np.where(one.on > 0, own, slots[place.slot])
            self._report(one.work, place.number, own[0], own[1])
        whole = np.zeros((len(AMOUNTS) + len(STATES), ticks), dtype=np.int64)
        # Two at once may be floored a tick too high together; the sum is the machine's, and slots give way.
        self._fit(slots, used)
        # A work that found no slot has its part in the sums.
        moved = self._moved(loads, wants)
        whole[: len(AMOUNTS)] = slots[:, 4:].sum(axis=0)
        whole[0:2] = used
        held = sum((load.memory for load in loads), np.full(ticks, float(self._scenario.machine.programs_bytes)))
        whole[2] = np.maximum(whole[2], held * resident_share / PAGE_BYTES)
        whole[3:5] = np.maximum(whole[3:5], moved)
        whole[8] += OTHERS
        whole[WAITED] = np.maximum(whole[WAITED], running.waiting * interval_s * NS_PER_S)
        for at, letter in enumerate(STATES):
            whole[len(AMOUNTS) + at] = ((slots[:, 2] == ord(letter)) & (slots[:, 0] > 0)).sum(axis=0)
        whole[len(AMOUNTS) + STATES.index("S")] += OTHERS
        whole[len(AMOUNTS) + STATES.index("D")] += np.round(hung).astype(np.int64)
        columns = dict(zip(whole_columns(), whole, strict=True))
        for slot in range(SLOTS):
            columns |= dict(zip(slot_columns(slot), slots[slot], strict=True))
        return columns

    def _own(
        self, place: "_Place", one: Load, part: FloatArray, used: IntArray,
        served: dict[str, Served], bottom: dict[int, tuple[str, ...]], wants: Wants, resident_share: FloatArray,
    ) -> IntArray:  # fmt: skip
        """A process's columns, shape (places and amounts, ticks)."""
        ticks, interval_s, count = part.shape[1], self._scenario.interval_s, one.work.process_count
        on, index = one.on > 0, place.index
        out = np.zeros((4 + len(AMOUNTS), ticks), dtype=np.int64)
        # Whole ticks whose rounding is made up later would be counted to an interval that is over; they are dropped.
        time = np.minimum(np.floor(part + self._noise(index, ticks)).astype(np.int64), used)
        run = one.run.astype(np.int64)
        out[0] = (FIRST_PID + index * 17 + run % RUN_PIDS * self._apart * 17) * on
        out[1] = self._starts(one, run) * on
        state = np.where(one.cpu * np.asarray(one.progress) > 0.5 * count, ord("R"), ord("S"))
        waits = self._waiting(one, served, bottom[place.work], wants.missed)
        out[2] = np.where(waits > 0.5 * count, ord("D"), state) * on
        out[3] = one.work.core if one.work.core is not None else (index * 3) % self._scenario.machine.cores
        out[4:6] = time * on
        out[6] = one.memory * resident_share / count / PAGE_BYTES
        out[7] = self._tally_step(
            ("read", index), (one.read + one.reread * wants.missed) * one.progress * interval_s / count
        )
        out[8] = self._tally_step(("write", index), one.write * one.progress * interval_s / count)
        out[11] = np.minimum(waits / count, 1.0) * interval_s * TICKS_PER_S * on
        out[12] = on * max(1, one.work.workers // count)
        return out

    def _moved(self, loads: list[Load], wants: Wants) -> IntArray:
        """Bytes that all works together read and wrote in each interval."""
        interval_s = self._scenario.interval_s
        zero = np.zeros(len(loads[0].on))
        read = sum(((load.read + load.reread * wants.missed) * load.progress for load in loads), zero)
        written = sum((load.write * load.progress for load in loads), zero)
        return np.stack(
            [self._tally_step(("read", -1), read * interval_s), self._tally_step(("write", -1), written * interval_s)]
        )

    def _grown(self, place: int, cpu: dict[Column, IntArray], modes: tuple[str, ...]) -> IntArray:
        """Clock ticks that the machine spent in these modes, interval by interval."""
        total = np.add.reduce([cpu[cpu_time(mode)] for mode in modes])
        before = self._busy_before[place]
        self._busy_before[place] = total[-1:].copy()
        grown: IntArray = np.diff(total, prepend=total[:1] if before is None else before)
        return grown

    def _noise(self, slot: int, ticks: int) -> FloatArray:
        """A different place between two whole numbers at each tick, so that flooring is right in the mean."""
        places: FloatArray = np.mod((np.arange(ticks) + slot * 7) * 0.6180339887, 1.0)
        return places

    def _fit(self, slots: IntArray, used: list[IntArray]) -> None:
        for place, total in enumerate(used):
            over = np.maximum(slots[:, 4 + place].sum(axis=0) - total, 0)
            for slot in range(SLOTS):
                if not over.any():
                    break
                taken = np.minimum(over, slots[slot, 4 + place])
                slots[slot, 4 + place] -= taken
                over -= taken

    def _tally_step(self, key: tuple[str, int], amount: FloatArray) -> IntArray:
        before = self._tally(key, np.zeros(1))[0]
        return np.diff(self._tally(key, amount), prepend=before)

    def _waiting(self, load: Load, served: dict[str, Served], below: tuple[str, ...], missed: FloatArray) -> FloatArray:
        """Tasks of the work that wait for its disks, by Little's law."""
        waits = np.zeros(len(load.on))
        for name in below:
            disk = served[name]
            waits += (
                (load.read + load.reread * missed) * load.progress / load.work.read_size / len(below) * disk.read_wait_s
            )
            waits += load.write * load.progress / load.work.write_size / len(below) * disk.write_wait_s
        return waits * load.work.waits

    def _starts(self, load: Load, run: IntArray) -> IntArray:
        every_s = load.work.every_s or 0.0
        return ((UPTIME_S + load.work.start_s + run * every_s) * TICKS_PER_S).astype(np.int64)

    def _report(self, work: Work, number: int, pids: IntArray, starts: IntArray) -> None:
        shown = pids > 0
        for pid, start in dict.fromkeys(zip(pids[shown].tolist(), starts[shown].tolist(), strict=True)):
            if (pid, start) not in self._described:
                self._described.add((pid, start))
                group = f"/lab/{work.name.replace(' ', '-')}"
                name = work.name.replace(" ", "-")[:15]
                self.new.append(Identity(pid, start, name, work.user, group, parent=1 if number == 0 else FIRST_PID))


@dataclass(frozen=True, slots=True)
class _Place:
    """Where a process of a work is recorded."""

    slot: int
    work: int
    """Which work, by its place among all."""
    number: int
    """Which of the work's processes."""
    index: int
    """Its place among all processes, which its pid follows from."""


def _placed(works: Sequence[Work]) -> list[_Place]:
    """As many processes as there are slots for at any time: those that are never there together share one. Of more, the
    ones that come first have them.
    """
    pairs = [(at, number) for at, work in enumerate(works) for number in range(work.process_count)]
    free_from_s: list[float] = []
    out: list[_Place] = []
    for index, (at, number) in sorted(enumerate(pairs), key=lambda item: _begins_s(works[item[1][0]])):
        begins_s = _begins_s(works[at])
        slot = next((slot for slot, free_s in enumerate(free_from_s) if free_s + APART_S <= begins_s), None)
        if slot is None:
            if len(free_from_s) == SLOTS:
                continue
            slot = len(free_from_s)
            free_from_s.append(0.0)
        free_from_s[slot] = math.inf if works[at].every_s else works[at].end_s
        out.append(_Place(slot, at, number, index))
    return sorted(out, key=lambda place: place.index)


def _begins_s(work: Work) -> float:
    return -math.inf if work.every_s else work.start_s
