"""Where memory is swapped to, and what control groups are limited to."""

import re
from pathlib import Path

from reditus.core.facts import GroupFacts, MountFacts, SwapFacts
from reditus.recorder.hardware import number_of, plain, text_of

MOST_GROUPS, MOST_FOLDERS = 256, 4_096
NO_LIMIT = 1 << 60
"""The first version of control groups writes a number near 2^63 where there is none."""
KIB = 1_024
_OCTAL = re.compile(r"\\([0-7]{3})")


def swap_facts(base: Path, mounts: dict[str, MountFacts]) -> dict[str, SwapFacts]:
    """By name, as proc(5) lists them; of a file, the device of the filesystem that it lies in."""
    out = {}
    for line in (text_of(base / "proc/swaps") or "").splitlines()[1:]:
        words = line.split()
        name = plain(_OCTAL.sub(lambda found: chr(int(found[1], 8)), words[0])) if len(words) >= 3 else None
        if name is None or not words[2].isdigit():
            continue
        device = name if words[1] == "partition" else _device_below(name, mounts)
        out[name] = SwapFacts(plain(words[1]), int(words[2]) * KIB, _block_device(base, device))
    return out


def _device_below(path: str, mounts: dict[str, MountFacts]) -> str | None:
    """Of the deepest mount that holds a path."""
    holding = [mount for mount in mounts if path.startswith(mount.rstrip("/") + "/")]
    return mounts[max(holding, key=len)].device if holding else None


def _block_device(base: Path, device: str | None) -> str | None:
    """As the kernel's counters call it: a link such as /dev/mapper/swap leads to dm-3."""
    if device is None or not device.startswith("/dev/"):
        return None
    name = device.removeprefix("/dev/")
    if (base / "sys/class/block" / name.replace("/", "!")).exists():
        return name
    found = (base / "dev" / name).resolve().name
    return found if (base / "sys/class/block" / found).exists() else None


def group_facts(base: Path) -> dict[str, GroupFacts]:
    """The control groups that have a limit of their own, by path; of version 2, or of the memory controller of
    version 1.
    """
    root = base / "sys/fs/cgroup"
    top = root if (root / "cgroup.controllers").exists() else root / "memory"
    out: dict[str, GroupFacts] = {}
    waiting, looked_at = [top], 0
    while waiting and looked_at < MOST_FOLDERS and len(out) < MOST_GROUPS:
        folder = waiting.pop(0)
        looked_at += 1
        try:
            below = sorted(entry for entry in folder.iterdir() if entry.is_dir() and not entry.is_symlink())
        except OSError:
            continue  # it ended meanwhile
        waiting += below
        limits = _limits(folder)
        name = plain(str(folder.relative_to(top))) if folder != top else "/"
        if limits != GroupFacts() and name is not None:
            out[name] = limits
    return out


def _limits(folder: Path) -> GroupFacts:
    old = number_of(folder / "memory.limit_in_bytes")
    return GroupFacts(
        cores=_cores(text_of(folder / "cpu.max")),
        memory_bytes=_bounded(number_of(folder / "memory.max")) or _bounded(old),
        memory_high_bytes=_bounded(number_of(folder / "memory.high")),
        swap_bytes=_bounded(number_of(folder / "memory.swap.max")),
        tasks=_bounded(number_of(folder / "pids.max")),
        io=tuple(line for raw in (text_of(folder / "io.max") or "").splitlines() if (line := plain(_without_max(raw)))),
    )


def _bounded(limit: int | None) -> int | None:
    return None if limit is None or limit >= NO_LIMIT else limit


def _cores(text: str | None) -> float | None:
    """From "QUOTA PERIOD", both in microseconds; "max" is none."""
    words = (text or "").split()
    if len(words) != 2 or not all(word.isdigit() and len(word) < 19 for word in words) or int(words[1]) == 0:
        return None
    return int(words[0]) / int(words[1])


def _without_max(line: str) -> str | None:
    device, *limits = line.split()
    kept = [limit for limit in limits if not limit.endswith("=max")]
    return " ".join([device, *kept]) if kept else None
