"""Plans: what is right, and every wrong part given at once."""

import pytest

from reditus.core.counters import INTERFACE
from reditus.core.kernel_columns import disk_columns, interface_columns
from reditus.core.plan import GROUPS, Plan, PlanError, covers
from reditus.core.types import NS_PER_S
from reditus.recorder.filesystems import Filesystems
from reditus.recorder.process_probe import Processes
from reditus.recorder.sources import SOURCES

THURSDAY_9_NS = 1_794_474_000 * NS_PER_S  # 2026-11-12 09:00:00 UTC
HOUR_NS = 3_600 * NS_PER_S


def problems(answer):
    with pytest.raises(PlanError) as caught:
        Plan.from_json(answer)
    return dict(caught.value.problems)


def test_a_name_is_enough():
    plan = Plan.from_json({"name": "usual"})
    assert (plan.every_ns, plan.keep_ns, plan.arguments) == (NS_PER_S, None, False)
    assert plan.is_due(0)
    assert plan.records("cpu")


def test_everything_that_is_wrong_is_reported_at_once():
    answer = problems(
        {
            "name": "",
            "every": "50ms",
            "groups": {"dsik": {}, "disk": {"every": "1.5s"}, "cpu": {"record": "no"}},
            "devices": {"disk": {"only": "sda"}, "tape": {}},
            "when": {"start": "tomorrow", "weekly": [{"days": ["monday"], "from": "18:00", "to": "08:00"}]},
            "keep": "1s",
            "burst": {"every": "1h", "resource": "luck", "above": 2},
            "colour": "red",
            "threads": "yes",
            "control_groups": ["a/../b", "fine/one", "x" * 81],
            "log": "loud",
        }
    )
    assert set(answer) == {
        "name", "every", "groups.dsik", "groups.cpu.record", "devices.disk.only", "devices.tape", "when.start",
        "when.weekly.0.days", "when.weekly.0.to", "keep", "burst.every", "burst.resource", "burst.above", "plan.colour",
        "threads", "control_groups", "log",
    }  # fmt: skip
    assert answer["every"] == "a duration of at least 0.1 s and at most 3600 s, such as 5s or 1.5h, not '50ms'"
    assert "such as 2026-11-12T09:00:00Z" in answer["when.start"]


def test_control_groups_are_paths_below_the_root():
    answer = problems({"name": "p", "control_groups": ["/system.slice/web", "a/../b", "", "a b", "a/" * 9 + "b"]})
    assert set(answer) == {"control_groups"}
    answer = problems({"name": "p", "control_groups": ["/system.slice/web", "a/../b", "a b", "a/" * 9 + "b"]})
    assert set(answer) == {f"control_groups.{place}" for place in (1, 2, 3)}
    plan = Plan.from_json({"name": "p", "control_groups": ["/system.slice/web/"], "log": "error", "threads": True})
    assert (plan.control_groups, plan.log, plan.threads) == (("system.slice/web",), "error", True)


@pytest.mark.parametrize("answer", [None, [], "usual", 7])
def test_what_is_no_plan_at_all_is_refused(answer):
    assert problems(answer) == {"plan": "a plan is an object with a name"}


def test_a_groups_interval_is_a_multiple_of_the_plans():
    assert problems({"name": "p", "every": "2s", "groups": {"disk": {"every": "3s"}}}) == {
        "groups.disk.every": "a whole multiple of the plan's own interval, 2 s"
    }
    plan = Plan.from_json(
        {"name": "p", "every": "500ms", "groups": {"disk": {"every": "3s"}, "stall": {"record": False}}}
    )
    assert plan.interval_of("disk") == 3 * NS_PER_S
    assert plan.interval_of("cpu") is None
    assert [plan.records(group) for group in ("stall.io", "stall.cpu", "memory")] == [False, False, True]


def test_a_schedule_by_start_end_and_week():
    when = {
        "start": "2026-11-12T11:00:00+02:00",
        "end": "2026-11-19T00:00:00Z",
        "weekly": [{"days": ["thu"], "from": "08:00", "to": "10:30"}, {"days": ["sat", "sun"]}],
    }
    plan = Plan.from_json({"name": "p", "when": when})
    due = {
        hours: plan.is_due(THURSDAY_9_NS + round(hours * HOUR_NS))
        for hours in (-0.1, 0, 1.4, 1.5, 24, 39, 86.9, 87, 168)
    }
    assert due == {-0.1: False, 0: True, 1.4: True, 1.5: False, 24: False, 39: True, 86.9: True, 87: False, 168: False}
    assert problems({"name": "p", "when": {"start": "2026-11-12T09:00:00Z", "end": "2026-11-12T09:00:00Z"}}) == {
        "when.end": "later than when.start"
    }


def test_devices_are_chosen_by_pattern():
    plan = Plan.from_json(
        {"name": "p", "devices": {"disk": {"without": ["loop*"]}, "interface": {"only": ["eth*", "wlan0"]}}}
    )
    taken = [plan.takes(disk_columns(name)[0]) for name in ("sda", "loop7")]
    assert taken == [True, False]
    assert [plan.takes(interface_columns(name)[0]) for name in ("eth1", "lo", "wlan0")] == [True, False, True]
    assert interface_columns("lo")[0].attribute(INTERFACE) == "lo"


def test_each_of_the_recorders_groups_has_one_name_in_plans():
    groups = [*(source.group for source in SOURCES), Filesystems.group, Processes.group]
    assert {group: [name for name in GROUPS if covers(name, group)] for group in groups if
            sum(covers(name, group) for name in GROUPS) != 1} == {}  # fmt: skip
    assert [name for name in GROUPS if not any(covers(name, group) for group in groups)] == []
