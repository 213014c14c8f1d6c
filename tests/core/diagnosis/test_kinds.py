"""Memory, swap, disks and networks: what the lab's stories tell is found when it began, once, and nothing else is."""

from functools import lru_cache

import numpy as np
import pytest

from builders import BEGIN_NS, a_piece, processor_columns
from reditus.core.diagnosis import diagnose
from reditus.core.diagnosis.engine import KINDS
from reditus.core.diagnosis.pages import diagnoses_page
from reditus.core.frame import Frame
from reditus.core.frame_builder import assemble
from reditus.core.kernel_columns import disk_columns, kernel_column, memory_size, paging_event, stall_total
from reditus.core.measures import MEASURES, Resource
from reditus.core.measures.raw import is_counter
from reditus.core.types import NS_PER_S
from reditus.core.window import Window
from reditus.simulator import simulate
from reditus.simulator.fernhold import ARCHIVES, HOUR_S

HOSTS = {answer.scenario.machine.name: answer.scenario for answer in ARCHIVES[1:5]}


@lru_cache(maxsize=4)
def judged(name):
    scenario = HOSTS[name]
    window = Window(scenario.begin_ns, scenario.begin_ns + int(scenario.length_s * NS_PER_S))
    return diagnose(simulate(scenario).frame(), window)


def hours(name, at_ns):
    return (at_ns - HOSTS[name].begin_ns) / NS_PER_S / HOUR_S


def found(name, kind, device=None):
    (one,) = [finding for finding in judged(name).findings if (finding.kind, finding.device) == (kind, device)]
    return one


def true_start(name, kind, device=None):
    return next(cause.start_s for cause in HOSTS[name].causes if (cause.kind, cause.device) == (kind, device)) / HOUR_S


def test_a_leak_s_end_is_one_story_and_not_four_alarms():
    kinds = [(finding.kind, finding.device) for finding in judged("leafdb").findings]
    assert kinds == [
        ("memory.leak", None), ("memory.cache_thrash", None), ("memory.pressure", None), ("swap.thrashing", None),
        ("disk.saturated", "sdb"), ("swap.full", None), ("memory.oom_kill", None),
    ]  # fmt: skip
    leak, cache, pressure, swap, disk, full, kill = judged("leafdb").findings
    # One cause, and all else came of it.
    assert leak.caused_by == ()
    assert set(leak.symptoms) == {cache.id, pressure.id}
    assert cache.caused_by == pressure.caused_by == (leak.id,)
    assert set(pressure.symptoms) == {swap.id, full.id, kill.id}
    assert (swap.caused_by, swap.symptoms) == ((pressure.id,), (disk.id,))
    assert disk.caused_by == (swap.id,)
    assert "of what sdb moved was swap" in disk.explanation


def test_each_began_when_the_story_says():
    swap, disk = found("leafdb", "swap.thrashing"), found("leafdb", "disk.saturated", "sdb")
    assert hours("leafdb", swap.start_ns) == pytest.approx(true_start("leafdb", "swap.thrashing"), abs=0.1)
    assert hours("leafdb", disk.start_ns) == pytest.approx(true_start("leafdb", "disk.saturated", "sdb"), abs=0.15)
    for kind in ("memory.leak", "memory.cache_thrash", "memory.pressure"):
        assert hours("leafdb", found("leafdb", kind).start_ns) == pytest.approx(true_start("leafdb", kind), abs=0.2)
    kill = found("leafdb", "memory.oom_kill")
    truth = next(cause for cause in HOSTS["leafdb"].causes if cause.kind == "memory.oom_kill")
    assert truth.start_s / HOUR_S <= hours("leafdb", kill.start_ns) <= truth.end_s / HOUR_S
    slow = found("vault", "disk.slow", "sdd")
    assert hours("vault", slow.start_ns) == pytest.approx(true_start("vault", "disk.slow", "sdd"), abs=0.01)
    causes = [finding for finding in judged("scan-gate").findings if not finding.caused_by]
    causes = sorted(causes, key=lambda item: item.start_ns)
    assert [(cause.kind, cause.device) for cause in causes] == [
        ("net.saturated", "enp1s0"), ("cpu.interrupts", "0")
    ]  # fmt: skip
    # Both come on both days, and are said once each.
    for entry, starts_h in zip(causes, ((10.5, 34.5), (14.333, 38.333)), strict=True):
        assert entry.pattern.kind == "days"
        times = [hours("scan-gate", time.start_ns) for time in entry.occurrences]
        assert times == pytest.approx(starts_h, abs=0.01)


def test_what_one_core_could_not_take_in_was_dropped_and_sent_again():
    findings = judged("scan-gate").findings
    packets = [finding for finding in findings if finding.kind == "cpu.interrupts"]
    backlogs = [finding for finding in findings if finding.kind == "net.backlog"]
    losses = [finding for finding in findings if finding.kind == "net.loss"]
    assert [backlog.caused_by for backlog in backlogs] == [(packet.id,) for packet in packets]
    assert [loss.caused_by for loss in losses] == [(backlog.id,) for backlog in backlogs]


