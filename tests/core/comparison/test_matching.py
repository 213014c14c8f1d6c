"""Devices that stand for each other, and what is different about two machines."""

from reditus.core.comparison.matching import matched
from reditus.core.fact_changes import fact_changes
from reditus.core.facts import DiskFacts, DiskRole, GroupFacts, HostFacts, LinkFacts, ListeningFacts, MountFacts
from reditus.core.measures import Per

GIB = 1 << 30
FLASH = DiskFacts(DiskRole.DISK, rotational=False, size_bytes=100 * GIB)
LARGE = DiskFacts(DiskRole.DISK, rotational=True, size_bytes=900 * GIB)


def test_disks_are_matched_by_name_then_by_what_they_are():
    here = HostFacts(disks={"sda": FLASH, "sdb": LARGE, "sdc": FLASH})
    there = HostFacts(disks={"sda": FLASH, "vda": FLASH, "vdb": LARGE})
    found = matched(Per.DISK, ["sda", "sdb", "sdc"], ["sda", "vda", "vdb"], (here, there))
    assert set(found.pairs) == {("sda", "sda"), ("sdb", "vdb"), ("sdc", "vda")}
    assert (found.only_window, found.only_reference) == ((), ())


def test_what_nothing_stands_for_is_left_over():
    found = matched(Per.DISK, ["sda", "dm-0"], ["nvme0n1"], (HostFacts(), HostFacts()))
    assert found.pairs == (("sda", "nvme0n1"),)
    assert found.only_window == ("dm-0",)
    mounts = matched(Per.FILESYSTEM, ["/", "/srv"], ["/", "/home"], (HostFacts(), HostFacts()))
    assert mounts.pairs == (("/", "/"),)
    assert (mounts.only_window, mounts.only_reference) == (("/srv",), ("/home",))


def test_interfaces_by_whether_they_are_physical():
    here, there = (HostFacts(links={name: LinkFacts(10**9, True)}) for name in ("eth0", "ens4"))
    assert matched(Per.INTERFACE, ["eth0", "lo"], ["ens4", "lo"], (here, there)).pairs == (
        ("lo", "lo"),
        ("eth0", "ens4"),
    )


def test_changes_of_a_machine_are_sentences():
    before = HostFacts(
        cores=8, memory_bytes=32 * GIB, kernel="6.1", boot="a", disks={"sda": FLASH, "sdb": LARGE},
        mounts={"/": MountFacts("/dev/sda", "ext4", "rw")}, groups={"lab": GroupFacts(cores=2.0)},
        listening=(ListeningFacts("tcp", "::", 22, "sshd"),),
    )  # fmt: skip
    after = HostFacts(
        cores=7, memory_bytes=16 * GIB, kernel="6.2", boot="b", disks={"sda": FLASH},
        mounts={"/": MountFacts("/dev/sda", "ext4", "ro"), "/srv": MountFacts()}, groups={"lab": GroupFacts(cores=1.0)},
        listening=(ListeningFacts("tcp", "::", 80, "web"),),
    )  # fmt: skip
    assert fact_changes(before, after) == [
        "kernel: 6.1 → 6.2",
        "cores: 8 → 7",
        "memory: 32 GiB → 16 GiB",
        "the machine was restarted",
        "disk sdb went",
        "filesystem /srv came",
        "filesystem /, options: rw → ro",
        "limit of group lab, cores: 2.0 → 1.0",
        "tcp port 80 is listened at by web",
        "tcp port 22 is listened at no more",
    ]
    assert fact_changes(before, before) == []
    # What is known of one side alone is no change.
    assert fact_changes(HostFacts(), before) == ["limit of group lab came"]
