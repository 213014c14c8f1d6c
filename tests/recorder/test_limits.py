"""Where memory is swapped to, and what control groups may use at most, from files as kernels write them."""

import re

import pytest

from reditus.core.facts import GroupFacts, HostFacts, MountFacts, SwapFacts
from reditus.recorder.limits import group_facts, swap_facts

MIB = 1 << 20


@pytest.fixture
def put(tmp_path):
    def written(path, text):
        file = tmp_path / path
        file.parent.mkdir(parents=True, exist_ok=True)
        file.write_text(text)

    return written


def test_swap_is_found_on_its_disk(tmp_path, put):
    for name in ("sda2", "dm-3", "sdb"):
        put(f"sys/class/block/{name}/size", "1\n")
    put("dev/dm-3", "")
    (tmp_path / "dev/mapper").mkdir()
    (tmp_path / "dev/mapper/swap").symlink_to("../dm-3")
    put(
        "proc/swaps",
        "Filename\t\t\t\tType\t\tSize\t\tUsed\t\tPriority\n"
        "/dev/sda2                               partition\t1048576\t\t0\t\t-2\n"
        "/dev/mapper/swap                        partition\t2097152\t\t0\t\t-3\n"
        "/srv/a\\040file                          file\t\t4194304\t\t0\t\t-4\n"
        "/elsewhere/file                         file\t\t4\t\t0\t\t-5\n"
        "torn\n",
    )
    mounts = {"/": MountFacts("overlay", "overlay"), "/srv": MountFacts("/dev/sdb", "ext4")}
    assert swap_facts(tmp_path, mounts) == {
        "/dev/sda2": SwapFacts("partition", 1_024 * MIB, "sda2"),
        "/dev/mapper/swap": SwapFacts("partition", 2_048 * MIB, "dm-3"),
        "/srv/a file": SwapFacts("file", 4_096 * MIB, "sdb"),
        "/elsewhere/file": SwapFacts("file", 4_096, None),
    }
    assert swap_facts(tmp_path / "none", mounts) == {}


def test_limits_of_groups_of_the_second_version(tmp_path, put):
    groups = "sys/fs/cgroup"
    put(f"{groups}/cgroup.controllers", "cpu memory\n")
    put(f"{groups}/lab.slice/scans.service/cpu.max", "150000 100000\n")
    put(f"{groups}/lab.slice/scans.service/memory.max", f"{512 * MIB}\n")
    put(f"{groups}/lab.slice/scans.service/memory.high", f"{400 * MIB}\n")
    put(f"{groups}/lab.slice/scans.service/memory.swap.max", "0\n")
    put(f"{groups}/lab.slice/scans.service/pids.max", "99\n")
    put(f"{groups}/lab.slice/scans.service/io.max", "8:0 rbps=1048576 wbps=max riops=max wiops=max\n8:16 rbps=max\n")
    put(f"{groups}/lab.slice/cpu.max", "max 100000\n")
    put(f"{groups}/lab.slice/memory.max", "max\n")
    put(f"{groups}/odd.slice/cpu.max", "5 0\n")
    found = group_facts(tmp_path)
    assert found == {
        "lab.slice/scans.service": GroupFacts(1.5, 512 * MIB, 400 * MIB, 0, 99, ("8:0 rbps=1048576",)),
    }
    facts = HostFacts(groups=found, swaps={"/dev/sda2": SwapFacts("partition", 5, "sda2")})
    assert HostFacts.from_json(facts.as_json()) == facts


def test_memory_s_limit_of_groups_of_the_first_version(tmp_path, put):
    put("sys/fs/cgroup/memory/memory.limit_in_bytes", "9223372036854771712\n")
    put("sys/fs/cgroup/memory/lab/memory.limit_in_bytes", f"{64 * MIB}\n")
    assert group_facts(tmp_path) == {"lab": GroupFacts(memory_bytes=64 * MIB)}
    assert group_facts(tmp_path / "none") == {}


@pytest.mark.parametrize(
    ("given", "why"),
    [
        ({"groups": {"a": {"cores": "two"}}}, "groups.'a'.cores"),
        ({"groups": {"a": {"tasks": -1}}}, "groups.'a'.tasks"),
        ({"groups": {"a": {"io": "8:0"}}}, "groups.'a'.io"),
        ({"swaps": {"/dev/sda2": {"size_bytes": 1.5}}}, "swaps.'/dev/sda2'.size_bytes"),
    ],
)
def test_what_is_wrong_with_such_facts_is_said(given, why):
    with pytest.raises(ValueError, match=re.escape(why)):
        HostFacts.from_json(given)