def test_a_slow_disk_is_not_called_overloaded():
    slow = found("vault", "disk.slow", "sdd")
    of_disks = [finding.id for finding in judged("vault").findings if finding.resource is Resource.DISK]
    assert of_disks == [slow.id]
    assert "it is the disk that was slow" in slow.explanation


def test_what_only_looks_wrong_is_ruled_out():
    room = {item.kind for item in judged("reading-room").ruled_out}
    assert room >= {"memory.free_low", "swap.occupied", "disk.busy_steady", "cpu.busy_unwaited"}
    assert {finding.kind for finding in judged("reading-room").findings} <= {"cpu.saturated"}
    scrub = [item for item in judged("vault").ruled_out if item.kind == "disk.busy_steady"]
    assert abs(hours("vault", scrub[0].start_ns) - 1) < 0.05
    assert "So did sdc, sdd, sde, sdf, sdg" in scrub[0].explanation
    ids = [item.id for item in judged("vault").ruled_out]
    assert len(set(ids)) == len(ids)


def memory(ticks, *, available, stall, kills=()):
    """Ticks of a machine of 1,000 MiB; `kills` are ticks at which the counter moved."""
    sizes = {"MemTotal": 1_024_000, "MemFree": 20_000}
    columns = {memory_size(name): [value] * ticks for name, value in sizes.items()}
    columns[memory_size("MemAvailable")] = list(available)
    killed = [sum(at <= tick for at in kills) for tick in range(ticks)]
    lost, total = [], 0
    for share in stall:
        total += int(share * 1e6)
        lost.append(total)
    pieces = [
        a_piece(columns, group="memory"),
        a_piece({stall_total("memory", "some"): lost}, group="pressure"),
        a_piece({paging_event("oom_kill"): killed}, group="paging"),
    ]
    return diagnose(Frame(assemble(pieces)), Window(BEGIN_NS - NS_PER_S, BEGIN_NS + ticks * NS_PER_S))


def test_pressure_wants_both_little_memory_and_lost_time():
    scarce, ample = [50_000] * 60, [600_000] * 60
    stalls = [0.0] * 20 + [0.6] * 20 + [0.0] * 20
    (finding,) = memory(60, available=scarce, stall=stalls).findings
    assert finding.kind == "memory.pressure"
    assert (finding.start_ns - BEGIN_NS) / NS_PER_S == 19
    assert finding.time_lost_s == pytest.approx(12, abs=0.7)
    assert not memory(60, available=ample, stall=stalls).findings
    assert not memory(60, available=scarce, stall=[0.0] * 60).findings


def test_kills_are_always_reported_those_close_together_as_one():
    diagnosis = memory(300, available=[600_000] * 300, stall=[0.0] * 300, kills=(50, 52, 200))
    assert [finding.kind for finding in diagnosis.findings] == ["memory.oom_kill"] * 2
    assert "killed 2 processes" in diagnosis.findings[0].explanation
    assert "killed 1 process " in diagnosis.findings[1].explanation


def disk(pattern, *, stall, busy=False):
    """`pattern` has requests a second, ms each, and requests in flight, for some ticks each."""
    order = disk_columns("sda")
    values = {column: [0] for column in order}
    for ticks, requests, wait_ms, queue in pattern:
        for _ in range(ticks):
            steps = {
                0: requests,
                2: 8 * requests,
                3: int(requests * wait_ms),
                9: min(1_000, requests * (1_000 if busy else 5)),
                10: int(queue * 1_000),
            }
            for place, column in enumerate(order):
                values[column].append(values[column][-1] + steps.get(place, 0))
    count = len(values[order[0]])
    lost = [int(1e6 * stall) * tick for tick in range(count)]
    pieces = [a_piece(values, group="disks"), a_piece({stall_total("io", "some"): lost}, group="pressure")]
    return diagnose(Frame(assemble(pieces)), Window(BEGIN_NS - NS_PER_S, BEGIN_NS + count * NS_PER_S))


@pytest.mark.parametrize(
    ("pattern", "stall", "kinds"),
    [
        ([(60, 100, 5, 0.5), (60, 200, 60, 12)], 0.5, ["disk.saturated"]),
        ([(60, 100, 5, 0.5), (60, 20, 250, 5)], 0.5, ["disk.slow"]),
        ([(60, 100, 5, 0.5), (60, 90, 60, 5)], 0.0, []),
        ([(60, 100, 5, 0.5), (60, 200, 60, 12)], 0.0, ["disk.saturated"]),
        ([(60, 100, 5, 0.5), (60, 200, 60, 32)], 0.0, ["disk.saturated"]),
        ([(60, 100, 5, 0.5), (60, 200, 6, 1.2)], 0.9, []),
        ([(60, 100, 5, 0.5), (10, 200, 60, 12), (50, 100, 5, 0.5)], 0.5, []),
    ],
    ids=["queued", "slow", "no waits", "many at once", "deep by design", "quick", "a flush"],
)
def test_a_disk_is_judged_by_its_own_normal(pattern, stall, kinds):
    diagnosis = disk(pattern, stall=stall)
    assert [finding.kind for finding in diagnosis.findings] == kinds
    for item in diagnosis.findings:
        assert (item.device, (item.start_ns - BEGIN_NS) / NS_PER_S) == ("sda", 60)


