"""The catalogue of counters: every name that may stand in a schema, with what an analyst needs to know of it.

Names follow the OpenTelemetry semantic conventions where those have one (`system.cpu.time`), and are our own in the
same style where they have none. Sources: the kernel's Documentation/filesystems/proc.rst, admin-guide/iostats.rst,
accounting/psi.rst, scheduler/sched-stats.rst and proc(5).
"""

from dataclasses import dataclass

from reditus.core.errors import UnknownCounter
from reditus.core.schema import Kind

CPU_MODE = "cpu.mode"
CPU_NUMBER = "cpu.logical_number"
DISK = "system.device"
DISK_DIRECTION = "disk.io.direction"
INTERFACE = "network.interface.name"
NETWORK_DIRECTION = "network.io.direction"
MEMORY_FIELD = "linux.memory.field"
PAGING_EVENT = "linux.paging.event"
PAGING_DIRECTION = "system.paging.direction"
FAULT_TYPE = "system.paging.fault.type"
SOFT_INTERRUPT = "linux.soft_interrupt.kind"
PROTOCOL = "linux.network.protocol"
PROTOCOL_FIELD = "linux.network.field"
PAGING_STATE = "system.paging.state"
RESOURCE = "linux.pressure.resource"
SCOPE = "linux.pressure.scope"
INTERRUPT = "linux.interrupt"
NODE = "linux.memory.node"
THROTTLE = "linux.throttle.part"
SENSOR = "hw.id"
CGROUP = "linux.cgroup"
MOUNT = "system.filesystem.mountpoint"
PROCESS_SLOT = "linux.process.slot"
PROCESS_STATE = "linux.process.state"
THREAD_SLOT = "linux.thread.slot"
FILESYSTEM_STATE = "system.filesystem.state"
CONNECTION_STATE = "network.connection.state"


@dataclass(frozen=True, slots=True)
class Counter:
    """What a counter means. `unit` is UCUM; `device` names the attribute that tells its devices apart, if any."""

    name: str
    title: str
    unit: str
    kind: Kind
    help: str
    source: str
    device: str | None = None
    attributes: tuple[str, ...] = ()
    """Further attributes, such as a direction."""


