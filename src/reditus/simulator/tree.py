"""A simulated host's state as a /proc and /sys tree, in the kernel's own words, so that a real recorder can read it.

Numbers are written as the files print them: from the same integers that the simulator's counters hold.
"""

import shutil
from collections.abc import Iterator, Mapping
from pathlib import Path

from reditus.core import counters as name
from reditus.core.identities import Identity
from reditus.core.kernel_columns import CPU_MODES, TICKS_PER_S, cpu_time, disk_columns, interface_columns
from reditus.core.processes import SLOTS, slot_columns
from reditus.core.schema import Column
from reditus.core.types import NS_PER_S
from reditus.simulator.host import SimulatedHost

Tick = Mapping[Column, int]
STAT_FIELDS = 52


class Tree:
    """Writes tick after tick into a folder. Processes' totals grow from tick to tick, so ticks go in their order."""

    def __init__(self, host: SimulatedHost, root: Path) -> None:
        self._host, self._root = host, root
        self._machine = host.scenario.machine
        self._names = {(identity.pid, identity.start): identity for identity in host.identities}
        self._used: dict[tuple[int, int], list[int]] = {}
        for at, disk in enumerate(self._machine.disks):
            self._put(f"/sys/block/{disk.name}/dev", f"8:{at * 16}\n")
            self._put(f"/sys/block/{disk.name}/queue/rotational", f"{int(disk.kind.value == 'rotating')}\n")

    def write(self, tick: int) -> None:
        """The state at a tick, by its number."""
        every = {group: {column: int(values[tick]) for column, values in columns.items()}
                 for group, columns in self._host.groups.items()}  # fmt: skip
        self._put("/proc/stat", self._stat(every["cpu"]))
        self._put("/proc/schedstat", self._schedstat(every["run"]))
        self._put("/proc/loadavg", self._loadavg(every["load"]))
        self._put("/proc/uptime", self._uptime(every["uptime"]))
        self._put("/proc/meminfo", self._pairs(every["memory"], name.MEMORY_FIELD, "{}: {} kB\n"))
        self._put("/proc/vmstat", self._paging(every["paging"]))
        self._put("/proc/swaps", self._swaps(every["swap"]))
        self._put("/proc/diskstats", self._diskstats(every["disk"]))
        self._put("/proc/net/dev", self._netdev(every["network"]))
        self._put("/proc/net/softnet_stat", self._softnet(every["backlog"]))
        titles = {"ip": "Ip", "icmp": "Icmp", "tcp": "Tcp", "udp": "Udp"}
        self._put("/proc/net/snmp", self._protocols(every["protocols"], titles))
        self._put("/proc/net/snmp6", self._protocols_six(every["protocols.six"]))
        self._put("/proc/net/sockstat", self._sockets(every["sockets"]))
        for path, text in self._sensors(every.get("sensor", {})):
            self._put(path, text)
        self._put("/proc/net/netstat", self._protocols(every["protocols.more"], {"tcpext": "TcpExt"}))
        for resource in ("cpu", "memory", "io"):
            self._put(f"/proc/pressure/{resource}", self._pressure(every[f"stall.{resource}"]))
        self._processes(every["process"])

    def _put(self, path: str, text: str) -> None:
        place = self._root / path.lstrip("/")
        place.parent.mkdir(parents=True, exist_ok=True)
        # Written in place, for a recorder keeps its files open.
        with place.open("r+" if place.exists() else "w") as file:
            file.write(text)
            file.truncate()

    def _stat(self, now: Tick) -> str:
        lines = [
            "cpu{} {}".format(
                "" if core is None else core, " ".join(str(now[cpu_time(mode, core)]) for mode in CPU_MODES)
            )
            for core in (None, *map(str, range(self._machine.cores)))
        ]
        for word, counter in (
            ("intr", "system.cpu.interrupts"), ("ctxt", "system.cpu.context_switches"), ("btime", "system.boot_time"),
            ("processes", "system.process.created"), ("procs_running", "system.process.runnable"),
            ("procs_blocked", "system.process.blocked"), ("softirq", "system.cpu.soft_interrupts"),
        ):  # fmt: skip
            lines.append(f"{word} {_of(now, counter)}")
        return "\n".join(lines) + "\n"

    def _schedstat(self, now: Tick) -> str:
        lines = ["version 15", "timestamp 4300000000"]
        for core in range(self._machine.cores):
            own = {
                column.counter: value for column, value in now.items() if column.attribute(name.CPU_NUMBER) == str(core)
            }
            lines.append(f"cpu{core} 0 0 0 0 0 0 {own['system.cpu.run_time']} {own['system.cpu.run_delay']} 0")
        return "\n".join(lines) + "\n"

    def _loadavg(self, now: Tick) -> str:
        loads = (_of(now, f"system.cpu.load_average.{span}") for span in ("1m", "5m", "15m"))
        return (
            " ".join(f"{load // 100}.{load % 100:02d}" for load in loads) + f" 1/{_of(now, 'system.process.count')} 9\n"
        )

    def _uptime(self, now: Tick) -> str:
        hundredths = _of(now, "system.uptime")
        return f"{hundredths // 100}.{hundredths % 100:02d} 0.00\n"

    def _pairs(self, now: Tick, attribute: str, form: str) -> str:
        return "".join(form.format(column.attribute(attribute), value) for column, value in now.items())

    def _paging(self, now: Tick) -> str:
        words = {
            ("system.paging.operations", "in"): "pswpin", ("system.paging.operations", "out"): "pswpout",
            ("system.paging.faults", "all"): "pgfault", ("system.paging.faults", "major"): "pgmajfault",
        }  # fmt: skip
        lines = []
        for column, value in now.items():
            device = next(iter(dict(column.attributes).values()))
            lines.append(f"{words.get((column.counter, device), device)} {value}\n")
        return "".join(lines)

    def _swaps(self, now: Tick) -> str:
        by_state = {
            column.attribute(name.PAGING_STATE): (column.attribute(name.DISK), value) for column, value in now.items()
        }
        device, total = by_state["total"]
        return f"Filename Type Size Used Priority\n/dev/{device} partition {total} {by_state['used'][1]} -2\n"

    def _diskstats(self, now: Tick) -> str:
        return "".join(
            f"8 {at * 16} {disk.name} {' '.join(str(now[column]) for column in disk_columns(disk.name))}\n"
            for at, disk in enumerate(self._machine.disks)
        )

    def _netdev(self, now: Tick) -> str:
        head = "Inter-| Receive | Transmit\n face |bytes packets|bytes packets\n"
        return head + "".join(
            f"{link.name}: {' '.join(str(now[column]) for column in interface_columns(link.name))}\n"
            for link in self._machine.links
        )

    def _softnet(self, now: Tick) -> str:
        own = {
            (column.counter.rpartition(".")[2], column.attribute(name.CPU_NUMBER)): value
            for column, value in now.items()
        }
        lines = []
        for core in range(self._machine.cores):
            words = [own[word, str(core)] for word in ("processed", "dropped", "squeezed")] + [0] * 9 + [core]
            lines.append(" ".join(f"{word:08x}" for word in words) + "\n")
        return "".join(lines)

    def _protocols(self, now: Tick, titles: dict[str, str]) -> str:
        lines = []
        for protocol, title in titles.items():
            own = {column.attribute(name.PROTOCOL_FIELD): value for column, value in now.items()
                   if column.attribute(name.PROTOCOL) == protocol}  # fmt: skip
            lines += [f"{title}: {' '.join(map(str, own))}\n", f"{title}: {' '.join(map(str, own.values()))}\n"]
        return "".join(lines)

    def _protocols_six(self, now: Tick) -> str:
        return "".join(
            f"{str(column.attribute(name.PROTOCOL)).capitalize()}{column.attribute(name.PROTOCOL_FIELD)} {value}\n"
            for column, value in now.items()
        )

    def _sockets(self, now: Tick) -> str:
        lines: dict[str, str] = {}
        for column, value in now.items():
            protocol = str(column.attribute(name.PROTOCOL))
            title = protocol if protocol == "sockets" else protocol.upper()
            lines[title] = f"{lines.get(title, f'{title}:')} {column.attribute(name.PROTOCOL_FIELD)} {value}"
        return "".join(f"{line}\n" for line in lines.values())

    def _sensors(self, now: Tick) -> Iterator[tuple[str, str]]:
        for column, value in now.items():
            monitor, driver, entry = str(column.attribute(name.SENSOR)).split(" ")
            folder = f"/sys/class/hwmon/{monitor}"
            yield f"{folder}/name", f"{driver}\n"
            yield f"{folder}/{entry}_input", f"{value}\n"

    def _pressure(self, now: Tick) -> str:
        return "".join(
            f"{column.attribute(name.SCOPE)} avg10=0.00 avg60=0.00 avg300=0.00 total={value}\n"
            for column, value in now.items()
        )

    def _processes(self, now: Tick) -> None:
        there = set()
        for slot in range(SLOTS):
            pid, start, state, core, *amounts = (now[column] for column in slot_columns(slot))
            if not pid:
                continue
            there.add(pid)
            total = self._used.setdefault((pid, start), [0] * len(amounts))
            for at, amount in enumerate(amounts):
                # What is held is held now; what was used adds up.
                total[at] = amount if at in (2, 8) else total[at] + amount
            self._process(pid, start, chr(state), core, total, self._names[pid, start])
        for folder in (self._root / "proc").glob("[0-9]*"):
            if int(folder.name) not in there:
                for file in folder.rglob("*"):
                    if file.is_file():
                        file.write_bytes(b"")  # what is open tells nothing any more, as with the kernel
                shutil.rmtree(folder)

    def _process(self, pid: int, start: int, state: str, core: int, total: list[int], who: Identity) -> None:
        user, system, memory, read, write, major, minor, blocked, threads, waited = total
        fields = ["0"] * STAT_FIELDS
        # By the numbers of proc(5).
        for field, value in (
            (4, who.parent), (10, minor), (12, major), (14, user), (15, system), (20, threads), (22, start),
            (24, memory), (39, core), (42, blocked),
        ):  # fmt: skip
            fields[field - 1] = str(value)
        self._put(f"/proc/{pid}/stat", f"{pid} ({who.name}) {state} {' '.join(fields[3:])}\n")
        self._put(
            f"/proc/{pid}/io",
            f"rchar: 0\nwchar: 0\nread_bytes: {read}\nwrite_bytes: {write}\ncancelled_write_bytes: 0\n",
        )
        ran_ns = (user + system) * NS_PER_S // TICKS_PER_S
        # As if its first thread had done all of it.
        for path in (f"/proc/{pid}/schedstat", f"/proc/{pid}/task/{pid}/schedstat"):
            self._put(path, f"{ran_ns} {waited} 0\n")
        self._put(f"/proc/{pid}/cgroup", f"0::{who.group}\n")


def _of(now: Tick, counter: str) -> int:
    return next(value for column, value in now.items() if column.counter == counter and not column.attributes)


assert TICKS_PER_S == 100, "the tree prints uptime and loads in hundredths"
