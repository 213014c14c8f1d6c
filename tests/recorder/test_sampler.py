"""The sampler on trees of files, and on this machine's real kernel."""

import mmap
import os
import socket
import time
from concurrent.futures import ThreadPoolExecutor

import numpy as np
import pytest

from reditus.core.frame import BlockSlice, Frame
from reditus.core.frame_builder import assemble
from reditus.core.measures import measure_named
from reditus.recorder.host import boot_id, host_facts
from reditus.recorder.sampler import Sampler

pytestmark = pytest.mark.alone


def a_tree(root, **files):
    for path, text in files.items():
        target = root / "proc" / path.replace("__", "/")
        target.parent.mkdir(parents=True, exist_ok=True)
        target.write_text(text)


def test_only_what_can_be_read_is_sampled(tmp_path):
    a_tree(tmp_path, loadavg="0.50 0.40 0.30 1/10 99\n")
    sampler = Sampler(root=str(tmp_path))
    (reading,) = sampler.tick()
    assert (reading.group, reading.values.tolist()) == ("load", [50, 40, 30, 10])
    assert sampler.unreadable["/proc/stat"] == "No such file or directory"
    sampler.close()


def test_files_are_read_again_and_not_opened_again(tmp_path):
    a_tree(tmp_path, loadavg="0.50 0.40 0.30 1/10 99\n")
    sampler = Sampler(root=str(tmp_path))
    sampler.tick()
    open_before = len(os.listdir("/proc/self/fd"))
    a_tree(tmp_path, loadavg="0.75 0.40 0.30 1/11 99\n")
    (reading,) = sampler.tick()
    assert reading.values.tolist() == [75, 40, 30, 11]
    assert len(os.listdir("/proc/self/fd")) == open_before
    sampler.close()


def frame_of(ticks):
    pieces = [
        BlockSlice(
            group=reading.group,
            boot=boot_id().bytes,
            interval_ns=60 * 10**9,  # however long the work between two ticks takes, it is no gap
            wall_ns=np.array([reading.wall_ns]),
            monotonic_ns=np.array([reading.monotonic_ns]),
            columns=dict(zip(reading.columns, reading.values.reshape(-1, 1), strict=True)),
        )
        for tick in ticks
        for reading in tick
    ]
    return Frame(assemble(pieces), host_facts())


@pytest.mark.kernel
def test_a_second_of_work_is_found_in_the_real_counters():
    """One busy process for a second of processor time: at least most of a core over that second."""
    sampler = Sampler()
    before = sampler.tick()
    began = time.process_time()
    while time.process_time() - began < 0.9:
        pass
    frame = frame_of([before, sampler.tick()])
    sampler.close()
    elapsed_s = frame.groups[0].timebase.elapsed_s[-1]
    busy = measure_named("cpu.busy").derive(frame, None).values[-1]
    assert busy * elapsed_s >= 0.8
    assert busy <= os.cpu_count()


def growth(act, measure, device=None):
    """A rate while something was done, and the seconds it took: together, what it grew by."""
    sampler = Sampler()
    before = sampler.tick()
    act()
    frame = frame_of([before, sampler.tick()])
    sampler.close()
    sampled = measure_named(measure).derive(frame, device)
    at_ns = sampled.timebase.monotonic_ns
    return sampled, (at_ns[-1] - at_ns[0]) / 1e9


@pytest.mark.kernel
def test_bytes_sent_over_the_loopback_are_found():
    """20 MiB through a TCP connection: the interface counts them, and some per cent of headers."""
    sent = 20 << 20

    def send():
        with socket.create_server(("127.0.0.1", 0)) as server, socket.create_connection(server.getsockname()) as out:
            taken, _ = server.accept()
            with taken, ThreadPoolExecutor(1) as pool:
                reading = pool.submit(lambda: sum(iter(lambda: len(taken.recv(1 << 20)), 0)))
                out.sendall(bytes(sent))
                out.shutdown(socket.SHUT_WR)
                assert reading.result(30) == sent

    sampled, elapsed_s = growth(send, "net.receive.rate", "lo")
    received = sampled.values[-1] * elapsed_s
    assert sent <= received <= sent * 1.25


@pytest.mark.kernel
def test_bytes_written_past_the_cache_are_found(tmp_path):
    """24 MiB with direct I/O: the machine's disks write at least that, and hardly more than half as much again."""
    size, block = 24 << 20, 1 << 20
    buffer = mmap.mmap(-1, block)

    def write():
        handle = os.open(tmp_path / "direct", os.O_WRONLY | os.O_CREAT | os.O_DIRECT)
        try:
            for _ in range(size // block):
                os.write(handle, buffer)
            os.fsync(handle)
        finally:
            os.close(handle)

    try:
        sampled, elapsed_s = growth(write, "disk.write.rate")
    except OSError:
        pytest.skip("this filesystem has no direct I/O")
    written = sampled.values[-1] * elapsed_s
    assert size <= written <= size * 1.5 + (8 << 20)


@pytest.mark.kernel
def test_memory_touched_is_found():
    size = 256 << 20
    sampler = Sampler()
    before = sampler.tick()
    held = mmap.mmap(-1, size, mmap.MAP_PRIVATE | mmap.MAP_ANONYMOUS)
    for at in range(0, size, 4096):
        held[at] = 1
    frame = frame_of([before, sampler.tick()])
    held.close()
    sampler.close()
    programs = measure_named("memory.programs").derive(frame, None).values
    assert programs[-1] - programs[0] == pytest.approx(size, rel=0.15)


@pytest.mark.kernel
def test_memory_of_this_machine_adds_up():
    sampler = Sampler()
    frame = frame_of([sampler.tick()])
    sampler.close()
    names = ("programs", "shared", "huge", "kernel", "cache", "other", "free")
    parts = [measure_named(f"memory.{name}").derive(frame, None).values[-1] for name in names]
    total = measure_named("memory.total").derive(frame, None).values[-1]
    assert sum(parts) == total
    assert all(part >= 0 for part in parts)


@pytest.mark.kernel
def test_facts_of_this_machine():
    facts = host_facts()
    assert facts.cores == os.cpu_count()
    assert facts.memory_bytes
    assert "lo" in facts.links


def test_the_clocks_are_as_far_apart_as_they_were_but_for_noise(tmp_path, monkeypatch):
    a_tree(tmp_path, loadavg="0.50 0.40 0.30 1/10 99\n")
    sampler = Sampler(root=str(tmp_path))
    sampler.clock = lambda: 10**12
    ahead_ns = []
    for wall_ns in (5 * 10**12, 5 * 10**12 + 40_000, 5 * 10**12 - 900, 5 * 10**12 + 60_000, 5 * 10**12, 3 * 10**12):
        monkeypatch.setattr(time, "time_ns", lambda wall_ns=wall_ns: wall_ns)
        (reading,) = sampler.tick()
        ahead_ns.append(reading.wall_ns - reading.monotonic_ns - 4 * 10**12)
    assert ahead_ns == [0, 0, 0, 60_000, 0, -2 * 10**12]
    sampler.close()
