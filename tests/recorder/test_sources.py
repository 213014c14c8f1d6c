"""Each source on kernel text, with the numbers looked up by hand."""

import pytest

from reditus.core.counters import COUNTERS
from reditus.recorder.kernel_text import KernelText
from reditus.recorder.sources import (
    SOURCES,
    backlog,
    diskstats,
    loadavg,
    meminfo,
    netdev,
    paging,
    pressure,
    protocols,
    schedstat,
    single,
    sockets,
    softirqs,
    stat,
    swaps,
)

STAT = b"""cpu  300 10 80 900 40 1 7 20 5 6
cpu0 100 4 30 500 10 1 5 12 5 6
cpu2 200 6 50 400 30 0 2 8 0 0
intr 777 0 0 12 3
ctxt 38638
btime 1795412057
processes 1764
procs_running 3
procs_blocked 2
softirq 23507 0 316 138
"""
SCHEDSTAT = b"""version 15
timestamp 4295
cpu0 0 0 0 0 0 0 11111 22222 33
domain0 03 1 2 3 4 5 6 7 8 9
cpu1 0 0 0 0 0 0 44444 55555 66
"""
LOADAVG = b"0.61 1.42 10.07 1/123 4567\n"
MEMINFO = b"""MemTotal:       24684096 kB
Active(anon):        200 kB
HugePages_Total:       3
Hugepagesize:       2048 kB
DirectMap4k:       26624 kB
"""
PAGING = (
    b"nr_free_pages 6097685\npswpin 4314\npswpout 4878\npgfault 601\npgmajfault 56\npgscan_kswapd 609\noom_kill 11\n"
)
DISKSTATS = b"""   8       0 sda 1 2 3 4 5 6 7 8 9 10 11 12 13 14 15 16 17
   8       1 sda1 21 22 23 24 25 26 27 28 29 30 31
"""
NETDEV = b"""Inter-|   Receive                                                |  Transmit
 face |bytes    packets errs drop fifo frame compressed multicast|bytes    packets errs drop fifo colls carrier compressed
    lo:    3193      29    0    0    0     0          0         0     3193      29    0    0    0     0       0          0
  eth0:290234698    9372    1    2    3     4          5         6   603947    6073    7    8    9    10      11         12
"""
PRESSURE = b"""some avg10=0.61 avg60=1.42 avg300=0.47 total=1897015
full avg10=0.00 avg60=0.00 avg300=0.00 total=17
"""


def read(source, raw):
    text = KernelText(source.learn)
    values = text.parse(source.text_of(raw)).tolist()
    return {(column.counter, *(value for _, value in column.attributes)): value
            for column, value in zip(text.columns, values, strict=True)}  # fmt: skip


def test_stat_by_core_and_for_the_machine():
    found = read(stat.SOURCE, STAT)
    assert found["system.cpu.time", "user"] == 300
    assert found["system.cpu.time", "0", "iowait"] == 10
    assert found["system.cpu.time", "2", "steal"] == 8
    assert found["system.cpu.time", "guest_nice"] == 6
    assert found["system.cpu.interrupts",] == 777
    assert found["system.process.runnable",] == 3
    assert found["system.boot_time",] == 1795412057
    assert len(found) == 37


def test_stat_of_an_old_kernel_ends_earlier():
    found = read(stat.SOURCE, b"cpu 1 2 3 4 5 6 7\n")
    assert found["system.cpu.time", "softirq"] == 7
    assert ("system.cpu.time", "steal") not in found


def test_schedstat_takes_run_time_and_delay():
    found = read(schedstat.SOURCE, SCHEDSTAT)
    assert found["system.cpu.run_time", "0"] == 11111
    assert found["system.cpu.run_delay", "1"] == 55555
    assert len(found) == 4


def test_loadavg_in_hundredths():
    assert list(read(loadavg.SOURCE, LOADAVG).values()) == [61, 142, 1007, 123]


def test_meminfo_under_the_kernels_names():
    found = read(meminfo.SOURCE, MEMINFO)
    assert found["system.memory.linux.bytes", "Active(anon)"] == 200
    assert found["system.memory.linux.bytes", "DirectMap4k"] == 26624
    assert found["system.memory.linux.huge_pages", "HugePages_Total"] == 3


def test_paging_swap_faults_and_events():
    found = read(paging.SOURCE, PAGING)
    assert found["system.paging.operations", "out"] == 4878
    assert found["system.paging.faults", "major"] == 56
    assert found["system.paging.linux.events", "oom_kill"] == 11
    assert found["system.memory.linux.pages", "nr_free_pages"] == 6097685
    assert len(found) == 7


