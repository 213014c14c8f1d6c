"""Sources of many files: interrupts, nodes, sensors, links, control groups; on trees of files and on this kernel."""

import errno
import os
from pathlib import Path

import pytest

from reditus.core.counters import COUNTERS
from reditus.core.plan import Plan
from reditus.core.types import NS_PER_S
from reditus.recorder.device_filter import chosen
from reditus.recorder.file_set import LOOK_AGAIN_NS, FileSet
from reditus.recorder.kernel_text import KernelText
from reditus.recorder.sampler import Sampler, poll_interval_ns
from reditus.recorder.sources import cgroups, frequency, interrupts, links, nodes, sensors, zram
from reditus.recorder.sources.source import Source

INTERRUPTS = b"""           CPU0       CPU2
 24:          1          0  IO-APIC   5-edge      ACPI:Ged
 28:          7         14 PCI-MSIX-0000:00:01.0   0-edge      virtio0-config
LOC:     123456     234567   Local timer interrupts
ERR:          0
"""


def put(root, path, text):
    target = root / path.lstrip("/")
    target.parent.mkdir(parents=True, exist_ok=True)
    target.write_text(text)


def found_in(source: Source, root: Path) -> dict[tuple[str, ...], float]:
    """Values in their unit, by counter and attribute values in the order of the attributes' names."""
    text = FileSet(source, str(root)).read(0)
    parser = KernelText(source.learn)
    values = parser.parse(source.text_of(text))
    assert all(column.counter in COUNTERS for column in parser.columns)
    return {
        (column.counter, *(value for _, value in column.attributes)): raw * column.factor
        for column, raw in zip(parser.columns, values.tolist(), strict=True)
    }


def test_interrupts_are_reported_by_kind_and_core():
    parser = KernelText(interrupts.learn)
    values = parser.parse(interrupts.SOURCE.text_of(INTERRUPTS)).tolist()
    answer = {
        (c.attribute("linux.interrupt"), c.attribute("cpu.logical_number")): v
        for c, v in zip(parser.columns, values, strict=True)
    }
    assert answer == {
        ("irq24 ACPI:Ged", "0"): 1,
        ("irq24 ACPI:Ged", "2"): 0,
        ("irq28 virtio0-config", "0"): 7,
        ("irq28 virtio0-config", "2"): 14,
        ("loc", "0"): 123456,
        ("loc", "2"): 234567,
    }  # fmt: skip
    # Another number in the same place is another interrupt.
    parser.parse(interrupts.SOURCE.text_of(INTERRUPTS.replace(b" 24:", b" 31:")))
    assert parser.columns[0].attribute("linux.interrupt") == "irq31 ACPI:Ged"


def test_memory_is_reported_per_node(tmp_path):
    base = "/sys/devices/system/node/node1"
    put(tmp_path, f"{base}/meminfo", "Node 1 MemFree:         500 kB\nNode 1 HugePages_Free:     3\n")
    put(tmp_path, f"{base}/numastat", "numa_hit 77\nnuma_miss 2\n")
    assert found_in(nodes.SOURCE, tmp_path) == {
        ("system.memory.linux.node.bytes", "MemFree", "1"): 500 * 1024,
        ("system.memory.linux.node.huge_pages", "HugePages_Free", "1"): 3,
        ("system.memory.linux.node.events", "1", "numa_hit"): 77,
        ("system.memory.linux.node.events", "1", "numa_miss"): 2,
    }


def test_core_speed_and_throttling(tmp_path):
    put(tmp_path, "/sys/devices/system/cpu/cpu3/cpufreq/scaling_cur_freq", "2400000\n")
    put(tmp_path, "/sys/devices/system/cpu/cpu3/thermal_throttle/core_throttle_count", "5\n")
    put(tmp_path, "/sys/devices/system/cpu/cpufreq/policy0/scaling_cur_freq", "1\n")
    assert found_in(frequency.SOURCE, tmp_path) == {
        ("system.cpu.frequency", "3"): 2.4e9,
        ("system.cpu.linux.throttled", "3", "core"): 5,
    }


def test_sensors_with_their_names_below_zero_too(tmp_path):
    put(tmp_path, "/sys/class/thermal/thermal_zone0/type", "x86_pkg_temp\n")
    put(tmp_path, "/sys/class/thermal/thermal_zone0/temp", "48500\n")
    put(tmp_path, "/sys/class/hwmon/hwmon2/name", "outdoor\n")
    put(tmp_path, "/sys/class/hwmon/hwmon2/temp1_input", "-12000\n")
    put(tmp_path, "/sys/class/hwmon/hwmon2/fan1_input", "1200\n")
    expected = {
        ("hw.temperature", "thermal_zone0 x86_pkg_temp"): 48.5,
        ("hw.temperature", "hwmon2 outdoor temp1"): -12.0,
        ("hw.fan.speed", "hwmon2 outdoor fan1"): 1200,
    }
    assert found_in(sensors.SOURCE, tmp_path) == pytest.approx(expected)


