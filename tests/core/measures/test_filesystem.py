"""Filesystems, on values worked out by hand."""

import numpy as np
import pytest

from builders import a_frame
from reditus.core.counters import (
    FILESYSTEM_STATE,
    MOUNT,
)
from reditus.core.errors import UnknownCounter
from reditus.core.kernel_columns import kernel_column
from reditus.core.measures import measure_named


def last(frame, name, device=None):
    value = float(measure_named(name).derive(frame, device).values[-1])
    return None if np.isnan(value) else round(value, 6)


def space(mount, used, free, *, read_only=0, inodes=(10, 30)):
    at = {MOUNT: mount}
    return {
        kernel_column("system.filesystem.usage", {**at, FILESYSTEM_STATE: "used"}): [used, used],
        kernel_column("system.filesystem.usage", {**at, FILESYSTEM_STATE: "free"}): [free, free],
        kernel_column("system.filesystem.linux.inodes", {**at, FILESYSTEM_STATE: "used"}): [inodes[0]] * 2,
        kernel_column("system.filesystem.linux.inodes", {**at, FILESYSTEM_STATE: "free"}): [inodes[1]] * 2,
        kernel_column("system.filesystem.linux.read_only", at): [read_only] * 2,
    }


def test_a_filesystem_is_as_full_as_programs_find_it():
    frame = a_frame(space("/", 300, 100) | space("/srv", 10, 90), group="filesystem")
    assert last(frame, "filesystem.use", "/") == 0.75
    assert last(frame, "filesystem.used", "/srv") == 10
    assert last(frame, "filesystem.free", "/srv") == 90
    assert last(frame, "filesystem.inodes", "/") == 0.25
    assert last(frame, "filesystem.use") == 0.75


def test_what_is_full_by_nature_is_not_the_fullest():
    frame = a_frame(space("/", 30, 70) | space("/image", 50, 0, read_only=1), group="filesystem")
    assert last(frame, "filesystem.use", "/image") == 1.0
    assert last(frame, "filesystem.use") == 0.3


def test_filesystems_without_inodes_have_no_share_of_them():
    assert last(a_frame(space("/boot", 5, 5, inodes=(0, 0)), group="filesystem"), "filesystem.inodes", "/boot") is None


def test_bytes_of_all_filesystems_would_count_some_twice():
    with pytest.raises(UnknownCounter):
        last(a_frame(space("/", 1, 1), group="filesystem"), "filesystem.used")
