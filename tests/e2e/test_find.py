"""Find by typing, in the trade's words, against what was really recorded."""

import re

import pytest

from e2e_helpers import link, place, wait_until
from reditus.simulator.fernhold import STITCH_01_MORNING

BEGIN_S = STITCH_01_MORNING.begin_ns / 1e9
TRADE = {
    "latency": "disk.wait",
    "utilization": "disk.busy",
    "throughput": "disk.read.rate",
    "IOPS": "disk.read.requests",
    "queue depth": "disk.queue",
    "retransmissions": "net.tcp.resent",
    "pressure": "stall.cpu.some",
    "context switches": "cpu.switches",
    "dirty": "memory.dirty",
    "OOM": "memory.oom_kills",
    "steal": "cpu.steal",
    "iowait": "cpu.iowait",
    "core 5": "cpu.busy@5",
    "cpu.busy@5": "cpu.busy@5",
}


@pytest.fixture
def bench(running, page):
    page.goto(f"{running.url}/archives/{STITCH_01_MORNING.archive}")
    page.locator('[data-strip="cores"] [data-summary="mean"]').wait_for()
    wait_until(lambda: "from" in link(page).params)
    page.keyboard.press("/")
    page.get_by_label("What to find").wait_for()
    return page


def offered(page):
    return page.locator('[data-entry="measure"]').all_inner_texts()


def test_the_trade_s_words_lead_to_measures(bench):
    for typed, name in TRADE.items():
        bench.get_by_label("What to find").fill(typed)
        wait_until(
            lambda name=name: any(re.search(rf"(^|\s){re.escape(name)}$", text) for text in offered(bench)),
            says=f"{typed} leads to {name}",
        )


def test_before_anything_is_typed_it_suggests_and_a_slip_is_forgiven(bench):
    bench.locator('[data-entry="layout"]').first.wait_for()
    bench.locator('[data-entry="span"]').filter(has_text="Processor saturated").wait_for()
    bench.get_by_label("What to find").fill("retransmited")
    bench.get_by_text("Nothing is called that; these are near to it").wait_for()
    bench.locator('[data-entry="measure"]').get_by_text("TCP retransmissions").wait_for()
    bench.keyboard.press("Enter")
    bench.locator("[data-strip]").first.get_by_text("TCP retransmissions").wait_for()
    # It is offered again the next time.
    bench.keyboard.press("/")
    bench.locator('[data-entry="measure"]').get_by_text("TCP retransmissions").wait_for()


@pytest.mark.parametrize(
    ("typed", "first_s", "last_s"),
    [
        ("12 Nov 09:10 – 09:20", 600, 1_200),
        ("last 15 min", 2_700, 3_600),
        ("-1h", 0, 3_600),
    ],
)
def test_stretches_are_shown(bench, typed, first_s, last_s):
    bench.get_by_label("What to find").fill(typed)
    bench.locator('[data-entry="span"]').wait_for()
    bench.keyboard.press("Enter")
    wait_until(lambda: place(bench)[:2] == pytest.approx((BEGIN_S + first_s, BEGIN_S + last_s), abs=2))