def test_a_reading_that_turns_negative_is_followed():
    parser = KernelText(sensors.learn)
    zone = b"@ /sys/class/thermal/thermal_zone0/temp\n%s\n"
    assert [int(parser.parse(zone % text)[0]) for text in (b"500", b"-500", b"-499", b"3")] == [500, -500, -499, 3]


def test_links_report_what_they_know(tmp_path):
    eth, down = "/sys/class/net/eth0", "/sys/class/net/wan1"
    for name, text in {"speed": "1000", "duplex": "full", "carrier": "1", "carrier_changes": "4"}.items():
        put(tmp_path, f"{eth}/{name}", f"{text}\n")
    put(tmp_path, f"{eth}/statistics/rx_nohandler", "9\n")
    put(tmp_path, f"{down}/speed", "-1\n")
    put(tmp_path, f"{down}/duplex", "unknown\n")
    assert found_in(links.SOURCE, tmp_path) == {
        ("system.network.linux.link.speed", "eth0"): 1e9,
        ("system.network.linux.link.full_duplex", "eth0"): 1,
        ("system.network.linux.link.carrier", "eth0"): 1,
        ("system.network.linux.link.carrier_changes", "eth0"): 4,
        ("system.network.linux.no_handler", "eth0"): 9,
    }


def test_compressed_swap(tmp_path):
    put(tmp_path, "/sys/block/zram0/mm_stat", "  4096000   1024000  1200000        0  2000000    12   0   0   0\n")
    assert found_in(zram.SOURCE, tmp_path) == {
        ("system.paging.linux.compressed", "zram0", "original"): 4_096_000,
        ("system.paging.linux.compressed", "zram0", "compressed"): 1_024_000,
        ("system.paging.linux.compressed", "zram0", "resident"): 1_200_000,
    }


def test_control_groups_of_version_2(tmp_path):
    base = "/sys/fs/cgroup/system.slice"
    put(
        tmp_path, f"{base}/cpu.stat",
        "usage_usec 2000000\nuser_usec 1500000\nnr_periods 10\nnr_throttled 4\nthrottled_usec 300000\nnr_bursts 0\n",
    )  # fmt: skip
    put(tmp_path, f"{base}/memory.current", "4096\n")
    put(tmp_path, f"{base}/memory.max", "max\n")
    put(tmp_path, f"{base}/memory.events", "low 0\nhigh 3\noom_kill 1\n")
    put(tmp_path, f"{base}/memory.stat", "anon 100\nfile 200\nworkingset_refault_file 7\nunheard_of 5\n")
    put(tmp_path, f"{base}/io.stat", "254:0 rbytes=512 wbytes=1024 rios=1 wios=2 dbytes=0 dios=0\n")
    put(tmp_path, f"{base}/cpu.pressure", "some avg10=0.00 avg60=0.00 avg300=0.00 total=5000\n")
    # The root's own files are no group's.
    put(tmp_path, "/sys/fs/cgroup/cpu.stat", "usage_usec 1\n")
    answer = found_in(cgroups.SOURCE, tmp_path)
    assert answer == pytest.approx(
        {
            ("system.cgroup.cpu.time", "all", "system.slice"): 2.0,
            ("system.cgroup.cpu.time", "user", "system.slice"): 1.5,
            ("system.cgroup.cpu.periods", "system.slice"): 10,
            ("system.cgroup.cpu.throttled_periods", "system.slice"): 4,
            ("system.cgroup.cpu.throttled_time", "system.slice"): 0.3,
            ("system.cgroup.memory.usage", "system.slice"): 4096,
            ("system.cgroup.memory.events", "system.slice", "low"): 0,
            ("system.cgroup.memory.events", "system.slice", "high"): 3,
            ("system.cgroup.memory.events", "system.slice", "oom_kill"): 1,
            ("system.cgroup.memory.parts", "system.slice", "anon"): 100,
            ("system.cgroup.memory.parts", "system.slice", "file"): 200,
            ("system.cgroup.memory.events", "system.slice", "workingset_refault_file"): 7,
            ("system.cgroup.io", "read", "system.slice", "254:0"): 512,
            ("system.cgroup.io", "write", "system.slice", "254:0"): 1024,
            ("system.cgroup.operations", "read", "system.slice", "254:0"): 1,
            ("system.cgroup.operations", "write", "system.slice", "254:0"): 2,
            ("system.cgroup.pressure.time", "system.slice", "cpu", "some"): 0.005,
        }
    )


def test_control_groups_of_version_1(tmp_path):
    put(tmp_path, "/sys/fs/cgroup/cpu/batch/cpu.stat", "nr_periods 8\nnr_throttled 2\nthrottled_time 500000000\n")
    put(tmp_path, "/sys/fs/cgroup/cpuacct/batch/cpuacct.usage", "3000000000\n")
    put(tmp_path, "/sys/fs/cgroup/memory/batch/memory.usage_in_bytes", "8192\n")
    put(tmp_path, "/sys/fs/cgroup/memory/batch/memory.limit_in_bytes", "9223372036854771712\n")
    put(tmp_path, "/sys/fs/cgroup/cpu/cpu.stat", "nr_periods 0\n")
    assert found_in(cgroups.SOURCE, tmp_path) == {
        ("system.cgroup.cpu.periods", "batch"): 8,
        ("system.cgroup.cpu.throttled_periods", "batch"): 2,
        ("system.cgroup.cpu.throttled_time", "batch"): 0.5,
        ("system.cgroup.cpu.time", "all", "batch"): 3.0,
        ("system.cgroup.memory.usage", "batch"): 8192,
    }


