"""Links of unknown speed: a flat top is what a full one looks like, and little else is."""

import numpy as np
import pytest

from builders import BEGIN_NS, a_piece, processor_columns
from reditus.core.diagnosis import diagnose
from reditus.core.facts import HostFacts, LinkFacts
from reditus.core.frame import Frame
from reditus.core.frame_builder import assemble
from reditus.core.kernel_columns import interface_columns
from reditus.core.types import NS_PER_S
from reditus.core.window import Window

RNG = np.random.default_rng(5)
QUIET = 40_000 * (1 + RNG.random(60))
FLAT = 9_500_000 * (1 + RNG.normal(0, 0.006, 60))
UNEVEN = 6_000_000 * (1 + RNG.random(60))


def answer(rates, link=None, *, interval_s=1):
    """Findings of a host that sends so many bytes at each second; `link` is what is known of its interface."""
    columns = {column: np.zeros(len(rates) + 1, dtype=np.int64) for column in interface_columns("eth0")}
    columns[interface_columns("eth0")[8]] = np.cumsum(np.concatenate([[0], rates]) * interval_s).astype(np.int64)
    groups = {**processor_columns(busy=[0.1] * (len(rates) + 1), cores=2), "network": columns}
    pieces = [a_piece(each, group=name, interval_s=interval_s) for name, each in groups.items()]
    facts = HostFacts(links={} if link is None else {"eth0": link})
    window = Window(BEGIN_NS - NS_PER_S, BEGIN_NS + len(rates) * interval_s * NS_PER_S)
    return diagnose(Frame(assemble(pieces), facts), window).findings


@pytest.mark.parametrize("link", [None, LinkFacts(10_000_000_000, physical=False)], ids=["unknown", "virtual"])
def test_a_rate_flat_at_its_highest_is_a_full_link(link):
    (finding,) = answer(np.concatenate([QUIET, FLAT, QUIET]), link)
    assert (finding.kind, finding.device) == ("net.saturated", "eth0")
    assert abs((finding.onset.at_ns - BEGIN_NS) / NS_PER_S - 60) <= 2
    assert finding.confidence < 0.8
    assert "76 Mbit/s" in finding.explanation


@pytest.mark.parametrize("ticks", [7, 10])
def test_a_few_long_ticks_are_enough_for_a_flat_top(ticks):
    """Each is the mean of five seconds: a minute of them is no chance."""
    (finding,) = answer(np.concatenate([QUIET[:4], FLAT[:ticks], QUIET[:4]]), interval_s=5)
    assert (finding.kind, finding.device) == ("net.saturated", "eth0")
    assert answer(np.concatenate([QUIET[:4], FLAT[:4], QUIET[:4]]), interval_s=5) == ()


def test_a_known_speed_decides_alone():
    assert answer(np.concatenate([QUIET, FLAT, QUIET]), LinkFacts(1_000_000_000, physical=True)) == ()


def test_traffic_that_goes_up_and_down_is_no_flat_top():
    assert answer(np.concatenate([QUIET, UNEVEN, QUIET])) == ()


def test_a_stream_that_never_changes_reports_nothing():
    assert answer(np.concatenate([FLAT, FLAT])) == ()


def test_a_trickle_is_no_full_link():
    assert answer(np.concatenate([QUIET / 100, FLAT / 100, QUIET / 100])) == ()
