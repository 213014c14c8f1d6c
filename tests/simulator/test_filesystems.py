"""Filesystems grow by what stays of what is written."""

import numpy as np
import pytest

from reditus.core.measures import measure_named
from reditus.simulator import simulate
from reditus.simulator.fernhold import ARCHIVES

VAULT = ARCHIVES[2].scenario
PICTURES = "/srv/pictures"


@pytest.fixture(scope="module")
def frame():
    return simulate(VAULT).frame()


def values(frame, name, device=None):
    return measure_named(name).derive(frame, device).values


def test_a_filesystem_grows_by_its_share_of_what_the_volume_writes(frame):
    used = values(frame, "filesystem.used", PICTURES)
    written = np.nansum(values(frame, "disk.write.rate", "md0") * VAULT.interval_s)
    kept = next(item.kept for item in VAULT.machine.filesystems if item.mount == PICTURES)
    assert used[-1] - used[0] == pytest.approx(kept * written, rel=0.02)
    assert (np.diff(used) >= 0).all()
    whole = used + values(frame, "filesystem.free", PICTURES)
    assert np.ptp(whole) == 0
