"""Filesystem measures: how full each is, in bytes and in inodes. Of the machine, the fullest."""

from functools import partial

import numpy as np

from reditus.core.counters import FILESYSTEM_STATE, MOUNT
from reditus.core.errors import UnknownCounter
from reditus.core.frame import Frame, Series
from reditus.core.measures.measure import Measure, Need, Per, Reach, Resource, Unit, highest, ratio
from reditus.core.types import BoolArray, FloatArray

USAGE = "system.filesystem.usage"
INODES = "system.filesystem.linux.inodes"
READ_ONLY = "system.filesystem.linux.read_only"


def _level(frame: Frame, mount: str | None, *, counter: str, state: str) -> Series:
    if mount is None:
        raise UnknownCounter(f"{counter} of the machine")
    return frame.level(counter, {MOUNT: mount, FILESYSTEM_STATE: state})


def _share(frame: Frame, mount: str, counter: str) -> Series:
    """What is used of what programs may use. Filesystems that count no inodes have no share of them."""
    used, free = (_level(frame, mount, counter=counter, state=state) for state in ("used", "free"))
    return Series(used.timebase, ratio(used.values, used.values + free.values))


def is_read_only(frame: Frame, mount: str) -> bool:
    """Whether nothing could be written there at any tick: such a filesystem is full by nature."""
    if not frame.has(READ_ONLY, {MOUNT: mount}):
        return False
    values: FloatArray = frame.level(READ_ONLY, {MOUNT: mount}).values
    known: BoolArray = ~np.isnan(values)
    return bool(known.any() and (values[known] > 0).all())


def _use(frame: Frame, mount: str | None, *, counter: str) -> Series:
    if mount is not None:
        return _share(frame, mount, counter)
    mounts = [name for name in frame.values_of(counter, MOUNT) if not is_read_only(frame, name)]
    if not mounts:
        raise UnknownCounter(counter)
    each = [_share(frame, name, counter) for name in mounts]
    return Series(each[0].timebase, highest([item.values for item in each]))


def _needs(counter: str, *states: str, whole: bool) -> tuple[Need, ...]:
    reaches = (Reach.THIS, Reach.WHOLE) if whole else (Reach.THIS,)
    own = tuple(Need(counter, ((FILESYSTEM_STATE, state),), reach) for state in states for reach in reaches)
    return (*own, Need(READ_ONLY, (), Reach.WHOLE, optional=True)) if whole else own


def _use_of(name: str, title: str, counter: str, text: str) -> Measure:
    return Measure(
        name, title, Unit.SHARE, Resource.DISK, f"{text} Of the machine, that of the fullest that can be written.",
        "used / (used + free)", _needs(counter, "used", "free", whole=True), partial(_use, counter=counter),
        per=Per.FILESYSTEM,
    )  # fmt: skip


def _bytes(state: str, title: str, text: str) -> Measure:
    return Measure(
        f"filesystem.{state}", title, Unit.BYTES, Resource.DISK, text, "as statvfs reports it",
        _needs(USAGE, state, whole=False), partial(_level, counter=USAGE, state=state), per=Per.FILESYSTEM, whole=False,
    )  # fmt: skip


FILESYSTEM = [
    _use_of(
        "filesystem.use", "Filesystem use", USAGE,
        "Share of the space that is taken, of what programs without special rights may take.",
    ),
    _bytes("used", "Space used", "Bytes that files and the filesystem itself take."),
    _bytes("free", "Space free", "Bytes that programs without special rights can still write."),
    _use_of(
        "filesystem.inodes", "Inode use", INODES,
        "Share of the inodes that are taken. Without free ones no file can be made, whatever space there is.",
    ),
]  # fmt: skip
