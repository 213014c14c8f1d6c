"""A recording as it runs: follows its orders, ticks, hands over, and can tell how it goes."""

import os
import time
from collections import deque
from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from statistics import median

import structlog

from reditus import __version__
from reditus.core.facts import HostFacts
from reditus.core.plan import Burst, Plan
from reditus.core.rfc3339 import spell_time
from reditus.core.types import NS_PER_S, Json
from reditus.recorder.batcher import FLUSH_AFTER_NS, Batcher
from reditus.recorder.bursts import BurstWatch
from reditus.recorder.control_channel import ControlState, Orders
from reditus.recorder.filesystems import Filesystems
from reditus.recorder.host import boot_id, host_facts
from reditus.recorder.listening import Listening
from reditus.recorder.logs import Logs
from reditus.recorder.otlp_sender import OtlpSender
from reditus.recorder.process_probe import Processes
from reditus.recorder.sampler import Probe, RawTick, Sampler, boot_clock_ns
from reditus.recorder.schedule import Schedule
from reditus.recorder.socket_states import SocketStates
from reditus.recorder.spool import Spool
from reditus.recorder.spool_writer import Kept, SpoolWriter
from reditus.recorder.stopping import Stoppable
from reditus.recorder.thread_probe import Threads
from reditus.recorder.uplink import Uplink

log = structlog.get_logger()

IDLE_LOOK_S = 0.5
FACTS_EVERY_NS = 60 * NS_PER_S
ASLEEP_NS = 2 * NS_PER_S
"""Longer than that between the clock that stops while the machine sleeps and the one that goes on: it slept."""
COST_OVER_S = 60
MOST_REPORTED = 100


@dataclass(frozen=True)
class Setting:
    """What is being done: changes only when something has to be set up again."""

    interval_ns: int
    plan: Plan | None
    bursting: bool


