"""Who this host is, and what is known of it beside its counters."""

import os
import re
import socket
import uuid
from pathlib import Path

from reditus.core.facts import DiskFacts, DiskRole, HostFacts
from reditus.recorder.hardware import (
    entries_of,
    hardware_facts,
    link_facts,
    mount_facts,
    number_of,
    sensor_facts,
    text_of,
    words_of,
)
from reditus.recorder.limits import group_facts, swap_facts
from reditus.recorder.listening import Listening

SECTOR_BYTES = 512
# A name of the time zone database.
_ZONE = re.compile(r"[A-Za-z0-9_+-]{1,32}(/[A-Za-z0-9_+-]{1,32}){0,2}")
# A host's id must not give away the machine's own, which other software treats as a secret of sorts.
_NAMESPACE = uuid.UUID("5f7c2f0e-2f6b-4a86-9a0f-5ad2b1f6c3d1")


def host_name() -> str:
    """The host's name, or `unnamed`."""
    return socket.gethostname() or "unnamed"


def host_id() -> uuid.UUID:
    """Stable for this machine; derived from its own id, or from its name where it has none."""
    own = text_of(Path("/etc/machine-id")) or text_of(Path("/var/lib/dbus/machine-id")) or host_name()
    return uuid.uuid5(_NAMESPACE, own)


def archive_id(host: uuid.UUID, name: str) -> uuid.UUID:
    """The same name on the same host is the same archive, so that a recorder started again goes on with it."""
    return uuid.uuid5(host, name)


def boot_id(root: str = "/") -> uuid.UUID:
    """Of this boot. Raise OSError where the kernel does not tell it."""
    return uuid.UUID(Path(root, "proc/sys/kernel/random/boot_id").read_text().strip())


def host_facts(root: str = "/", listening: Listening | None = None) -> HostFacts:
    """What the kernel's files say of the machine; `root` is for tests. `listening` is kept from look to look."""
    base = Path(root)
    mounts = mount_facts(base)
    return HostFacts(
        cores=os.cpu_count(),
        memory_bytes=_memory_bytes(base),
        kernel=text_of(base / "proc/sys/kernel/osrelease"),
        model=_model(base),
        virtual=_virtual(base),
        boot=text_of(base / "proc/sys/kernel/random/boot_id"),
        timezone=_timezone(base),
        disks=_disks(base / "sys/class/block"),
        links=link_facts(base),
        mounts=mounts,
        sensors=sensor_facts(base),
        swaps=swap_facts(base, mounts),
        groups=group_facts(base),
        hardware=hardware_facts(base),
        listening=(listening or Listening()).facts() if root == "/" else None,
    )


def _memory_bytes(base: Path) -> int | None:
    found = re.search(r"^MemTotal:\s+(\d+) kB", text_of(base / "proc/meminfo") or "", re.MULTILINE)
    return int(found[1]) * 1024 if found else None


def _model(base: Path) -> str | None:
    found = re.search(r"^model name\s*:\s*(.+)$", text_of(base / "proc/cpuinfo") or "", re.MULTILINE)
    return found[1].strip() if found else None


def _virtual(base: Path) -> bool | None:
    """Reported by the processor's flags (x86), by a hypervisor's own folder, or by the device tree; else unknown."""
    flags = re.search(r"^flags\s*:(.*)$", text_of(base / "proc/cpuinfo") or "", re.MULTILINE)
    if (base / "sys/hypervisor/type").exists() or (base / "proc/device-tree/hypervisor").exists():
        return True
    return None if flags is None else "hypervisor" in flags[1].split()


def _timezone(base: Path) -> str | None:
    """As /etc/localtime points into the time zone database (localtime(5)), else as /etc/timezone names it."""
    try:
        linked = os.readlink(base / "etc/localtime")
    except OSError:
        linked = ""
    name = linked.partition("zoneinfo/")[2] or text_of(base / "etc/timezone") or ""
    return name if _ZONE.fullmatch(name) else None


def _disks(folder: Path) -> dict[str, DiskFacts]:
    # Loop devices and the like that nothing is attached to have no size.
    return {
        device.name.replace("!", "/"): _disk(device) for device in entries_of(folder) if number_of(device / "size") != 0
    }


def _disk(device: Path) -> DiskFacts:
    sectors = number_of(device / "size")
    size_bytes = None if sectors is None else sectors * SECTOR_BYTES
    if (device / "partition").exists():
        return DiskFacts(DiskRole.PARTITION, (device.resolve().parent.name,), size_bytes=size_bytes)
    below = tuple(sorted(entry.name for entry in entries_of(device / "slaves")))
    rotational = text_of(device / "queue/rotational")
    chosen = re.search(r"\[([\w-]+)\]", text_of(device / "queue/scheduler") or "")
    stacked = below or (device / "loop").exists() or device.name.startswith(("loop", "dm-", "md"))
    role = DiskRole.VOLUME if stacked else DiskRole.DISK
    return DiskFacts(
        DiskRole.MEMORY if device.name.startswith(("ram", "zram")) else role,
        below,
        None if rotational is None else rotational == "1",
        words_of(device / "device/model"),
        size_bytes,
        chosen[1] if chosen else None,
    )
