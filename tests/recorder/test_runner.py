"""A recording that follows its orders: plans, stops, bursts; and leaves devices out."""

import json
import threading
import time
from uuid import UUID

import numpy as np
import pytest

from reditus.core.batches import read_batch
from reditus.core.frame import BlockSlice
from reditus.core.frame_builder import assemble
from reditus.core.kernel_columns import stall_total
from reditus.core.plan import Burst, Plan
from reditus.core.schema import Schema
from reditus.core.types import NS_PER_S
from reditus.recorder import runner, sampler
from reditus.recorder.bursts import BurstWatch
from reditus.recorder.control_channel import ControlState, Orders
from reditus.recorder.runner import Runner
from reditus.recorder.sampler import Reading, Sampler
from reditus.recorder.spool import Spool

ARCHIVE = UUID(int=5)
WAIT_S = 20


class NoUplink:
    """Keeps the spool as it is."""

    def __init__(self):
        self.introductions = 0

    def wake(self):
        pass

    def mark_unregistered(self):
        self.introductions += 1


class Bench:
    """A runner at work in a thread on this machine's real kernel."""

    def __init__(self, folder):
        self.spool = Spool(folder / str(ARCHIVE))
        self.orders = ControlState()
        self.stop = threading.Event()
        self.runner = Runner(self.spool, NoUplink(), interval_ns=NS_PER_S // 5)
        self.thread = threading.Thread(target=self.runner.run, args=(self.stop, self.orders))

    def __enter__(self):
        self.thread.start()
        return self

    def __exit__(self, *_):
        self.stop.set()
        self.thread.join(WAIT_S)
        self.spool.close()

    def until(self, holds):
        deadline_s = time.monotonic() + WAIT_S
        while not holds(self.runner.report()):
            assert time.monotonic() < deadline_s, self.runner.report()
            time.sleep(0.05)

    def schemas_of(self, group):
        """The digests of a group's schemas."""
        found = [Schema.from_json(json.loads(path.read_bytes())) for path in self.spool.folder.glob("schemas/*.json")]
        return {schema.digest for schema in found if schema.group == group}

    def blocks(self):
        """(group, interval in s, devices) of every block in the spool."""
        schemas = {}
        for path in self.spool.folder.glob("schemas/*.json"):
            schema = Schema.from_json(json.loads(path.read_bytes()))
            schemas[schema.digest] = schema
        out = []
        for batch in self.spool.batches():
            for block in read_batch(batch.path.read_bytes()).blocks:
                schema = schemas[block.schema]
                devices = {column.attribute("network.interface.name") for column in schema.columns}
                out.append((schema.group, block.interval_ns / NS_PER_S, devices))
        return out


def test_orders_are_followed_without_a_restart(tmp_path):
    with Bench(tmp_path) as bench:
        bench.until(lambda report: report["ticks"] >= 3)
        bench.orders.current = Orders(recording=False)
        bench.until(lambda report: report["state"] == "stopped")
        ticks = bench.runner.report()["ticks"]
        plan = Plan.from_json(
            {
                "name": "links",
                "every": "500ms",
                "groups": {"network": {"every": "1s"}, "cpu": {"record": False}, "process": {"record": False}},
                "devices": {"interface": {"only": ["lo"]}},
            }
        )
        bench.orders.current = Orders(plan)
        bench.until(lambda report: report["ticks"] >= ticks + 3)
        assert bench.runner.report()["interval_s"] == 0.5
        bench.orders.current = Orders(plan, burst_until_ns=time.time_ns() + 60 * NS_PER_S)
        bench.until(lambda report: report["state"] == "burst")
        assert bench.runner.report()["interval_s"] == 0.2
        bench.orders.current = Orders(plan)
        bench.until(lambda report: report["state"] == "recording")
    blocks = bench.blocks()
    assert {entries for group, entries, _ in blocks if group == "cpu"} == {0.2}  # before the plan only
    assert {entries for group, entries, _ in blocks if group == "load"} == {0.2, 0.5}
    assert {"lo"} in [devices for group, entries, devices in blocks if (group, entries) == ("network", 1.0)]
    assert bench.runner.report()["state"] == "ended"


def test_a_plan_that_is_not_due_records_nothing(tmp_path):
    plan = Plan.from_json({"name": "past", "when": {"end": "2026-01-01T00:00:00Z"}})
    with Bench(tmp_path) as bench:
        bench.orders.current = Orders(plan)
        bench.until(lambda report: report["state"] == "waiting for its time")
        ticks = bench.runner.report()["ticks"]
        time.sleep(0.6)
        assert bench.runner.report()["ticks"] == ticks


def test_a_time_asleep_is_a_gap_and_said_so(tmp_path, monkeypatch):
    """The clock that goes on while the machine sleeps runs ahead; the others stood still meanwhile."""
    slept_ns = 0
    real = sampler.boot_clock_ns
    for module in (sampler, runner):
        monkeypatch.setattr(module, "boot_clock_ns", lambda: real() + slept_ns)
    with Bench(tmp_path) as bench:
        bench.until(lambda report: report["ticks"] >= 3)
        assert "the machine was asleep" not in bench.runner.report()["missed_why"]
        slept_ns = 600 * NS_PER_S
        bench.until(lambda report: "the machine was asleep" in report["missed_why"])
        ticks = bench.runner.report()["ticks"]
        bench.until(lambda report: report["ticks"] >= ticks + 3)
    assert bench.runner.report()["missed_why"]["the machine was asleep"] == 3000
    pieces = [
        BlockSlice("load", block.boot.bytes, block.interval_ns, block.column(0), block.column(1), {})
        for batch in bench.spool.batches()
        for block in read_batch(batch.path.read_bytes()).blocks
        if block.schema in bench.schemas_of("load")
    ]
    (group,) = assemble(pieces)
    steps_s = np.diff(group.timebase.monotonic_ns) / NS_PER_S
    assert (steps_s > 599).sum() == 1
    assert not group.timebase.follows[1:][steps_s > 599].any()


def test_the_report_reports_what_the_recording_costs(tmp_path):
    with Bench(tmp_path) as bench:
        bench.until(lambda report: report["ticks"] >= 4)
        report = bench.runner.report()
    assert 0 < report["cost_share"] < 1
    assert report["memory_bytes"] > 10 << 20
    assert report["spool_limit_bytes"] == 256 << 20
    assert report["late_s"] is not None
    json.dumps(report)


def stalled(at_s, total_s):
    columns = (stall_total("io", "some"), stall_total("io", "full"))
    at_ns = round(at_s * NS_PER_S)
    return [Reading("stall.io", at_ns, at_ns, columns, np.array([round(total_s * 1e6), 0]))]


def test_a_burst_lasts_as_long_as_the_condition_and_a_while_more():
    watch = BurstWatch(Burst(resource="io", above=0.3, for_ns=2 * NS_PER_S, last_ns=5 * NS_PER_S))
    total_s, on = 0.0, []
    for second in range(20):
        total_s += 0.5 if 4 <= second < 9 else 0.1
        watch.look(stalled(second, total_s))
        on.append(watch.is_on(second * NS_PER_S))
    # Over the threshold from the tick at 4; for 2 s at the tick at 5; last seen at 8, and 5 s more.
    assert [second for second, each in enumerate(on) if each] == list(range(5, 13))


@pytest.mark.parametrize("share", [0.1, 0.29])
def test_no_burst_at_or_below_the_threshold(share):
    watch = BurstWatch(Burst(resource="io", above=0.3, for_ns=0))
    for second in range(10):
        watch.look(stalled(second, share * second))
        assert not watch.is_on(second * NS_PER_S)


def test_idle_devices_are_left_out_until_they_do_something(tmp_path):
    head = "Inter-|   Receive  |  Transmit\n face |bytes packets\n"
    line = "  {}: {} 0 0 0 0 0 0 0 0 0 0 0 0 0 0 0\n"
    (tmp_path / "proc/net").mkdir(parents=True)

    def put(eth1):
        (tmp_path / "proc/net/dev").write_text(head + line.format("eth0", 5) + line.format("eth1", eth1))

    put(0)
    plan = Plan.from_json({"name": "p", "devices": {"interface": {"idle": False}}})
    sampler = Sampler(root=str(tmp_path), plan=plan)

    def recorded():
        (reading,) = (item for item in sampler.tick() if item.group == "network")
        return {column.attribute("network.interface.name") for column in reading.columns}

    assert recorded() == {"eth0"}
    put(7)
    assert any(recorded() == {"eth0", "eth1"} for _ in range(31))
    sampler.close()


def test_a_slow_last_tick_counts_as_missed(tmp_path, monkeypatch):
    read = Sampler.read

    def slowly(sampler):
        time.sleep(1)
        return read(sampler)

    monkeypatch.setattr(Sampler, "read", slowly)
    spool = Spool(tmp_path / str(ARCHIVE))
    recording = Runner(spool, NoUplink(), interval_ns=NS_PER_S // 5, for_ns=NS_PER_S // 2)
    recording.run(threading.Event(), ControlState())
    spool.close()
    assert recording.ticks == 1
    assert recording.missed >= 4
