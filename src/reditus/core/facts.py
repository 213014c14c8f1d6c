"""What is known of a host beside its counters: cores, memory, and how its devices stand to each other."""

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from enum import Enum

from reditus.core.types import Json

# Names by which the kernel's own drivers call things, for hosts that told no facts (a bare capture has no /sys).
_STACKED = re.compile(r"^(dm-|md|loop|drbd|bcache)\d+")
_MEMORY = re.compile(r"^(ram|zram|brd)\d+$")
_PARTITION = re.compile(r"^((?P<plain>(sd|vd|hd|xvd)[a-z]+)\d+|(?P<numbered>(nvme\d+n\d+|mmcblk\d+|nbd\d+))p\d+)$")


class DiskRole(Enum):
    """Where a block device stands in the stack."""

    DISK = "disk"
    """A bottom device; machine totals add only these."""
    PARTITION = "partition"
    """A part of another device."""
    VOLUME = "volume"
    """Stands on other devices (device mapper, md, loop)."""
    MEMORY = "memory"
    """Lives in memory (RAM disk, compressed swap)."""


@dataclass(frozen=True, slots=True)
class DiskFacts:
    role: DiskRole
    on: tuple[str, ...] = ()
    """The devices that it stands on or is a part of."""
    rotational: bool | None = None


@dataclass(frozen=True, slots=True)
class LinkFacts:
    speed_bits_per_s: int | None = None
    physical: bool | None = None


@dataclass(frozen=True, slots=True)
class HostFacts:
    """Facts of a host. What was not told is None or absent."""

    cores: int | None = None
    memory_bytes: int | None = None
    kernel: str | None = None
    model: str | None = None
    virtual: bool | None = None
    """Whether it runs under a hypervisor."""
    boot: str | None = None
    """The kernel's id of this boot."""
    disks: Mapping[str, DiskFacts] = field(default_factory=dict)
    links: Mapping[str, LinkFacts] = field(default_factory=dict)

    def disk_role(self, name: str) -> DiskRole:
        """The role as told, else as the name suggests."""
        if name in self.disks:
            return self.disks[name].role
        if _MEMORY.match(name):
            return DiskRole.MEMORY
        if _STACKED.match(name):
            return DiskRole.VOLUME
        return DiskRole.PARTITION if _PARTITION.match(name) else DiskRole.DISK

    def bottom_disks(self, names: Iterable[str]) -> list[str]:
        """Those devices whose bytes no other device repeats."""
        return [name for name in names if self.disk_role(name) is DiskRole.DISK]

    def outer_links(self, names: Iterable[str]) -> list[str]:
        """Interfaces that lead out of the machine: the physical ones where that is known, else all but the loopback."""
        outer = [name for name in names if name != "lo"]
        physical = [name for name in outer if name in self.links and self.links[name].physical]
        return physical or outer

    def as_json(self) -> Json:
        return {
            "cores": self.cores,
            "memory_bytes": self.memory_bytes,
            "kernel": self.kernel,
            "model": self.model,
            "virtual": self.virtual,
            "boot": self.boot,
            "disks": {
                name: {"role": disk.role.value, "on": list(disk.on), "rotational": disk.rotational}
                for name, disk in self.disks.items()
            },
            "links": {
                name: {"speed_bits_per_s": link.speed_bits_per_s, "physical": link.physical}
                for name, link in self.links.items()
            },
        }

    @classmethod
    def from_json(cls, given: Json) -> "HostFacts":
        """Read what `as_json` wrote; unknown keys are ignored. Raise KeyError, TypeError or ValueError otherwise."""
        return cls(
            cores=given.get("cores"),
            memory_bytes=given.get("memory_bytes"),
            kernel=given.get("kernel"),
            model=given.get("model"),
            virtual=given.get("virtual"),
            boot=given.get("boot"),
            disks={
                name: DiskFacts(DiskRole(disk["role"]), tuple(disk.get("on", ())), disk.get("rotational"))
                for name, disk in given.get("disks", {}).items()
            },
            links={
                name: LinkFacts(link.get("speed_bits_per_s"), link.get("physical"))
                for name, link in given.get("links", {}).items()
            },
        )
