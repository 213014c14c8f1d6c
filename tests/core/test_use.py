"""Who used what, on kernel integers written by hand."""

import numpy as np
import pytest

import builders
from builders import BEGIN_NS, BOOT, PROCESS_START, a_piece, process_columns
from reditus.core.errors import BlockError, DamagedBlock
from reditus.core.frame import Frame
from reditus.core.frame_builder import assemble
from reditus.core.processes import GROUP
from reditus.core.types import NS_PER_S
from reditus.core.use import QUANTITIES, Owner, Quantity, Use, dense, total_of
from reditus.core.use_codec import decode_use, encode_use

TICKS = 21
USER, SYSTEM, MEMORY, READ, BLOCKED = 0, 1, 2, 3, 7
PAGE = 4096
BEFORE_NS = BEGIN_NS - NS_PER_S


def edges(*seconds):
    return BEGIN_NS + np.array(seconds, dtype=np.int64) * NS_PER_S


def used(*slots, whole, at=(0, 10, 20)):
    use = Use.nothing(edges(*at))
    frame = builders.a_frame(process_columns(slots, whole, ticks=TICKS), group=GROUP)
    use.add(frame, BEFORE_NS, BEGIN_NS + 10**6 * NS_PER_S)
    return use


def owner(pid):
    return Owner(BOOT.bytes, pid, PROCESS_START)


def amounts_of(use, pid):
    return dict(zip(QUANTITIES, total_of(use.amounts[owner(pid)]).tolist(), strict=True))


def test_a_process_has_what_its_slot_counted():
    use = used((11, 3, {USER: 40, SYSTEM: 10, MEMORY: 5, READ: 4096, BLOCKED: 25}), whole={USER: 50, SYSTEM: 20})
    mine = amounts_of(use, 11)
    # Twenty seconds are known: the first tick continues nothing.
    assert mine[Quantity.PROCESSOR] == pytest.approx(20 * 0.5)
    assert mine[Quantity.SYSTEM] == pytest.approx(20 * 0.1)
    assert mine[Quantity.MEMORY] == pytest.approx(20 * 5 * PAGE)  # byte·seconds
    assert mine[Quantity.READ] == 20 * 4096
    assert mine[Quantity.BLOCKED] == pytest.approx(20 * 0.25)
    assert use.seconds.tolist() == [10, 10]
    assert use.whole[:, 0] == pytest.approx([7.0, 7.0])
    stay = use.stays[owner(11)]
    assert (stay.first_ns, stay.last_ns, stay.core) == (BEGIN_NS, BEGIN_NS + 20 * NS_PER_S, 3)


def test_a_slot_that_changes_hands_counts_for_each_owner():
    pids = [11] * 8 + [12] * 13
    use = used((pids, 0, {USER: 100}), whole={USER: 100})
    assert amounts_of(use, 11)[Quantity.PROCESSOR] == pytest.approx(7)
    assert amounts_of(use, 12)[Quantity.PROCESSOR] == pytest.approx(13)
    assert dense(use.amounts[owner(12)], 0, 2) == pytest.approx([3, 10])
    assert use.stays[owner(12)].first_ns == BEGIN_NS + 7 * NS_PER_S


def test_one_process_in_two_slots_after_each_other_is_one():
    use = used(([11] * 8 + [0] * 13, 0, {USER: 100}), ([0] * 8 + [11] * 13, 1, {USER: 100}), whole={USER: 100})
    assert list(use.amounts) == [owner(11)]
    assert amounts_of(use, 11)[Quantity.PROCESSOR] == pytest.approx(20)
    assert use.stays[owner(11)].core == 1


def test_growth_and_the_highest_come_from_the_ticks():
    held = [100] * 5 + [400] * 5 + [250] * 11
    use = used((11, 0, {MEMORY: held}), whole={MEMORY: 500})
    stay = use.stays[owner(11)]
    assert (stay.first_bytes, stay.high_bytes, stay.last_bytes) == (100 * PAGE, 400 * PAGE, 250 * PAGE)


def test_what_follows_a_gap_is_not_known():
    columns = process_columns([(11, 0, {USER: 100})], {USER: 100}, ticks=10)
    pieces = [a_piece(columns, group=GROUP, start=start) for start in (0, 60)]
    use = Use.nothing(edges(0, 100))
    use.add(Frame(assemble(pieces)), BEFORE_NS, BEGIN_NS + 100 * NS_PER_S)
    assert use.seconds.tolist() == [18]
    assert amounts_of(use, 11)[Quantity.PROCESSOR] == pytest.approx(18)


def test_the_same_number_in_two_boots_is_two_processes():
    columns = process_columns([(11, 0, {USER: 100})], {USER: 100}, ticks=10)
    other = a_piece(columns, group=GROUP, boot=builders.HOST, start=0, wall_shift_s=50)
    use = Use.nothing(edges(0, 100))
    use.add(Frame(assemble([a_piece(columns, group=GROUP), other])), BEFORE_NS, BEGIN_NS + 100 * NS_PER_S)
    assert {process.boot for process in use.amounts} == {BOOT.bytes, builders.HOST.bytes}


def test_only_the_stretch_that_is_given_is_added_and_in_parts_it_is_the_same():
    columns = process_columns([(11, 0, {USER: 40, MEMORY: 7})], {USER: 50}, ticks=TICKS)
    frame = builders.a_frame(columns, group=GROUP)
    whole, parts = Use.nothing(edges(0, 10, 20)), Use.nothing(edges(0, 10, 20))
    whole.add(frame, BEFORE_NS, BEGIN_NS + 20 * NS_PER_S)
    for begin_s, end_s in ((-1, 6), (6, 15), (15, 20)):
        parts.add(frame, BEGIN_NS + begin_s * NS_PER_S, BEGIN_NS + end_s * NS_PER_S)
    assert amounts_of(parts, 11) == pytest.approx(amounts_of(whole, 11))
    assert parts.seconds == pytest.approx(whole.seconds)
    assert parts.stays == whole.stays


def test_stored_use_is_what_was_stored_and_merges_to_the_same():
    def single(at_s):
        return used((11, 2, {USER: 40, MEMORY: 7}), ([12] * 15 + [0] * 6, 0, {USER: 30}), whole={USER: 90}, at=at_s)

    fine = [single((begin, begin + 5)) for begin in range(0, 20, 5)]
    merged = Use.nothing(edges(0, 10, 20))
    for at, stored in enumerate(fine):
        back = decode_use(encode_use(stored), stored.edges_ns)
        assert back.stays == stored.stays
        assert {key: value[0].tolist() for key, value in back.amounts.items()} == {
            key: value[0].tolist() for key, value in stored.amounts.items()
        }
        merged.merge(back, at // 2)
    whole = single((0, 10, 20))
    assert merged.seconds == pytest.approx(whole.seconds)
    assert merged.whole == pytest.approx(whole.whole)
    assert merged.stays == whole.stays
    for pid in (11, 12):
        assert amounts_of(merged, pid) == pytest.approx(amounts_of(whole, pid))


@pytest.mark.parametrize("harm", [lambda data: data[:-1], lambda data: data[:20] + b"\xff" + data[21:], lambda _: b""])
def test_damaged_use_is_noticed(harm):
    stored = encode_use(used((11, 2, {USER: 40}), whole={USER: 90}, at=(0, 20)))
    with pytest.raises((DamagedBlock, BlockError)):
        decode_use(harm(stored), edges(0, 20))