def test_without_stalls_a_deeper_queue_is_surer():
    confidences = [
        disk([(60, 100, 5, 0.5), (60, 200, 60, depth)], stall=0.0).findings[0].confidence for depth in (9, 12, 32)
    ]
    assert 0.5 <= confidences[0] < confidences[1] < confidences[2] <= 0.7


@pytest.mark.parametrize(
    ("pattern", "stall", "kinds"),
    [
        ([(5, 0, 0, 0), (40, 120, 8, 1.2)], 0.6, ["disk.saturated"]),
        ([(5, 0, 0, 0), (40, 120, 23, 3)], 0.9, ["disk.saturated"]),
        ([(40, 60, 33, 2)], 1.0, ["disk.saturated"]),
        ([(20, 0, 0, 0), (40, 400, 39, 15.8)], 0.0, ["disk.saturated"]),
        ([(5, 0, 0, 0), (40, 700, 1.4, 1)], 0.9, []),
        ([(5, 0, 0, 0), (40, 120, 8, 1.2)], 0.0, []),
    ],
    ids=["commits", "small writes", "two at once", "asynchronous", "one reader", "no stall"],
)
def test_a_disk_without_a_normal_is_judged_by_what_is_known(pattern, stall, kinds):
    diagnosis = disk(pattern, stall=stall, busy=True)
    assert [finding.kind for finding in diagnosis.findings] == kinds
    for finding in diagnosis.findings:
        assert finding.confidence <= 0.7
        assert "its normal is not known" in finding.explanation
    assert not any(item.kind == "disk.busy_steady" for item in diagnosis.ruled_out if kinds)


def test_a_disk_that_was_never_idle_is_judged_by_how_fast_it_serves():
    (finding,) = disk([(80, 600, 53, 32)], stall=0.0).findings
    assert finding.kind == "disk.saturated"


def test_every_rule_reads_measures_that_there_are_and_every_kind_explains_itself():
    page = diagnoses_page()
    ids = {kind.id for kind in KINDS}
    for kind in KINDS:
        assert f"(`{kind.id}`)" in page
        assert kind.meaning.endswith(".")
        # What is found says what to look at next, and what it rests on where the best counter is missing.
        assert bool(kind.next_steps and kind.without) or not kind.is_problem, kind.id
        for name in kind.evidence:
            assert name in MEASURES or is_counter(name) or name in ids or kind.id == "spike", (kind.id, name)
    assert len(ids) == len(KINDS)


def held_up(*, blocked, upper_busy, stall=None, ticks=60):
    """A disk that idles, and a volume on it; from the 15th tick on tasks are blocked."""
    on = (np.arange(ticks) >= 15).astype(np.int64)
    groups = processor_columns(busy=[0.2] * ticks, cores=2)
    groups["cpu"][kernel_column("system.process.blocked")] = on * blocked
    disks = {}
    for name, busy in (("sda", 0.02), ("dm-0", upper_busy)):
        steps = {4: 30, 6: 30 * 8, 7: 30 * 40, 9: int(1_000 * busy), 10: int(1_500 * busy)}
        for place, column in enumerate(disk_columns(name)):
            disks[column] = np.cumsum(on * steps.get(place, 0))
    pieces = [a_piece(columns, group=group) for group, columns in {**groups, "disks": disks}.items()]
    if stall is not None:
        lost = np.cumsum(on * int(1e6 * stall))
        pieces.append(a_piece({stall_total("io", "some"): lost}, group="stalls"))
    answer = diagnose(Frame(assemble(pieces)), Window(BEGIN_NS - NS_PER_S, BEGIN_NS + ticks * NS_PER_S))
    return [finding.kind for finding in answer.findings], {item.kind for item in answer.ruled_out}


def test_tasks_blocked_above_idle_disks_are_held_up_with_and_without_stall_files():
    assert held_up(blocked=4, upper_busy=0.02, stall=0.9)[0] == ["io.limited"]
    found, ruled_out = held_up(blocked=4, upper_busy=0.02)
    assert found == ["io.limited"]
    assert not ruled_out & {"load.blocked", "io.iowait_harmless"}
    assert held_up(blocked=0, upper_busy=0.02)[0] == []


def test_a_volume_that_is_busy_on_an_idle_disk_is_what_holds_tasks_up():
    found, _ = held_up(blocked=2, upper_busy=0.98, stall=0.7)
    assert "io.limited" not in found
    assert found == ["disk.saturated"]
