"""Processes: on a made-up /proc, and on this kernel."""

import os
import subprocess
import sys
import time
from contextlib import contextmanager

import numpy as np
import pytest

from reditus.core.frame import BlockSlice, Frame
from reditus.core.frame_builder import assemble
from reditus.core.processes import SLOTS, processes_at
from reditus.recorder.process_probe import Processes

TICKS = os.sysconf("SC_CLK_TCK")
NS = 10**9
FIELDS = 52


class SimulatedProc:
    """A /proc with processes only, and a clock of seconds since the start of the machine."""

    def __init__(self, root):
        self.proc, self.now_s = root / "proc", 1000.0
        self.proc.mkdir()
        self.answer = {}

    def put(self, pid, *, name="work", start_s=10.0, state="S", **amounts):
        """Amounts by field number of proc(5): f14 is user time in clock ticks."""
        fields = ["0"] * FIELDS
        fields[22 - 1] = str(int(start_s * TICKS))
        fields[4 - 1], fields[20 - 1] = "1", "1"
        for field, value in amounts.items():
            fields[int(field.removeprefix("f")) - 1] = str(value)
        folder = self.proc / str(pid)
        folder.mkdir(exist_ok=True)
        (folder / "stat").write_text(f"{pid} ({name}) {state} {' '.join(fields[3:])}\n")

    def waits(self, pid, **threads):
        """Nanoseconds that each thread waited for a core since it began; a single one is the process itself."""
        folder = self.proc / str(pid)
        for thread, waited_ns in threads.items():
            own = folder if len(threads) == 1 else folder / "task" / thread
            own.mkdir(parents=True, exist_ok=True)
            (own / "schedstat").write_text(f"123456 {waited_ns} 7\n")

    def io(self, pid, read, write):
        (self.proc / str(pid) / "io").write_text(f"rchar: 9\nread_bytes: {read}\nwrite_bytes: {write}\n")

    def end(self, pid):
        for file in (self.proc / str(pid)).iterdir():
            file.write_bytes(b"")  # what is open tells nothing any more, as with the kernel
            file.unlink()
        (self.proc / str(pid)).rmdir()


@pytest.fixture
def simulated(tmp_path):
    return SimulatedProc(tmp_path)


@contextmanager
def reading(simulated):
    """A probe, and a way to tick: returns what the core makes of the ticks so far, at the last one."""
    probe = Processes(str(simulated.proc.parent), boot_clock_s=lambda: simulated.now_s)
    pieces = []

    def tick():
        simulated.now_s += 1
        columns, values = probe.read(0)
        at = np.array([int(simulated.now_s * NS)])
        pieces.append(
            BlockSlice("process", b"boot", NS, at, at, dict(zip(columns, values.reshape(-1, 1), strict=True)))
        )
        return processes_at(Frame(assemble(pieces)), int(at[0]))

    yield probe, tick
    probe.close()


def by_pid(found):
    return {item.pid: item for item in found.heaviest}


