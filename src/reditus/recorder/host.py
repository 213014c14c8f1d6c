"""Who this host is, and what is known of it beside its counters."""

import os
import re
import socket
import uuid
from pathlib import Path

from reditus.core.facts import DiskFacts, DiskRole, HostFacts, LinkFacts

# A name of the time zone database.
_ZONE = re.compile(r"[A-Za-z0-9_+-]{1,32}(/[A-Za-z0-9_+-]{1,32}){0,2}")
# A host's id must not give away the machine's own, which other software treats as a secret of sorts.
_NAMESPACE = uuid.UUID("5f7c2f0e-2f6b-4a86-9a0f-5ad2b1f6c3d1")


def host_name() -> str:
    """The host's name, or `unnamed`."""
    return socket.gethostname() or "unnamed"


def host_id() -> uuid.UUID:
    """Stable for this machine; derived from its own id, or from its name where it has none."""
    own = _text("/etc/machine-id") or _text("/var/lib/dbus/machine-id") or host_name()
    return uuid.uuid5(_NAMESPACE, own)


def archive_id(host: uuid.UUID, name: str) -> uuid.UUID:
    """The same name on the same host is the same archive, so that a recorder started again goes on with it."""
    return uuid.uuid5(host, name)


def boot_id(root: str = "/") -> uuid.UUID:
    """Of this boot. Raise OSError where the kernel does not tell it."""
    return uuid.UUID(Path(root, "proc/sys/kernel/random/boot_id").read_text().strip())


def host_facts(root: str = "/") -> HostFacts:
    """What the kernel's files say of the machine; `root` is for tests."""
    base = Path(root)
    return HostFacts(
        cores=os.cpu_count(),
        memory_bytes=_memory_bytes(base),
        kernel=_text(base / "proc/sys/kernel/osrelease"),
        model=_model(base),
        virtual=_virtual(base),
        boot=_text(base / "proc/sys/kernel/random/boot_id"),
        timezone=_timezone(base),
        disks=_disks(base / "sys/class/block"),
        links=_links(base / "sys/class/net"),
    )


def _memory_bytes(base: Path) -> int | None:
    found = re.search(r"^MemTotal:\s+(\d+) kB", _text(base / "proc/meminfo") or "", re.MULTILINE)
    return int(found[1]) * 1024 if found else None


def _model(base: Path) -> str | None:
    found = re.search(r"^model name\s*:\s*(.+)$", _text(base / "proc/cpuinfo") or "", re.MULTILINE)
    return found[1].strip() if found else None


def _virtual(base: Path) -> bool | None:
    """Reported by the processor's flags (x86), by a hypervisor's own folder, or by the device tree; else unknown."""
    flags = re.search(r"^flags\s*:(.*)$", _text(base / "proc/cpuinfo") or "", re.MULTILINE)
    if (base / "sys/hypervisor/type").exists() or (base / "proc/device-tree/hypervisor").exists():
        return True
    return None if flags is None else "hypervisor" in flags[1].split()


def _timezone(base: Path) -> str | None:
    """As /etc/localtime points into the time zone database (localtime(5)), else as /etc/timezone names it."""
    try:
        linked = os.readlink(base / "etc/localtime")
    except OSError:
        linked = ""
    name = linked.partition("zoneinfo/")[2] or _text(base / "etc/timezone") or ""
    return name if _ZONE.fullmatch(name) else None


def _disks(folder: Path) -> dict[str, DiskFacts]:
    return {device.name.replace("!", "/"): _disk(device) for device in _entries(folder)}


def _disk(device: Path) -> DiskFacts:
    if (device / "partition").exists():
        return DiskFacts(DiskRole.PARTITION, (device.resolve().parent.name,))
    below = tuple(sorted(entry.name for entry in _entries(device / "slaves")))
    rotational = _text(device / "queue/rotational")
    spins = None if rotational is None else rotational == "1"
    if device.name.startswith(("ram", "zram")):
        return DiskFacts(DiskRole.MEMORY, below, spins)
    stacked = below or (device / "loop").exists() or device.name.startswith(("loop", "dm-", "md"))
    return DiskFacts(DiskRole.VOLUME if stacked else DiskRole.DISK, below, spins)


def _links(folder: Path) -> dict[str, LinkFacts]:
    return {link.name: _link(link) for link in _entries(folder)}


def _link(link: Path) -> LinkFacts:
    speed_text = _text(link / "speed")
    # A link that is down, or has no speed of its own, says -1 or refuses to be read.
    megabits = int(speed_text) if speed_text and speed_text.isdigit() else 0
    return LinkFacts(megabits * 1_000_000 or None, (link / "device").exists())


def _entries(folder: Path) -> list[Path]:
    return sorted(folder.iterdir()) if folder.is_dir() else []


def _text(path: Path | str) -> str | None:
    """The file's text without surrounding blanks, or None where there is none to read."""
    try:
        return Path(path).read_text(errors="replace").strip() or None
    except OSError:
        return None
