"""The columns that the Linux kernel's files give, with the scale of their raw integers.

The recorder reads them from text and the simulator makes them up; both take the columns from here, so a simulated host
cannot differ from a recorded one in what its numbers mean.
"""

from collections.abc import Mapping

from reditus.core import counters as name
from reditus.core.counters import counter_named
from reditus.core.schema import Column

TICKS_PER_S = 100
PAGE_BYTES = 4096
SECTOR = (512, 1)
MILLISECOND = (1, 1_000)
MICROSECOND = (1, 1_000_000)
NANOSECOND = (1, 1_000_000_000)
KIBIBYTE = (1024, 1)

# In the order of /proc/stat; older kernels end earlier.
CPU_MODES = ("user", "nice", "system", "idle", "iowait", "interrupt", "softirq", "steal", "guest", "guest_nice")


def kernel_column(
    counter: str, attributes: Mapping[str, str] | None = None, *, scale: tuple[int, int] = (1, 1), bits: int = 64
) -> Column:
    """A column of a counter in the catalogue, with the catalogue's unit and kind."""
    known = counter_named(counter)
    return Column.of(counter, attributes, unit=known.unit, kind=known.kind, scale=scale, bits=bits)


def cpu_time(mode: str, core: str | None = None, *, ticks_per_s: int = TICKS_PER_S) -> Column:
    """Time in a mode: of one core, or of all together."""
    own = {name.CPU_NUMBER: core} if core is not None else {}
    return kernel_column("system.cpu.time", {name.CPU_MODE: mode, **own}, scale=(1, ticks_per_s))


def run_delay(core: str) -> Column:
    """Time that tasks waited for a core (/proc/schedstat)."""
    return kernel_column("system.cpu.run_delay", {name.CPU_NUMBER: core}, scale=NANOSECOND)


def run_time(core: str) -> Column:
    """Time that tasks ran on a core (/proc/schedstat)."""
    return kernel_column("system.cpu.run_time", {name.CPU_NUMBER: core}, scale=NANOSECOND)


def load_average(span: str) -> Column:
    """`span` is 1m, 5m or 15m; the kernel prints two decimals."""
    return kernel_column(f"system.cpu.load_average.{span}", scale=(1, 100))


def memory_size(field: str) -> Column:
    """A field of /proc/meminfo in kB."""
    return kernel_column("system.memory.linux.bytes", {name.MEMORY_FIELD: field}, scale=KIBIBYTE)


def swap_pages(direction: str, *, page_bytes: int = PAGE_BYTES) -> Column:
    """`direction` is in or out."""
    return kernel_column("system.paging.operations", {name.PAGING_DIRECTION: direction}, scale=(page_bytes, 1))


def page_faults(kind: str) -> Column:
    """`kind` is major, or all: the kernel's pgfault counts the major ones too."""
    return kernel_column("system.paging.faults", {name.FAULT_TYPE: kind})


def paging_event(event: str) -> Column:
    """A line of /proc/vmstat that counts events."""
    return kernel_column("system.paging.linux.events", {name.PAGING_EVENT: event})


def protocol_event(protocol: str, event: str) -> Column:
    """A field of /proc/net/snmp or netstat."""
    key = {name.PROTOCOL: protocol, name.PROTOCOL_FIELD: event}
    return kernel_column("system.network.linux.protocol", key)


def backlog(word: str, core: str) -> Column:
    """`word` is processed, dropped or squeezed; the kernel keeps them in 32 bits."""
    return kernel_column(f"system.network.linux.backlog.{word}", {name.CPU_NUMBER: core}, bits=32)


def memory_pages(level: str, *, page_bytes: int = PAGE_BYTES) -> Column:
    """A level of /proc/vmstat, counted in pages (a few are not pages; those are reported as the kernel counts them)."""
    scale = (1024, 1) if level == "nr_kernel_stack" else (page_bytes, 1)
    return kernel_column("system.memory.linux.pages", {name.PAGING_EVENT: level}, scale=scale)


def stall_total(resource: str, scope: str) -> Column:
    """The total of a pressure file: time in which some, or all, tasks were stalled."""
    key = {name.RESOURCE: resource, name.SCOPE: scope}
    return kernel_column("system.linux.pressure.time", key, scale=MICROSECOND)


def disk_columns(device: str) -> list[Column]:
    """The fields of /proc/diskstats in its order; older kernels end after the weighted time, or the discards.

    Times are milliseconds that the kernel prints as 32-bit numbers.
    """
    own = {name.DISK: device}
    flush = {name.DISK: device, name.DISK_DIRECTION: "flush"}
    return [
        *_disk_direction("read", device),
        *_disk_direction("write", device),
        kernel_column("system.disk.pending_operations", own),
        kernel_column("system.disk.io_time", own, scale=MILLISECOND, bits=32),
        kernel_column("system.disk.weighted_io_time", own, scale=MILLISECOND, bits=32),
        *_disk_direction("discard", device),
        kernel_column("system.disk.operations", flush),
        kernel_column("system.disk.operation_time", flush, scale=MILLISECOND, bits=32),
    ]


def _disk_direction(direction: str, device: str) -> list[Column]:
    key = {name.DISK: device, name.DISK_DIRECTION: direction}
    return [
        kernel_column("system.disk.operations", key),
        kernel_column("system.disk.merged", key),
        kernel_column("system.disk.io", key, scale=SECTOR),
        kernel_column("system.disk.operation_time", key, scale=MILLISECOND, bits=32),
    ]


def interface_columns(interface: str) -> list[Column]:
    """The columns of /proc/net/dev from left to right."""
    own = {name.INTERFACE: interface}
    into = {name.INTERFACE: interface, name.NETWORK_DIRECTION: "receive"}
    out = {name.INTERFACE: interface, name.NETWORK_DIRECTION: "transmit"}
    return [
        kernel_column("system.network.io", into),
        kernel_column("system.network.packet.count", into),
        kernel_column("system.network.errors", into),
        kernel_column("system.network.packet.dropped", into),
        kernel_column("system.network.linux.fifo_errors", into),
        kernel_column("system.network.linux.frame_errors", own),
        kernel_column("system.network.linux.compressed", into),
        kernel_column("system.network.linux.multicast", own),
        kernel_column("system.network.io", out),
        kernel_column("system.network.packet.count", out),
        kernel_column("system.network.errors", out),
        kernel_column("system.network.packet.dropped", out),
        kernel_column("system.network.linux.fifo_errors", out),
        kernel_column("system.network.linux.collisions", own),
        kernel_column("system.network.linux.carrier_errors", own),
        kernel_column("system.network.linux.compressed", out),
    ]