_CUMULATIVE, _LEVEL = Kind.CUMULATIVE, Kind.LEVEL
_ALL = [
    Counter(
        "system.cpu.time", "Processor time by mode", "s", _CUMULATIVE,
        "Time that cores spent in each mode. guest is already inside user, and guest_nice inside nice. Without a core "
        "number it is the sum over all cores. idle and iowait may step back a little.",
        "/proc/stat cpu lines", CPU_NUMBER, (CPU_MODE,),
    ),
    Counter(
        "system.cpu.context_switches", "Context switches", "{switch}", _CUMULATIVE,
        "Times that a core went from one task to another.", "/proc/stat ctxt",
    ),
    Counter(
        "system.cpu.interrupts", "Interrupts", "{interrupt}", _CUMULATIVE,
        "Hardware interrupts served: all kinds together, and by kind and core.", "/proc/stat intr, /proc/interrupts",
        CPU_NUMBER, (INTERRUPT,),
    ),
    Counter(
        "system.cpu.soft_interrupts", "Soft interrupts", "{interrupt}", _CUMULATIVE,
        "Deferred interrupt work (packets, timers, completions) served: all of it, and per kind and core.",
        "/proc/stat softirq, /proc/softirqs", CPU_NUMBER, (SOFT_INTERRUPT,),
    ),
    Counter(
        "system.uptime", "Uptime", "s", _LEVEL,
        "Time since the machine started.", "/proc/uptime",
    ),
    Counter(
        "system.process.created", "Processes and threads made", "{process}", _CUMULATIVE,
        "Forks and clones since boot; a fork storm shows here and nowhere else.", "/proc/stat processes",
    ),
    Counter(
        "system.process.runnable", "Runnable tasks", "{task}", _LEVEL,
        "Tasks running or ready to run at the tick, the recorder itself included.", "/proc/stat procs_running",
    ),
    Counter(
        "system.process.blocked", "Blocked tasks", "{task}", _LEVEL,
        "Tasks in uninterruptible sleep at the tick, mostly on I/O. It says nothing of a lack of processors.",
        "/proc/stat procs_blocked",
    ),
    Counter(
        "system.boot_time", "Boot time", "s", _LEVEL,
        "When the machine started, seconds since the epoch.", "/proc/stat btime",
    ),
    Counter(
        "system.cpu.run_delay", "Time spent waiting for a core", "s", _CUMULATIVE,
        "Time that tasks were ready to run on this core and waited; its growth per second is the mean number waiting.",
        "/proc/schedstat cpu lines, field 8", CPU_NUMBER,
    ),
    Counter(
        "system.cpu.run_time", "Time spent running tasks", "s", _CUMULATIVE,
        "Time that tasks ran on this core.", "/proc/schedstat cpu lines, field 7", CPU_NUMBER,
    ),
    Counter(
        "system.cpu.load_average.1m", "Load average, 1 minute", "{task}", _LEVEL,
        "Damped count of tasks that are runnable or in uninterruptible sleep.", "/proc/loadavg",
    ),
    Counter(
        "system.cpu.load_average.5m", "Load average, 5 minutes", "{task}", _LEVEL,
        "Damped count of tasks that are runnable or in uninterruptible sleep.", "/proc/loadavg",
    ),
    Counter(
        "system.cpu.load_average.15m", "Load average, 15 minutes", "{task}", _LEVEL,
        "Damped count of tasks that are runnable or in uninterruptible sleep.", "/proc/loadavg",
    ),
    Counter(
        "system.process.count", "Tasks", "{task}", _LEVEL,
        "All tasks (threads) that exist.", "/proc/loadavg",
    ),
    Counter(
        "system.memory.linux.bytes", "Memory by use", "By", _LEVEL,
        "The fields of /proc/meminfo that are sizes, under the kernel's own field names.",
        "/proc/meminfo", MEMORY_FIELD,
    ),
    Counter(
        "system.memory.linux.huge_pages", "Huge pages", "{page}", _LEVEL,
        "The fields of /proc/meminfo that count huge pages, under the kernel's own field names.",
        "/proc/meminfo", MEMORY_FIELD,
    ),
    Counter(
        "system.memory.linux.pages", "Memory in pages", "By", _LEVEL,
        "The levels of /proc/vmstat (nr_ names), under the kernel's own names; counted in pages, given in bytes.",
        "/proc/vmstat", PAGING_EVENT,
    ),
    Counter(
        "system.paging.usage", "Swap space by device", "By", _LEVEL,
        "Swap space of each device or file, used and in all.", "/proc/swaps", DISK, (PAGING_STATE,),
    ),
    Counter(
        "system.paging.operations", "Swap traffic", "By", _CUMULATIVE,
        "Memory moved between swap and main memory since boot.", "/proc/vmstat pswpin, pswpout",
        None, (PAGING_DIRECTION,),
    ),
    Counter(
        "system.paging.faults", "Page faults", "{fault}", _CUMULATIVE,
        "Faults since boot; a major one had to read from disk or swap.", "/proc/vmstat pgfault, pgmajfault",
        None, (FAULT_TYPE,),
    ),
    Counter(
        "system.paging.linux.events", "Reclaim, refault and out-of-memory events", "{event}", _CUMULATIVE,
        "The event counters of /proc/vmstat, under the kernel's own names.", "/proc/vmstat", PAGING_EVENT,
    ),
    Counter(
        "system.disk.io", "Bytes moved", "By", _CUMULATIVE,
        "Bytes read, written or discarded. Partitions and stacked devices repeat the bytes of those below.",
        "/proc/diskstats sectors (512 B each)", DISK, (DISK_DIRECTION,),
    ),
    Counter(
        "system.disk.operations", "Requests completed", "{operation}", _CUMULATIVE,
        "Requests that the device completed.", "/proc/diskstats", DISK, (DISK_DIRECTION,),
    ),
    Counter(
        "system.disk.merged", "Requests merged", "{operation}", _CUMULATIVE,
        "Requests joined to a neighbour before they were sent.", "/proc/diskstats", DISK, (DISK_DIRECTION,),
    ),
    Counter(
        "system.disk.operation_time", "Time spent in requests", "s", _CUMULATIVE,
        "Sum over requests of the time from start to completion.", "/proc/diskstats", DISK, (DISK_DIRECTION,),
    ),
    Counter(
        "system.disk.io_time", "Time with a request in flight", "s", _CUMULATIVE,
        "Time during which the device had at least one request.", "/proc/diskstats field 10", DISK,
    ),
    Counter(
        "system.disk.weighted_io_time", "Time weighted by requests in flight", "s", _CUMULATIVE,
        "Integral of the requests in flight; its growth per second is the mean queue.",
        "/proc/diskstats field 11", DISK,
    ),
    Counter(
        "system.disk.pending_operations", "Requests in flight", "{operation}", _LEVEL,
        "Requests in flight at the tick.", "/proc/diskstats field 9", DISK,
    ),
    Counter(
        "system.network.io", "Bytes moved", "By", _CUMULATIVE,
        "Bytes received or transmitted by the interface.", "/proc/net/dev", INTERFACE, (NETWORK_DIRECTION,),
    ),
    Counter(
        "system.network.packet.count", "Packets", "{packet}", _CUMULATIVE,
        "Packets received or transmitted.", "/proc/net/dev", INTERFACE, (NETWORK_DIRECTION,),
    ),
    Counter(
        "system.network.errors", "Errors", "{error}", _CUMULATIVE,
        "Packets damaged on receipt or failed on sending.", "/proc/net/dev errs", INTERFACE, (NETWORK_DIRECTION,),
    ),
    Counter(
        "system.network.packet.dropped", "Packets dropped", "{packet}", _CUMULATIVE,
        "Packets dropped; on receive also packets of unwanted protocols.",
        "/proc/net/dev drop", INTERFACE, (NETWORK_DIRECTION,),
    ),
    Counter(
        "system.network.linux.fifo_errors", "Buffer overruns", "{error}", _CUMULATIVE,
        "Packets lost because the card's buffer was full.", "/proc/net/dev fifo", INTERFACE, (NETWORK_DIRECTION,),
    ),
    Counter(
        "system.network.linux.frame_errors", "Framing errors", "{error}", _CUMULATIVE,
        "Packets received with a broken frame.", "/proc/net/dev frame", INTERFACE,
    ),
    Counter(
        "system.network.linux.carrier_errors", "Carrier losses", "{error}", _CUMULATIVE,
        "Times that the carrier was lost while sending.", "/proc/net/dev carrier", INTERFACE,
    ),
    Counter(
        "system.network.linux.collisions", "Collisions", "{collision}", _CUMULATIVE,
        "Collisions seen while sending.", "/proc/net/dev colls", INTERFACE,
    ),
    Counter(
        "system.network.linux.multicast", "Multicast packets received", "{packet}", _CUMULATIVE,
        "Multicast packets received.", "/proc/net/dev multicast", INTERFACE,
    ),
    Counter(
        "system.network.linux.compressed", "Compressed packets", "{packet}", _CUMULATIVE,
        "Packets sent or received compressed, on links that do so.",
        "/proc/net/dev compressed", INTERFACE, (NETWORK_DIRECTION,),
    ),
    Counter(
        "system.network.linux.protocol", "Protocol events", "{event}", _CUMULATIVE,
        "What the protocols counted (segments sent and sent again, resets, overflows), under the kernel's own names.",
        "/proc/net/snmp, /proc/net/snmp6, /proc/net/netstat", None, (PROTOCOL, PROTOCOL_FIELD),
    ),
    Counter(
        "system.network.linux.protocol_state", "Protocol levels", "{item}", _LEVEL,
        "Levels and settings among the protocols' numbers, such as connections established.",
        "/proc/net/snmp", None, (PROTOCOL, PROTOCOL_FIELD),
    ),
    Counter(
        "system.network.linux.sockets", "Sockets", "{socket}", _LEVEL,
        "Sockets in use, waiting to end, orphaned; and the pages of memory they hold, under the kernel's own names.",
        "/proc/net/sockstat, /proc/net/sockstat6", None, (PROTOCOL, PROTOCOL_FIELD),
    ),
    Counter(
        "system.network.connection.count", "TCP sockets by state", "{connection}", _LEVEL,
        "TCP sockets, IPv4 and IPv6, in each state but established and TIME-WAIT, which the kernel counts itself.",
        "sock_diag(7)", None, (CONNECTION_STATE,),
    ),
    Counter(
        "system.network.linux.backlog.processed", "Packets taken in per core", "{packet}", _CUMULATIVE,
        "Packets that each core took from its input backlog.", "/proc/net/softnet_stat, field 1", CPU_NUMBER,
    ),
    Counter(
        "system.network.linux.backlog.dropped", "Packets dropped from the backlog", "{packet}", _CUMULATIVE,
        "Packets thrown away because the core's input backlog was full.", "/proc/net/softnet_stat, field 2", CPU_NUMBER,
    ),
    Counter(
        "system.network.linux.backlog.squeezed", "Backlog time squeezes", "{time}", _CUMULATIVE,
        "Times that a core had packets left when its turn to take them was over.",
        "/proc/net/softnet_stat, field 3", CPU_NUMBER,
    ),
    Counter(
        "system.network.linux.connections.tracked", "Connections tracked", "{connection}", _LEVEL,
        "Entries in the connection-tracking table.", "/proc/sys/net/netfilter/nf_conntrack_count",
    ),
    Counter(
        "system.network.linux.connections.limit", "Room in the connection-tracking table", "{connection}", _LEVEL,
        "Entries that the connection-tracking table may hold; beyond that packets are dropped.",
        "/proc/sys/net/netfilter/nf_conntrack_max",
    ),
    Counter(
        "system.linux.pressure.time", "Stall time", "s", _CUMULATIVE,
        "Time in which at least one task (some), or every task that had work (full), was held up for lack of the "
        "resource.",
        "/proc/pressure/* total", RESOURCE, (SCOPE,),
    ),
    Counter(
        "system.cpu.frequency", "Core speed", "Hz", _LEVEL,
        "The speed that the core runs at, as its driver tells it.", "/sys/devices/system/cpu/cpu*/cpufreq", CPU_NUMBER,
    ),
    Counter(
        "system.cpu.linux.throttled", "Times slowed by heat or power", "{time}", _CUMULATIVE,
        "Times that the core, or its whole package, was slowed to stay within its limits.",
        "/sys/devices/system/cpu/cpu*/thermal_throttle", CPU_NUMBER, (THROTTLE,),
    ),
    Counter(
        "hw.temperature", "Temperature", "Cel", _LEVEL,
        "What a sensor of the machine tells, in degrees Celsius.", "/sys/class/thermal, /sys/class/hwmon", SENSOR,
    ),
    Counter(
        "hw.fan.speed", "Fan speed", "{revolution}/min", _LEVEL, "What a fan tells, in revolutions per minute.",
        "/sys/class/hwmon", SENSOR,
    ),
    Counter("hw.voltage", "Voltage", "V", _LEVEL, "What a sensor of the machine tells, in volts.", "/sys/class/hwmon",
    SENSOR),
    Counter("hw.current", "Current", "A", _LEVEL, "What a sensor of the machine tells, in amperes.",
    "/sys/class/hwmon", SENSOR),
    Counter("hw.power", "Power", "W", _LEVEL, "What a sensor of the machine tells, in watts.", "/sys/class/hwmon",
    SENSOR),
    Counter(
        "system.memory.linux.node.bytes", "Memory by use, per node", "By", _LEVEL,
        "The sizes in each memory node's meminfo, under the kernel's own field names. One node may be full while "
        "others have room.", "/sys/devices/system/node/node*/meminfo", NODE, (MEMORY_FIELD,),
    ),
    Counter(
        "system.memory.linux.node.huge_pages", "Huge pages, per node", "{page}", _LEVEL,
        "The counts of huge pages in each memory node's meminfo.", "/sys/devices/system/node/node*/meminfo", NODE,
        (MEMORY_FIELD,),
    ),
    Counter(
        "system.memory.linux.node.events", "Where allocations went, per node", "{page}", _CUMULATIVE,
        "Pages that were given from the node that was meant (hit), from another one (miss, foreign), and so on, under "
        "the kernel's own names.", "/sys/devices/system/node/node*/numastat", NODE, (PAGING_EVENT,),
    ),
    Counter(
        "system.paging.linux.compressed", "Compressed swap", "By", _LEVEL,
        "What is kept in a compressed swap device: its size before (original) and after (compressed), and the memory "
        "taken in all (resident).", "/sys/block/zram*/mm_stat", DISK, (PAGING_STATE,),
    ),
    Counter(
        "system.network.linux.link.speed", "Link speed", "bit/s", _LEVEL,
        "The speed that the link agreed on; not given while it is down, nor by most virtual links.",
        "/sys/class/net/*/speed", INTERFACE,
    ),
    Counter(
        "system.network.linux.link.full_duplex", "Link is full duplex", "1", _LEVEL,
        "1 where the link sends and receives at the same time, 0 where it takes turns.",
        "/sys/class/net/*/duplex", INTERFACE,
    ),
    Counter(
        "system.network.linux.link.carrier", "Link has a carrier", "1", _LEVEL,
        "1 while something is at the other end.", "/sys/class/net/*/carrier", INTERFACE,
    ),
    Counter(
        "system.network.linux.link.carrier_changes", "Carrier changes", "{time}", _CUMULATIVE,
        "Times that the link went up or down.", "/sys/class/net/*/carrier_changes", INTERFACE,
    ),
    Counter(
        "system.network.linux.no_handler", "Packets without a handler", "{packet}", _CUMULATIVE,
        "Packets received on an inactive interface, or of an unknown protocol; no sign of overload.",
        "/sys/class/net/*/statistics/rx_nohandler", INTERFACE,
    ),
    Counter(
        "system.filesystem.usage", "Space of filesystems", "By", _LEVEL,
        "Space by mount point: used, free, and reserved (free, but for the superuser only).",
        "statvfs(3)", MOUNT, (FILESYSTEM_STATE,),
    ),
    Counter(
        "system.filesystem.linux.inodes", "Inodes of filesystems", "{inode}", _LEVEL,
        "Inodes by mount point: used and free. A filesystem without free inodes takes no new file, whatever its space.",
        "statvfs(3)", MOUNT, (FILESYSTEM_STATE,),
    ),
    Counter(
        "system.filesystem.linux.read_only", "Read-only filesystems", "1", _LEVEL,
        "1 where nothing can be written by mount point, as to images (squashfs, iso9660): those are full by nature.",
        "statvfs(3)", MOUNT,
    ),
    Counter(
        "system.cgroup.cpu.time", "Processor time of control groups", "s", _CUMULATIVE,
        "Time that the control group's tasks ran.", "/sys/fs/cgroup: cpu.stat, cpuacct.usage", CGROUP, (CPU_MODE,),
    ),
    Counter(
        "system.cgroup.cpu.periods", "Quota periods", "{period}", _CUMULATIVE,
        "Periods in which a control group with a processor quota had something to do.", "/sys/fs/cgroup: cpu.stat",
        CGROUP,
    ),
    Counter(
        "system.cgroup.cpu.throttled_periods", "Quota periods used up", "{period}", _CUMULATIVE,
        "Periods in which the group used its whole quota and had to stop.", "/sys/fs/cgroup: cpu.stat", CGROUP,
    ),
    Counter(
        "system.cgroup.cpu.throttled_time", "Time stopped by the quota", "s", _CUMULATIVE,
        "Time for which the group's tasks were stopped, summed over cores.", "/sys/fs/cgroup: cpu.stat", CGROUP,
    ),
    Counter(
        "system.cgroup.memory.usage", "Memory of control groups", "By", _LEVEL,
        "Memory charged to the group, page cache included.", "/sys/fs/cgroup: memory.current, memory.usage_in_bytes",
        CGROUP,
    ),
    Counter(
        "system.cgroup.memory.limit", "Memory limit of control groups", "By", _LEVEL,
        "What the group may hold at most; absent where there is no limit.",
        "/sys/fs/cgroup: memory.max, memory.limit_in_bytes", CGROUP,
    ),
    Counter(
        "system.cgroup.memory.swap", "Swap of control groups", "By", _LEVEL,
        "Swap charged to the group.", "/sys/fs/cgroup: memory.swap.current", CGROUP,
    ),
    Counter(
        "system.cgroup.memory.parts", "Memory of control groups by use", "By", _LEVEL,
        "Some sizes of the group's memory.stat, under the kernel's own names.", "/sys/fs/cgroup: memory.stat", CGROUP,
        (PAGING_EVENT,),
    ),
    Counter(
        "system.cgroup.memory.events", "Memory events of control groups", "{event}", _CUMULATIVE,
        "Times that the group met its limits (high, max, oom, oom_kill), and its major faults and refaults.",
        "/sys/fs/cgroup: memory.events, memory.stat", CGROUP, (PAGING_EVENT,),
    ),
    Counter(
        "system.cgroup.io", "Bytes moved by control groups", "By", _CUMULATIVE,
        "Bytes that the group read from or wrote to a device (its major:minor number).",
        "/sys/fs/cgroup: io.stat", CGROUP, (DISK, DISK_DIRECTION),
    ),
    Counter(
        "system.cgroup.operations", "Requests of control groups", "{operation}", _CUMULATIVE,
        "Requests that the group sent to a device (its major:minor number).",
        "/sys/fs/cgroup: io.stat", CGROUP, (DISK, DISK_DIRECTION),
    ),
    Counter(
        "system.cgroup.tasks", "Tasks of control groups", "{task}", _LEVEL,
        "Processes and threads in the group.", "/sys/fs/cgroup: pids.current", CGROUP,
    ),
    Counter(
        "system.cgroup.pressure.time", "Stall time of control groups", "s", _CUMULATIVE,
        "Time in which at least one task of the group (some), or every one that had work (full), was held up.",
        "/sys/fs/cgroup: *.pressure total", CGROUP, (RESOURCE, SCOPE),
    ),
    Counter(
        "process.pid", "Process in a slot", "1", _LEVEL,
        "The number of the process that the slot holds; 0 where it is empty. The heaviest processes by processor, "
        "memory, I/O and blocked time have a slot each.", "/proc/PID/stat", PROCESS_SLOT,
    ),
    Counter(
        "process.linux.start", "Start of a process", "s", _LEVEL,
        "When the process began, since the machine started; it tells processes with the same number apart.",
        "/proc/PID/stat field 22", PROCESS_SLOT,
    ),
    Counter(
        "process.linux.state", "State of a process", "1", _LEVEL,
        "The letter that the kernel gives for it (R, S, D, T, Z, I), as a character's number.",
        "/proc/PID/stat field 3", PROCESS_SLOT,
    ),
    Counter(
        "process.linux.core", "Last core of a process", "1", _LEVEL, "The core that it last ran on.",
        "/proc/PID/stat field 39", PROCESS_SLOT,
    ),
    Counter(
        "process.linux.cpu.used", "Processor time used by a process", "s", _LEVEL,
        "Processor time used in the tick's interval, by the process in the slot or by all that were there.",
        "/proc/PID/stat fields 14 and 15", PROCESS_SLOT, (CPU_MODE,),
    ),
    Counter(
        "process.memory.usage", "Memory of a process", "By", _LEVEL,
        "Its resident memory. What processes share is counted with each of them.", "/proc/PID/stat field 24",
        PROCESS_SLOT,
    ),
    Counter(
        "process.linux.io.moved", "Bytes moved by a process", "By", _LEVEL,
        "Bytes that it read from, or had written to, storage in the tick's interval. A process that sleeps is read "
        "now and then only, so its bytes may show a few ticks late. Other users' processes tell it to the superuser "
        "only.", "/proc/PID/io", PROCESS_SLOT, (DISK_DIRECTION,),
    ),
    Counter(
        "process.linux.faults.taken", "Page faults of a process", "{fault}", _LEVEL,
        "Faults in the tick's interval; a major one had to read from disk or swap.",
        "/proc/PID/stat fields 10 and 12", PROCESS_SLOT, (FAULT_TYPE,),
    ),
    Counter(
        "process.linux.blocked", "Time a process was blocked on I/O", "s", _LEVEL,
        "Time in the tick's interval that it waited for storage; kept by kernels that account for delays, else 0.",
        "/proc/PID/stat field 42", PROCESS_SLOT,
    ),
    Counter(
        "process.linux.waited", "Time a process waited for a core", "s", _LEVEL,
        "Time in the tick's interval that its threads were ready to run and had no core, all together; of processes in "
        "the slots that have no more than some dozens of threads, from their second tick there. Kept by kernels that "
        "count scheduling, else 0.",
        "/proc/PID/task/TID/schedstat, second field", PROCESS_SLOT,
    ),
    Counter(
        "process.thread.count", "Threads of a process", "{thread}", _LEVEL, "How many threads it has.",
        "/proc/PID/stat field 20",
        PROCESS_SLOT,
    ),
    Counter(
        "thread.id", "Thread in a slot", "1", _LEVEL,
        "The number of the thread that the slot holds; 0 where it is empty. Kept where the plan asks for threads: the "
        "heaviest ones of the heaviest processes. The other numbers of a thread stand under the names of processes.",
        "/proc/PID/task/TID/stat", THREAD_SLOT,
    ),
    Counter(
        "process.linux.count", "Processes by state", "{process}", _LEVEL,
        "Processes in each state at the tick: running or runnable (R), sleeping (S), uninterruptible (D), stopped (T), "
        "ended but not yet collected (Z), idle kernel threads (I).", "/proc/PID/stat", None, (PROCESS_STATE,),
    ),
]  # fmt: skip

COUNTERS: dict[str, Counter] = {counter.name: counter for counter in _ALL}


def counter_named(name: str) -> Counter:
    """Raise UnknownCounter, with the names that come near."""
    try:
        return COUNTERS[name]
    except KeyError:
        raise UnknownCounter(name) from None