class Runner:
    """One recording of this machine. `interval_ns` holds where no plan says otherwise."""

    def __init__(
        self,
        spool: Spool,
        uplink: Uplink,
        *,
        interval_ns: int,
        for_ns: int | None = None,
        log_files: Sequence[Path] = (),
        sender: OtlpSender | None = None,
    ) -> None:
        self._spool, self._uplink = spool, uplink
        self._keeper = SpoolWriter(spool, offered=uplink.wake)
        self._interval_ns, self._for_ns, self._sender = interval_ns, for_ns, sender
        self._begun_ns = time.time_ns()
        self._burst = BurstWatch(Burst())
        self._burst_of: Plan | None = None
        self._doing: tuple[str, Setting | None] = ("starting", None)
        """Both in one, for reports are made by another thread."""
        self._ticks = self._missed = 0
        self._missed_why: dict[str, int] = {}
        self._last_tick_ns: int | None = None
        self._unreadable: dict[str, str] = {}
        self._late_ns: deque[int] = deque(maxlen=60)
        self._costs: deque[tuple[float, float]] = deque(maxlen=COST_OVER_S)
        # They outlive a change of setting: what processes had before, and a mount that hangs in its thread.
        self._processes, self._filesystems, self._states = Processes(), Filesystems(), SocketStates()
        self._threads = Threads(self._processes)
        self._logs = Logs(spool.folder, str(boot_id()), log_files)
        self._logs_at_ns = 0
        self._facts: HostFacts | None = None
        self._facts_at_ns = 0
        self._listening = Listening()

    def run(self, stop: Stoppable, orders: ControlState) -> None:
        """Record until `stop` is set or the time is over, following orders as they change."""
        end_ns = None if self._for_ns is None else boot_clock_ns() + self._for_ns
        while not stop.is_set() and (end_ns is None or boot_clock_ns() < end_ns):
            setting = self._requested_orders(orders.current)
            if isinstance(setting, str):
                self._doing = (setting, None)
                stop.wait(IDLE_LOOK_S)
                continue
            left_ns = None if end_ns is None else end_ns - boot_clock_ns()
            if not self._record(setting, stop, orders, left_ns):
                break
        self._doing = ("ended", None)
        self._keeper.close()
        for item in (self._processes, self._threads, self._filesystems, self._logs):
            item.close()

    @property
    def ticks(self) -> int:
        """Ticks recorded so far."""
        return self._ticks

    @property
    def missed(self) -> int:
        """Ticks missed so far."""
        return self._missed

    def report(self) -> Json:
        """How it goes, for the server. Safe to call from another thread."""
        state, setting = self._doing
        return {
            "version": __version__,
            "pid": os.getpid(),
            "state": state,
            "started": spell_time(self._begun_ns),
            "interval_s": None if setting is None else setting.interval_ns / NS_PER_S,
            "last_tick": None if self._last_tick_ns is None else spell_time(self._last_tick_ns),
            "ticks": self._ticks,
            "missed": self._missed,
            "missed_why": dict(self._missed_why),
            "late_s": median(self._late_ns) / NS_PER_S if self._late_ns else None,
            "cost_share": self._cost(),
            "memory_bytes": _resident_bytes(),
            "spool_bytes": self._spool.size_bytes,
            "spool_limit_bytes": self._spool.limit_bytes,
            "dropped": list(self._spool.dropped),
            "unreadable": dict(self._unreadable),
            "spool_trouble": self._keeper.trouble,
            "aside": self._spool.aside[-MOST_REPORTED:],
        }

    def _requested_orders(self, orders: Orders) -> Setting | str:
        """What to do now, or why to wait."""
        plan = orders.plan
        if not orders.recording:
            return "stopped"
        if plan is not None and not plan.is_due(time.time_ns()):
            return "waiting for its time"
        if plan != self._burst_of:
            self._burst, self._burst_of = BurstWatch(plan.burst if plan else Burst()), plan
        by_hand = time.time_ns() < orders.burst_until_ns
        bursting = by_hand or self._burst.is_on(boot_clock_ns())
        usual_ns = plan.every_ns if plan else self._interval_ns
        fast_ns = plan.burst.every_ns if plan else min(Burst().every_ns, usual_ns)
        return Setting(fast_ns if bursting else usual_ns, plan, bursting)

    def _record(self, setting: Setting, stop: Stoppable, orders: ControlState, for_ns: int | None) -> bool:
        """Tick until something else is wanted; return whether it is."""
        log.info(
            "recording",
            archive=str(self._spool.archive),
            plan=setting.plan.name if setting.plan else None,
            every_s=setting.interval_ns / NS_PER_S,
            burst=setting.bursting,
        )
        self._doing = ("burst" if setting.bursting else "recording", setting)
        plan, processes, filesystems = setting.plan, self._processes, self._filesystems
        processes.choose(arguments=plan is not None and plan.arguments)
        probes: list[Probe] = [filesystems, self._states, processes]
        if plan is not None and plan.threads:
            probes.append(self._threads)
        else:
            self._threads.close()  # it would hold the files of threads that are long gone
        filesystems.choose(plan.takes if plan is not None else None)
        sampler = Sampler(interval_ns=setting.interval_ns, probes=probes, plan=setting.plan)
        batcher = Batcher(self._spool.archive, boot_id(), setting.interval_ns, sampler.intervals_ns)
        schedule = Schedule(setting.interval_ns, stop, for_ns)
        missed_before, asleep_before_ns = 0, _asleep_ns()
        unparsed: list[RawTick] = []
        try:
            for _ in schedule:
                unparsed.append(sampler.read())
                batcher.report(processes.take_identities())
                batcher.report(self._threads.take_identities())
                self._ticks += 1
                self._last_tick_ns = time.time_ns()
                self._late_ns.append(schedule.late_ns)
                self._costs.append((time.monotonic(), time.process_time()))
                self._count_missed(setting, schedule.missed - missed_before, _asleep_ns() - asleep_before_ns)
                missed_before, asleep_before_ns = schedule.missed, _asleep_ns()
                self._look_at_logs(batcher, None if plan is None else plan.log)
                waited_ns = sampler.clock() - unparsed[0].monotonic_ns
                if self._burst.is_conditional or waited_ns + setting.interval_ns > FLUSH_AFTER_NS:
                    self._parse(sampler, unparsed, batcher)
                if batcher.is_due(sampler.clock()):
                    self._hand_over(batcher)
                    self._unreadable = sampler.unreadable | self._logs.unreadable
                # After the tick, which it would make late.
                self._look_at_facts()
                if self._requested_orders(orders.current) != setting:
                    return True
            return False
        finally:
            # The last tick may have taken so long that the schedule ended with it.
            self._count_missed(setting, schedule.missed - missed_before, 0)
            self._parse(sampler, unparsed, batcher)
            self._hand_over(batcher)
            sampler.close()

    def _parse(self, sampler: Sampler, unparsed: list[RawTick], batcher: Batcher) -> None:
        for tick in unparsed:
            readings = sampler.parse(tick)
            self._burst.look(readings)
            batcher.add(readings)
            if self._sender is not None:
                self._sender.offer(readings)
        unparsed.clear()

    def _count_missed(self, setting: Setting, late: int, asleep_ns: int) -> None:
        asleep = round(asleep_ns / setting.interval_ns) if asleep_ns > ASLEEP_NS else 0
        for why, ticks in (("the recorder came late", late), ("the machine was asleep", asleep)):
            if ticks:
                self._missed += ticks
                self._missed_why[why] = self._missed_why.get(why, 0) + ticks

    def _hand_over(self, batcher: Batcher) -> None:
        batch = batcher.take()
        if not batch:
            return
        self._keeper.put(Kept(batch, tuple(batcher.schemas.values()), partial(self._put_down, self._logs.left)))
        batcher.schemas.clear()

    def _put_down(self, log_left: Json) -> None:
        self._logs.remember(log_left)
        self._uplink.wake()

    def _look_at_logs(self, batcher: Batcher, severity: str | None) -> None:
        now_ns = boot_clock_ns()
        if now_ns >= self._logs_at_ns:
            self._logs_at_ns = now_ns + NS_PER_S
            batcher.mark(self._logs.read(severity))

    def _look_at_facts(self) -> None:
        """Now and then: a disk, link or core that came or went is instructed to the server with the archive."""
        now_ns = boot_clock_ns()
        if now_ns < self._facts_at_ns:
            return
        self._facts_at_ns = now_ns + FACTS_EVERY_NS
        facts = host_facts(listening=self._listening)
        if self._facts is not None and facts != self._facts:
            log.info("the host changed")
            registration = self._spool.registration()
            if registration is not None:
                try:
                    self._spool.register(registration | {"facts": facts.as_json()})
                except OSError as why:  # a full disk; tried again
                    log.warning("the host's facts could not be written down", reason=why.strerror)
                    return
                self._uplink.mark_unregistered()
        self._facts = facts

    def _cost(self) -> float | None:
        """Share of one core over the last minute's ticks."""
        costs: Sequence[tuple[float, float]] = list(self._costs)
        if len(costs) < 2 or costs[-1][0] <= costs[0][0]:
            return None
        return (costs[-1][1] - costs[0][1]) / (costs[-1][0] - costs[0][0])


def _asleep_ns() -> int:
    """How long the machine has slept since it started."""
    return boot_clock_ns() - time.monotonic_ns()


def _resident_bytes() -> int:
    return int(Path("/proc/self/statm").read_text().split()[1]) * os.sysconf("SC_PAGE_SIZE")
