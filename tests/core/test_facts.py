import pytest

from reditus.core.facts import DiskFacts, DiskRole, HostFacts, LinkFacts


def test_facts_survive_json():
    facts = HostFacts(
        cores=4, memory_bytes=1, kernel="6.1", model="m", virtual=True, boot="b1", timezone="Europe/Berlin",
        disks={"sda": DiskFacts(DiskRole.DISK, (), True), "dm-0": DiskFacts(DiskRole.VOLUME, ("sda",))},
        links={"ens4": LinkFacts(10**9, True), "lo": LinkFacts()},
    )  # fmt: skip
    assert HostFacts.from_json(facts.as_json()) == facts


@pytest.mark.parametrize(
    ("name", "role"),
    [
        ("sda", DiskRole.DISK), ("sda1", DiskRole.PARTITION), ("nvme0n1", DiskRole.DISK),
        ("nvme0n1p2", DiskRole.PARTITION),
        ("vda", DiskRole.DISK), ("dm-3", DiskRole.VOLUME), ("md0", DiskRole.VOLUME), ("loop7", DiskRole.VOLUME),
        ("zram0", DiskRole.MEMORY), ("mmcblk0p1", DiskRole.PARTITION),
    ],
)  # fmt: skip
def test_names_suggest_roles_where_nothing_was_reported(name, role):
    assert HostFacts().disk_role(name) is role


def test_without_physical_links_all_but_the_loopback_lead_out():
    assert HostFacts().outer_links(["lo", "eth0", "veth1"]) == ["eth0", "veth1"]
    answer = HostFacts(links={"eth0": LinkFacts(None, True), "veth1": LinkFacts(None, False)})
    assert answer.outer_links(["lo", "eth0", "veth1"]) == ["eth0"]
