"""What the recorder tells of its host."""

import os

import pytest

from reditus.recorder.host import boot_id, host_facts


@pytest.mark.parametrize(
    ("cpuinfo", "folder", "virtual"),
    [
        ("flags\t\t: fpu sse2 hypervisor lm\n", None, True),
        ("flags\t\t: fpu sse2 lm\n", None, False),
        ("Features\t: fp asimd\n", None, None),
        ("Features\t: fp asimd\n", "proc/device-tree/hypervisor", True),
        ("flags\t\t: fpu\n", "sys/hypervisor/type", True),
    ],
)
def test_whether_a_hypervisor_is_below(tmp_path, cpuinfo, folder, virtual):
    (tmp_path / "proc").mkdir()
    (tmp_path / "proc/cpuinfo").write_text(cpuinfo)
    if folder:
        (tmp_path / folder).mkdir(parents=True)
    assert host_facts(str(tmp_path)).virtual is virtual


@pytest.mark.parametrize(
    ("linked", "written", "zone"),
    [
        ("../usr/share/zoneinfo/Europe/Berlin", None, "Europe/Berlin"),
        ("/usr/share/zoneinfo/America/Argentina/Ushuaia", "Europe/Berlin", "America/Argentina/Ushuaia"),
        (None, "Asia/Tokyo\n", "Asia/Tokyo"),
        ("/etc/clocks/our own", None, None),
        (None, "<script>", None),
        (None, None, None),
    ],
)
def test_the_clock_by_which_it_lives(tmp_path, linked, written, zone):
    (tmp_path / "etc").mkdir()
    if linked:
        (tmp_path / "etc/localtime").symlink_to(linked)
    if written:
        (tmp_path / "etc/timezone").write_text(written)
    assert host_facts(str(tmp_path)).timezone == zone


@pytest.mark.kernel
def test_this_host_is_reported():
    facts = host_facts()
    assert facts.cores == os.cpu_count()
    assert facts.boot == str(boot_id())
    assert facts.kernel == os.uname().release
    assert facts.memory_bytes == os.sysconf("SC_PHYS_PAGES") * os.sysconf("SC_PAGE_SIZE")
    assert set(facts.links) == set(os.listdir("/sys/class/net"))
