"""Parts of one trouble that several spans tell are put together."""

from itertools import pairwise

from builders import BEGIN_NS
from reditus.core.diagnosis.finding import Evidence, Finding, Harm, Onset, RuledOut
from reditus.core.diagnosis.spans import SPAN_TICKS, RuleOutput, merge_spans, spans_of
from reditus.core.measures import Resource, Unit
from reditus.core.types import NS_PER_S
from reditus.core.window import Window

PAUSE_NS = 5 * NS_PER_S


def a_finding(start_s, end_s, *, kind="disk.slow", device="sda", lost_s=None, value=1.0):
    lost_s = (end_s - start_s) if lost_s is None else lost_s
    return Finding(
        kind, kind, Resource.DISK, device, BEGIN_NS + start_s * NS_PER_S, BEGIN_NS + end_s * NS_PER_S,
        Onset(BEGIN_NS + start_s * NS_PER_S, 1.0), lost_s / (end_s - start_s), lost_s, False, Harm(lost_s), 0.9,
        (Evidence("disk.wait", device, value, 0.1, Unit.SECONDS, "mean, at least"),), f"given of {start_s}", (), (),
    )  # fmt: skip


def combined(*findings):
    return merge_spans([RuleOutput((finding,), ()) for finding in findings], PAUSE_NS).findings


def test_parts_that_overlap_are_one_with_the_whole_s_figures():
    (one,) = combined(a_finding(0, 100, value=1.0), a_finding(80, 200, value=2.0))
    assert (one.start_ns, one.end_ns) == (BEGIN_NS, BEGIN_NS + 200 * NS_PER_S)
    assert one.time_lost_s == 200
    assert one.evidence[0].value == 1.5
    assert "It went on for 3 min 20 s" in one.explanation


def test_a_part_that_another_span_saw_whole_adds_nothing():
    (one,) = combined(a_finding(0, 100), a_finding(40, 60))
    assert (one.time_lost_s, one.explanation) == (100, "given of 0")


def test_what_is_far_apart_or_of_another_device_stays_apart():
    assert len(combined(a_finding(0, 100), a_finding(106, 200))) == 2
    assert len(combined(a_finding(0, 100), a_finding(50, 150, device="sdb"))) == 2


def test_what_is_ruled_out_is_put_together_too():
    def part(start_s, end_s):
        start_ns, end_ns = BEGIN_NS + start_s * NS_PER_S, BEGIN_NS + end_s * NS_PER_S
        return RuleOutput((), (RuledOut("swap.occupied", "", Resource.SWAP, start_ns, end_ns, (), str(start_s)),))

    (one,) = merge_spans([part(0, 100), part(90, 400)], PAUSE_NS).ruled_out
    assert (one.start_ns, one.end_ns, one.explanation) == (BEGIN_NS, BEGIN_NS + 400 * NS_PER_S, "90")


def test_spans_lie_where_they_lay_when_the_window_was_shorter():
    shorter = spans_of(Window(BEGIN_NS, BEGIN_NS + 5 * SPAN_TICKS * NS_PER_S), NS_PER_S)
    longer = spans_of(Window(BEGIN_NS, BEGIN_NS + 9 * SPAN_TICKS * NS_PER_S), NS_PER_S)
    assert shorter[:-1] == longer[: len(shorter) - 1]
    assert all(item.end_ns == other.start_ns for item, other in pairwise(longer))
    assert (longer[0].start_ns, longer[-1].end_ns) == (BEGIN_NS, BEGIN_NS + 9 * SPAN_TICKS * NS_PER_S)