def test_diskstats_every_field_of_every_device():
    found = read(diskstats.SOURCE, DISKSTATS)
    assert found["system.disk.operations", "read", "sda"] == 1
    assert found["system.disk.io", "write", "sda"] == 7
    assert found["system.disk.weighted_io_time", "sda"] == 11
    assert found["system.disk.operation_time", "flush", "sda"] == 17
    assert found["system.disk.io_time", "sda1"] == 30
    assert len(found) == 17 + 11


def test_netdev_even_where_the_name_touches_the_number():
    found = read(netdev.SOURCE, NETDEV)
    assert found["system.network.io", "eth0", "receive"] == 290234698
    assert found["system.network.packet.dropped", "eth0", "transmit"] == 8
    assert found["system.network.linux.carrier_errors", "eth0"] == 11
    assert len(found) == 32


def test_softirqs_by_kind_and_core():
    found = read(
        softirqs.SOURCE,
        b"          CPU0       CPU2\n      HI:          0          1\n  NET_RX:     114403      81850\n",
    )
    assert found["system.cpu.soft_interrupts", "2", "net_rx"] == 81850
    assert len(found) == 4


def test_protocols_by_name_and_levels_apart():
    raw = (
        b"Ip: Forwarding DefaultTTL InReceives\nIp: 1 64 987\n"
        b"Tcp: RtoMin MaxConn CurrEstab RetransSegs\nTcp: 200 -1 5 42\n"
    )
    found = read(protocols.SOURCES[0], raw)
    assert found["system.network.linux.protocol", "InReceives", "ip"] == 987
    assert found["system.network.linux.protocol", "RetransSegs", "tcp"] == 42
    assert found["system.network.linux.protocol_state", "CurrEstab", "tcp"] == 5
    assert len(found) == 6


def test_pairs_that_do_not_match_are_left_out():
    assert read(protocols.SOURCES[1], b"TcpExt: A B\nTcpExt: 1 2\nIpExt: C D\nIpExt: 3\n") == {
        ("system.network.linux.protocol", "A", "tcpext"): 1,
        ("system.network.linux.protocol", "B", "tcpext"): 2,
    }


def test_version_six_by_protocol():
    found = read(protocols.SOURCES[2], b"Ip6InReceives   \t7\nUdp6NoPorts \t9\nIcmp6InType135 \t2\nStrange 3\n")
    assert found["system.network.linux.protocol", "NoPorts", "udp6"] == 9
    assert found["system.network.linux.protocol", "InType135", "icmp6"] == 2
    assert len(found) == 3


def test_sockets_of_both_versions():
    four = read(sockets.SOURCES[0], b"sockets: used 8\nTCP: inuse 1 orphan 0 tw 4 alloc 1 mem 0\n")
    six = read(sockets.SOURCES[1], b"TCP6: inuse 3\n")
    assert four["system.network.linux.sockets", "tw", "tcp"] == 4
    assert six == {("system.network.linux.sockets", "inuse", "tcp6"): 3}


def test_the_backlog_is_hexadecimal():
    line = b"00016f98 0000000a 00000002" + b" 00000000" * 9 + b" 00000003 00000000\n"
    found = read(backlog.SOURCE, line + b"not hex\n")
    assert found == {
        ("system.network.linux.backlog.processed", "3"): 0x16F98,
        ("system.network.linux.backlog.dropped", "3"): 10,
        ("system.network.linux.backlog.squeezed", "3"): 2,
    }


def test_swaps_by_device():
    raw = b"Filename\tType\tSize\tUsed\tPriority\n/dev/sdb1 partition 4194300 307 -2\n/swap file 100 0 5\n"
    found = read(swaps.SOURCE, raw)
    assert found["system.paging.usage", "sdb1", "used"] == 307
    assert found["system.paging.usage", "/swap", "total"] == 100


def test_single_numbers():
    uptime, count, _ = single.SOURCES
    assert read(uptime, b"7208.38 11885.38\n") == {("system.uptime",): 720838}
    assert read(count, b"12\n") == {("system.network.linux.connections.tracked",): 12}


def test_pressure_keeps_totals():
    io = next(source for source in pressure.SOURCES if source.path.endswith("/io"))
    assert read(io, PRESSURE) == {
        ("system.linux.pressure.time", "io", "some"): 1897015,
        ("system.linux.pressure.time", "io", "full"): 17,
    }


@pytest.mark.parametrize("source", SOURCES, ids=lambda source: source.group)
def test_text_that_makes_no_sense_gives_nothing_and_no_error(source):
    for raw in (b"\n", b"nonsense\n", b"cpu\n", b"ctxt\n", b"12 34 56\n", b":::\n", bytes(range(1, 256))):
        KernelText(source.learn).parse(raw)


def test_all_columns_are_in_the_catalogue():
    for source, raw in ((stat, STAT), (netdev, NETDEV), (diskstats, DISKSTATS)):
        for counter, *_ in read(source.SOURCE, raw):
            assert counter in COUNTERS
