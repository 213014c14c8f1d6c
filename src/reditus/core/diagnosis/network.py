"""Networks: a full link, and segments that had to be sent again.

Saturated is 90 % of a known speed, sustained. Loss at the far end is in no interface's counters; the share of segments
sent again is. Virtual links that tell no speed are not judged by it.
"""

from dataclasses import replace

import numpy as np

from reditus.core.counters import INTERFACE
from reditus.core.diagnosis.finding import Finding, Kind
from reditus.core.diagnosis.finding_builder import FindingBuilder, Held, known
from reditus.core.diagnosis.inputs import Readings
from reditus.core.diagnosis.parameters import Parameters
from reditus.core.diagnosis.rule import Context, Judgement, Rule
from reditus.core.diagnosis.sustained import Stretch, sustained
from reditus.core.durations import spell_duration
from reditus.core.filters import running_median
from reditus.core.frame import Timebase
from reditus.core.measures import Resource
from reditus.core.measures.measure import natural_key, or_zero
from reditus.core.measures.network import IO, segments_sent
from reditus.core.types import NS_PER_S, FloatArray

NEEDS = (
    "net.receive.use",
    "net.send.use",
    "net.receive.rate",
    "net.send.rate",
    "net.tcp.resent",
    "net.tcp.listen_overflows",
)

SATURATED = Kind(
    "net.saturated",
    "Link saturated",
    is_problem=True,
    meaning="A link carried nearly all that its speed allows, sustained: senders wait.",
    requires=("net.receive.rate",),
    evidence=("net.receive.use", "net.send.use"),
    look_alikes="A short burst at full speed. A virtual link whose speed is made up, which cannot be judged by it.",
    next_steps=(
        "See who sends and receives in this stretch.",
        "If the traffic is wanted: spread it, or a faster link.",
    ),
    without="Where the speed is not known or made up, a rate that stays flat at its highest decides, at a confidence "
    "of 70 %.",
)
LOSS = Kind(
    "net.loss",
    "TCP retransmissions",
    is_problem=True,
    meaning="A real share of TCP segments had to be sent again, sustained: something on the way loses them.",
    requires=("net.tcp.resent",),
    evidence=("net.tcp.resent",),
    look_alikes="A listen queue that overflows makes clients send again too, and no line is lossy.",
    next_steps=(
        "See whether a link was full, or one core was kept busy by packets, at the same time.",
        "See damaged and dropped packets of each interface.",
    ),
    without="Without the count of listen queue overflows those cannot be reported from loss; it says so.",
)
KINDS = (SATURATED, LOSS)
_WAYS = (("receive", "received"), ("send", "sent"))
LEAST_RESENT = 0.002
"""A share of segments sent again that is worth a sentence."""


def judge_network(context: Context) -> Judgement:
    """Judge each link's use against its speed, and TCP retransmissions."""
    readings, rules = context.readings, context.parameters
    names = readings.frame.facts.outer_links(readings.frame.values_of(IO, INTERFACE))
    findings: list[Finding] = []
    for name in sorted(names, key=natural_key):
        for way, past in _WAYS:
            full = [_with_resent(readings, finding) for finding in _full(readings, rules, name, way, past)]
            findings += full or _plateaus(readings, rules, name, way, past)
    return [*findings, *_lossy(readings, rules)], []


def _full(readings: Readings, rules: Parameters, name: str, way: str, past: str) -> list[Finding]:
    use, rate = readings.sampled(f"net.{way}.use", name), readings.sampled(f"net.{way}.rate", name)
    if use is None or rate is None or np.isnan(use.values).all():
        return []
    bench = FindingBuilder(use.timebase, rules, Resource.NETWORK, name)
    values = or_zero(use.values)
    # Traffic is uneven: a full link dips for moments, and is full for most of the time.
    uneven = replace(rules, merge_break_s=rules.link_merge_s)
    stretches = sustained(values >= rules.link_full_enter, values >= rules.link_full_leave, use.timebase, uneven)
    return [
        _full_finding(bench, stretch, values, rate.values, way, past)
        for stretch in stretches
        if stretch.length_s(use.timebase) >= rules.link_sustained_s
        and float(np.median(values[stretch.ticks])) >= rules.link_full_enter
        and bench.mean(values, stretch) >= (rules.link_full_enter + rules.link_full_leave) / 2
    ]


