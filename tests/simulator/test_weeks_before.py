"""Vault's three weeks end where its Thursday begins: as full, as slow, as busy."""

from functools import lru_cache

import numpy as np
import pytest

from reditus.core.measures import measure_named
from reditus.simulator import simulate
from reditus.simulator.fernhold import ARCHIVES, BENCH_4_S, EARLIER, MIDNIGHT_NS, VAULT_DISKS, WEEKS_BEFORE
from reditus.simulator.host import boot_of

BEFORE, AFTER = EARLIER[0].scenario, ARCHIVES[2].scenario
DAY_TICKS = 288


@lru_cache(maxsize=1)
def frame():
    return simulate(BEFORE).frame()


def by_day(name, device):
    """Medians of the hours from 12:00 to 16:00, a value a day."""
    values = measure_named(name).derive(frame(), device).values[: WEEKS_BEFORE * 7 * DAY_TICKS]
    return np.nanmedian(values.reshape(-1, DAY_TICKS)[:, 144:192], axis=1)


def test_it_is_the_same_machine_just_before():
    assert BEFORE.machine.id == AFTER.machine.id
    assert BEFORE.archive != AFTER.archive
    assert boot_of(BEFORE) != boot_of(AFTER)
    assert BEFORE.begin_ns + BEFORE.length_s * 10**9 == MIDNIGHT_NS - 300 * 10**9
    assert BEFORE.machine.disks == AFTER.machine.disks


def test_the_pictures_fill_their_filesystem_until_it_is_as_full_as_on_thursday():
    used = measure_named("filesystem.used").derive(frame(), "/srv/pictures").values
    begin = next(item for item in AFTER.machine.filesystems if item.mount == "/srv/pictures").used_bytes
    assert used[-1] == pytest.approx(begin, rel=0.03)
    assert (np.diff(used) >= 0).all()
    assert used[0] < 0.85 * used[-1]


@pytest.mark.parametrize("disk", VAULT_DISKS)
def test_requests_take_longer_day_by_day(disk):
    waits = by_day("disk.wait", disk)
    working = [day for day in range(len(waits)) if (day + 3) % 7 < 5]
    first, last = np.mean(waits[working[:4]]), np.mean(waits[working[-4:]])
    assert 1.3 < last / first < 2.5
    # A little every day, never at once.
    assert np.max(waits[working][1:] / waits[working][:-1]) < 1.35


def test_bench_4_is_a_step():
    sent = by_day("net.send.rate", "eno1")
    day = int(BENCH_4_S // 86_400)
    assert np.mean(sent[day : day + 2]) / np.mean(sent[day - 7 : day - 5]) == pytest.approx(1.5, rel=0.15)