def test_amounts_are_those_of_the_interval(simulated):
    with reading(simulated) as (_, tick):
        simulated.put(5, f14=100, f15=50, f24=300, f39=3, state="R")
        simulated.io(5, 4096, 0)
        assert by_pid(tick())[5].usage.cpu_cores is None  # nothing to compare with yet
        simulated.put(5, f14=100 + TICKS // 2, f15=50 + TICKS // 4, f24=310, f12=7, f39=3, state="R")
        simulated.io(5, 4096 + 8192, 512)
        one = by_pid(tick())[5]
    assert (one.state, one.core) == ("R", 3)
    assert one.usage.cpu_cores == pytest.approx(0.75)
    assert one.usage.system_cores == pytest.approx(0.25)
    assert one.usage.memory_bytes == 310 * 4096
    assert (one.usage.read_bytes_per_s, one.usage.write_bytes_per_s) == (8192, 512)
    assert one.usage.major_faults_per_s == 7


def test_what_threads_wait_for_a_core_adds_up(simulated):
    with reading(simulated) as (_, tick):
        simulated.put(5, f24=1, f20=2, state="R")
        simulated.waits(5, t5=10 * NS, t6=NS)
        simulated.put(6, f24=1)
        simulated.waits(6, t6=5 * NS)
        tick()
        # One thread waited half a second, one is new and waited a quarter.
        simulated.put(5, f24=1, f20=3, f14=1)
        simulated.waits(5, t5=10 * NS + NS // 2, t6=NS, t7=NS // 4)
        second = tick()
    assert by_pid(second)[5].usage.waiting_tasks == pytest.approx(0.75)
    assert by_pid(second)[6].usage.waiting_tasks == 0
    assert second.total.waiting_tasks == pytest.approx(0.75)


def test_a_second_thread_does_not_make_the_first_one_s_past_new(simulated):
    with reading(simulated) as (_, tick):
        simulated.put(5, f24=1, f14=1, state="R")
        simulated.waits(5, **{"5": 10 * NS})
        tick()
        simulated.put(5, f24=1, f14=2, f20=2)
        simulated.waits(5, **{"5": 10 * NS + NS // 4, "6": NS // 4})
        assert by_pid(tick())[5].usage.waiting_tasks == pytest.approx(0.5)


def test_without_the_files_nothing_waited_and_nothing_breaks(simulated):
    with reading(simulated) as (_, tick):
        simulated.put(5, f24=1, f20=70)
        tick()
        (simulated.proc / "5" / "schedstat").write_text("no numbers\n")
        simulated.put(5, f24=2)
        assert by_pid(tick())[5].usage.waiting_tasks == 0


def test_a_new_process_counts_from_its_first_tick(simulated):
    with reading(simulated) as (_, tick):
        simulated.put(5, f24=1)
        tick()
        simulated.put(6, f14=TICKS // 2, f24=1, start_s=simulated.now_s + 0.3)
        assert by_pid(tick())[6].usage.cpu_cores == pytest.approx(0.5)


def test_an_old_process_seen_late_does_not_count_its_past(simulated):
    with reading(simulated) as (_, tick):
        simulated.put(5, f24=1)
        tick()
        simulated.put(6, f14=99 * TICKS, f24=1, start_s=3.0)
        assert by_pid(tick())[6].usage.cpu_cores == 0


def test_a_number_given_again_is_another_process(simulated):
    with reading(simulated) as (probe, tick):
        simulated.put(5, f14=900, f24=10, name="first")
        tick()
        simulated.end(5)
        simulated.put(5, f14=TICKS // 4, f24=10, name="second", start_s=simulated.now_s + 0.5)
        one = by_pid(tick())[5]
        assert one.usage.cpu_cores == pytest.approx(0.25)
        assert [(who.pid, who.name) for who in probe.take_identities()] == [(5, "first"), (5, "second")]


def test_the_heaviest_are_kept_and_all_are_summed(simulated):
    with reading(simulated) as (_, tick):
        for pid in range(100, 160):
            simulated.put(pid, f24=1)
        tick()
        for pid in range(100, 160):
            simulated.put(pid, f14=pid - 99, f24=1)
        simulated.put(100, f14=1, f24=10**6)
        simulated.put(101, f14=2, f24=1, f42=TICKS)
        found = tick()
    kept = by_pid(found)
    assert {159, 158, 157, 156, 155} <= set(kept)
    assert kept[100].usage.memory_bytes == 10**6 * 4096
    assert kept[101].usage.blocked_tasks == 1
    assert len(found.heaviest) <= SLOTS
    assert found.total.cpu_cores == pytest.approx(sum(range(1, 61)) / TICKS)
    assert found.states["S"] == 60


def test_a_process_keeps_its_place_while_it_is_among_the_heaviest(simulated):
    with reading(simulated) as (_, tick):
        for pid in range(1, 31):
            simulated.put(pid, f24=1)
        places = []
        for second in range(6):
            for pid in range(1, 31):
                # Others come and go; number 7 is at work all the time.
                simulated.put(pid, f14=second * 50 if pid == 7 else (second * 8 if pid % 6 == second else 0), f24=1)
            found = tick()
            places.append(next((at for at, item in enumerate(found.heaviest) if item.pid == 7), None))
    assert len(set(places[1:])) == 1


@pytest.mark.parametrize("name", ["a b", "x) R 1 2 3", "((", "tab\there", "né"])
def test_names_with_anything_in_them(simulated, name):
    with reading(simulated) as (probe, tick):
        simulated.put(5, f24=7, name=name)
        assert by_pid(tick())[5].usage.memory_bytes == 7 * 4096
        (who,) = probe.take_identities()
    assert who.name == name.replace("\t", "\N{REPLACEMENT CHARACTER}")


def test_arguments_are_not_recorded_unless_requested(simulated):
    simulated.put(5, f24=7)
    (simulated.proc / "5/cmdline").write_bytes(b"login\0--password\0hunter2\0")
    for requested, expected in ((False, None), (True, "login --password hunter2")):
        probe = Processes(str(simulated.proc.parent), arguments=requested)
        probe.read(0)
        (who,) = probe.take_identities()
        probe.close()
        assert who.arguments == expected


@pytest.mark.kernel
@pytest.mark.skipif(not os.path.exists("/proc/self/schedstat"), reason="this kernel does not count scheduling")
def test_two_that_share_a_core_wait_for_each_other():
    core = min(os.sched_getaffinity(0))
    code = f"import os\nos.sched_setaffinity(0, [{core}])\nwhile True: pass"
    children = [subprocess.Popen([sys.executable, "-c", code]) for _ in range(2)]
    probe = Processes()
    try:
        # Only from the second tick on is known who is heavy, and from the next what those waited. Others may be heavier
        # for a while, where there is more to do.
        looks, together = [], 0
        while together < 2:
            time.sleep(0.5)
            looks.append([waited_ns(child.pid) for child in children])
            columns, values = probe.read(0)
            looks.append([waited_ns(child.pid) for child in children])
            heavy = {int(v) for c, v in zip(columns, values, strict=True) if c.counter == "process.pid"}
            together = together + 1 if {child.pid for child in children} <= heavy else 0
            assert len(looks) < 80, "two that keep a core busy were never among the heaviest"
    finally:
        for child in children:
            child.kill()
            child.wait()
        probe.close()
    answer = {(c.counter, *[v for _, v in c.attributes]): int(v) for c, v in zip(columns, values, strict=True)}
    # The file was looked up by hand before and after each reading: what was recorded lies between.
    *_, begin_ns, begun_ns, end_ns, ended_ns = looks
    for at, child in enumerate(children):
        slot = next(key[1] for key, value in answer.items() if key[0] == "process.pid" and value == child.pid)
        recorded_ns = answer["process.linux.waited", slot]
        assert end_ns[at] - begun_ns[at] <= recorded_ns <= ended_ns[at] - begin_ns[at]
        assert recorded_ns > 0.1 * NS


def waited_ns(pid):
    with open(f"/proc/{pid}/schedstat") as file:
        return int(file.read().split()[1])


@pytest.mark.kernel
def test_a_busy_child_is_found_with_its_real_processor_time():
    probe = Processes()
    probe.read(0)
    before_s = time.monotonic()
    child = subprocess.Popen([sys.executable, "-c", "while True: pass"])
    try:
        time.sleep(1.5)
        used_before = child_time(child.pid)
        columns, values = probe.read(0)
        used_after = child_time(child.pid)
    finally:
        child.kill()
        child.wait()
    answer = {(c.counter, *[v for _, v in c.attributes]): int(v) for c, v in zip(columns, values, strict=True)}
    slot = next(key[1] for key, value in answer.items() if key[0] == "process.pid" and value == child.pid)
    recorded = sum(answer["process.linux.cpu.used", mode, slot] for mode in ("user", "system")) / TICKS
    assert 0 < recorded <= time.monotonic() - before_s
    # It runs on between the readings, on a machine that is held up for long.
    assert used_before - 0.1 <= recorded <= used_after + 0.1
    who = next(take_identity for take_identity in probe.take_identities() if take_identity.pid == child.pid)
    assert (who.name, who.parent, who.arguments) == (
        os.path.basename(sys.executable)[:15],
        os.getpid(),
        None,
    )
    probe.close()


def child_time(pid):
    """Seconds that the child has run, from another of the kernel's files than the one under test."""
    with open(f"/proc/{pid}/schedstat") as file:
        return int(file.read().split()[0]) / NS


def test_processes_are_listed_again_when_one_was_started(simulated):
    loadavg = simulated.proc / "loadavg"
    loadavg.write_text("0.00 0.01 0.05 1/12 700\n")
    simulated.put(600, f24=10)
    with reading(simulated) as (_, tick):
        assert list(by_pid(tick())) == [600]
        simulated.put(700, name="quiet", f24=5)
        assert list(by_pid(tick())) == [600]  # nothing tells that anything was started
        loadavg.write_text("0.00 0.01 0.05 1/13 701\n")
        assert set(by_pid(tick())) == {600, 700}
        simulated.end(600)
        assert list(by_pid(tick())) == [700]
        simulated.put(800, f24=5)
        assert 800 in {pid for _ in range(20) for pid in by_pid(tick())}