def _with_resent(readings: Readings, finding: Finding) -> Finding:
    """With what had to be sent again while the link was full: that is part of what it cost."""
    resent = readings.sampled("net.tcp.resent")
    if resent is None:
        return finding
    within = (resent.timebase.wall_ns > finding.start_ns) & (resent.timebase.wall_ns <= finding.end_ns)
    share = float(np.nanmean(resent.values[within])) if (~np.isnan(resent.values[within])).any() else 0.0
    if share < LEAST_RESENT:
        return finding
    return replace(finding, explanation=f"{finding.explanation} {share:.1%} of TCP segments were sent again meanwhile.")


def _busiest_link(readings: Readings, base: Timebase, stretch: Stretch) -> str | None:
    """The interface that carried most bytes; None where there is only one, or none is known."""
    names = readings.frame.facts.outer_links(readings.frame.values_of(IO, INTERFACE))

    def moved(name: str) -> float:
        both = [known(readings.on(base, f"net.{way}.rate", name), len(base)) for way, _ in _WAYS]
        return float(sum(rates[stretch.ticks].mean() for rates in both))

    return max(sorted(names, key=natural_key), key=moved, default=None)


def _plateaus(readings: Readings, rules: Parameters, name: str, way: str, past: str) -> list[Finding]:
    """A link of unknown speed, or a virtual one that reports an invented speed: full where its rate stays flat at the
    highest that was seen. A shaped link drops nothing and damages nothing; the flat top is all there is to see.
    """
    facts_of_link = readings.frame.facts.links.get(name)
    if facts_of_link is not None and facts_of_link.physical and facts_of_link.speed_bits_per_s:
        return []
    rate = readings.sampled(f"net.{way}.rate", name)
    if rate is None or len(rate) < rules.plateau_ticks + 2:
        return []
    bench = FindingBuilder(rate.timebase, rules, Resource.NETWORK, name)
    values = or_zero(rate.values)
    # A median over few ticks would wear the flat top away.
    steady = running_median(values, 5 if len(values) > 6 * rules.plateau_ticks else 3)
    top = float(steady.max())
    if top < rules.plateau_bytes_per_s or np.mean(steady < rules.plateau_below * top) < rules.plateau_elsewhere:
        return []
    at_top = steady >= (1 - 2 * rules.plateau_spread) * top
    stretches = [
        item
        for item in sustained(at_top, steady >= (1 - 4 * rules.plateau_spread) * top, rate.timebase, rules)
        if item.length_s(rate.timebase) >= rules.link_sustained_s
        and item.last - item.first + 1 >= rules.plateau_ticks
        and _spread(_inner(values[item.ticks])) <= rules.plateau_spread
    ]
    return [
        bench.finding(
            SATURATED,
            stretch,
            rise=values,
            lost=None,
            estimated=True,
            held=[Held(f"net.{way}.rate", values, None, "mean, flat")],
            explanation=f"{name} {past} {bench.mean(values, stretch) * 8 / 1e6:,.0f} Mbit/s for "
            f"{spell_duration(stretch.length_s(rate.timebase))}, within "
            f"{_spread(values[stretch.ticks]):.1%}, and never more than that in what was recorded. What the "
            f"link can carry is not "
            "known, or made up: a rate so flat at its highest is what a full or limited link looks like.",
            considered=(
                "A full link of known speed: not to be reported, the speed is not known or made up.",
                "A sender that limits itself to this rate: possible, it looks the same.",
            ),
        )
        for stretch in stretches
    ]


def _inner(values: FloatArray) -> FloatArray:
    """Without the first and the last tick, in which the load began or ended somewhere."""
    return values[1:-1] if len(values) > 4 else values