def test_named_groups_below_the_top_level(tmp_path):
    plan = Plan.from_json({"name": "p", "control_groups": ["lab/tiles", "user.slice/*"]})
    put(tmp_path, "/sys/fs/cgroup/lab/memory.current", "4096\n")
    put(tmp_path, "/sys/fs/cgroup/lab/tiles/memory.current", "2048\n")
    put(tmp_path, "/sys/fs/cgroup/lab/labels/memory.current", "1024\n")
    put(tmp_path, "/sys/fs/cgroup/user.slice/user-7.slice/pids.current", "3\n")
    put(tmp_path, "/sys/fs/cgroup/memory/lab/tiles/memory.usage_in_bytes", "512\n")
    assert found_in(cgroups.SOURCE, tmp_path) == {("system.cgroup.memory.usage", "lab"): 4096}
    answer = found_in(chosen(cgroups.SOURCE, plan), tmp_path)
    assert ("system.cgroup.memory.usage", "lab/labels") not in answer
    assert answer["system.cgroup.memory.usage", "lab"] == 4096
    assert answer["system.cgroup.tasks", "user.slice/user-7.slice"] == 3
    assert ("system.cgroup.memory.usage", "lab/tiles") in answer


def test_files_that_come_and_go_are_followed(tmp_path, monkeypatch):
    speed = "/sys/class/net/{}/speed"
    put(tmp_path, speed.format("eth0"), "10\n")
    files = FileSet(links.SOURCE, str(tmp_path))
    assert b"eth0" in files.read(0)
    put(tmp_path, speed.format("eth1"), "20\n")
    put(tmp_path, speed.format("bad name"), "30\n")
    assert b"eth1" not in files.read(1)
    later = files.read(LOOK_AGAIN_NS)
    assert b"@ /sys/class/net/eth1/speed\n20\n" in later
    assert b"bad" not in later
    gone = tmp_path / speed.format("eth0").lstrip("/")
    number = os.stat(gone).st_ino
    os.remove(gone)
    real = os.pread

    def as_the_kernel_does(descriptor, size, at):
        if os.fstat(descriptor).st_ino == number:
            raise OSError(errno.ENODEV, os.strerror(errno.ENODEV))
        return real(descriptor, size, at)

    monkeypatch.setattr(os, "pread", as_the_kernel_does)
    assert b"eth0" not in files.read(LOOK_AGAIN_NS + 1)
    assert b"eth0" not in files.read(2 * LOOK_AGAIN_NS)
    assert b"eth1" in files.read(2 * LOOK_AGAIN_NS)
    files.close()


def test_what_changes_slowly_is_read_less_often(tmp_path):
    put(tmp_path, "/proc/loadavg", "0.50 0.40 0.30 1/10 99\n")
    put(tmp_path, "/sys/class/net/eth0/carrier", "1\n")
    sampler = Sampler(root=str(tmp_path), interval_ns=NS_PER_S // 10, every_ns={"network.link": NS_PER_S * 3 // 10})
    assert sampler.intervals_ns["load"] == NS_PER_S // 10
    assert sampler.intervals_ns["memory.node"] == 5 * NS_PER_S
    groups = []
    for number in range(7):
        sampler.clock = lambda number=number: 10**12 + number * NS_PER_S // 10
        groups.append({reading.group for reading in sampler.tick()})
    assert ["network.link" in each for each in groups] == [True, False, False, True, False, False, True]
    assert all("load" in each for each in groups)
    sampler.close()


def test_a_pace_is_a_whole_number_of_ticks():
    assert poll_interval_ns(5, 2 * NS_PER_S) == 6 * NS_PER_S
    assert poll_interval_ns(5, 60 * NS_PER_S) == 60 * NS_PER_S
    assert poll_interval_ns(0, NS_PER_S) == NS_PER_S


@pytest.mark.kernel
def test_this_kernels_own_folders_are_understood():
    sampler = Sampler(every_ns={"interrupt": NS_PER_S, "memory.node": NS_PER_S, "network.link": NS_PER_S})
    groups = {reading.group: reading for reading in sampler.tick()}
    sampler.close()
    carried = [c.attribute("network.interface.name") for c in groups["network.link"].columns]
    assert set(carried) == set(os.listdir("/sys/class/net"))
    cores = {c.attribute("cpu.logical_number") for c in groups["interrupt"].columns}
    assert len(cores) == os.cpu_count()
    if os.path.isdir("/sys/devices/system/node/node0"):
        assert len(groups["memory.node"].columns) > 20