def _spread(values: FloatArray) -> float:
    """Half of the distance between the twentieth and the ninetieth percentile, as a share of the middle: a sender that
    pauses now and then does not change how flat the top is.
    """
    low, middle, high = np.quantile(values, (0.2, 0.5, 0.9))
    return float((high - low) / 2 / middle) if middle > 0 else 1.0


def _full_finding(
    bench: FindingBuilder, stretch: Stretch, use: FloatArray, rate: FloatArray, way: str, past: str
) -> Finding:
    speed = bench.mean(rate, stretch) * 8 / 1e6
    return bench.finding(
        SATURATED,
        stretch,
        rise=use,
        lost=None,
        held=[Held(f"net.{way}.use", use, bench.rules.link_full_enter), Held(f"net.{way}.rate", rate, None, "mean")],
        explanation=f"{bench.device} {past} {speed:,.0f} Mbit/s, {bench.mean(use, stretch):.0%} of its speed, for "
        f"{spell_duration(stretch.length_s(bench.timebase))}. All senders share what is left. What that cost is in "
        "no counter of this machine.",
        considered=(
            "A burst: no, it went on.",
            "A made-up speed of a virtual link: possible, compare with what the line can do.",
        ),
    )


def _lossy(readings: Readings, rules: Parameters) -> list[Finding]:
    resent = readings.sampled("net.tcp.resent")
    if resent is None or len(resent) < 2:
        return []
    bench = FindingBuilder(resent.timebase, rules, Resource.NETWORK)
    sent = or_zero(segments_sent(readings.frame).values)
    again = or_zero(resent.values) * sent
    share = _over(again, bench, rules.loss_window_s) / np.maximum(_over(sent, bench, rules.loss_window_s), 1e-9)
    overflows = readings.on(bench.timebase, "net.tcp.listen_overflows")
    many = _over(sent, bench, rules.loss_window_s) >= rules.loss_segments_per_s
    lost = (share >= rules.loss_enter) & many
    if overflows is not None:
        lost &= ~(_over(or_zero(overflows), bench, rules.loss_window_s) > 0)
    return [
        bench.finding(
            LOSS,
            item,
            rise=np.where(sent > 0, again / np.maximum(sent, 1e-9), 0.0),
            lost=None,
            held=[Held("net.tcp.resent", share, rules.loss_enter)],
            explanation=f"{bench.mean(share, item):.1%} of {bench.mean(sent, item):,.0f} TCP segments a second had to "
            f"be sent again, for "
            f"{spell_duration(item.length_s(bench.timebase))}. Connections that lose segments slow down, and "
            f"then wait.{_by_link(readings, bench.timebase, item)}",
            considered=(
                "A full listen queue: no, none overflowed."
                if overflows is not None
                else "A full listen queue: not known, this host does not tell of them.",
                "A quiet line with one lost segment: no, many were sent.",
            ),
        )
        for item in sustained(
            lost,
            (share >= rules.loss_leave) & many,
            bench.timebase,
            replace(rules, merge_break_s=rules.loss_merge_s),
        )
        if item.length_s(bench.timebase) >= rules.link_sustained_s
        and bench.mean(again, item) * item.length_s(bench.timebase) >= rules.loss_least
    ]


def _by_link(readings: Readings, base: Timebase, stretch: Stretch) -> str:
    name = _busiest_link(readings, base, stretch)
    return f" Most traffic went over {name} meanwhile." if name else ""


def _over(values: FloatArray, bench: FindingBuilder, window_s: float) -> FloatArray:
    """The mean over some seconds around each tick."""
    step_s = float(np.median(bench.timebase.interval_ns)) / NS_PER_S
    width = max(round(window_s / step_s), 1) | 1
    mean: FloatArray = np.convolve(np.pad(values, width // 2, mode="edge"), np.full(width, 1.0 / width), "valid")
    return mean


RULE = Rule(
    id="links",
    kinds=KINDS,
    needs=NEEDS,
    judge=judge_network,
)
