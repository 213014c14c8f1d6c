"""What comes again: said once, with its times."""

from dataclasses import replace

from builders import a_finding
from reditus.core.diagnosis.finding import Harm
from reditus.core.diagnosis.patterns import merge_days
from reditus.core.measures import Resource
from reditus.core.types import NS_PER_S
from reditus.server.schemas import FindingOut

DAY_S = 86_400


def on(day, hour, *, kind="disk.saturated", device="sda", length_s=600, harm_s=60.0, causes=(), symptoms=()):
    start_ns = (day * DAY_S + hour * 3_600) * NS_PER_S
    return a_finding(
        kind,
        start_ns,
        start_ns + length_s * NS_PER_S,
        device=device,
        time_lost_s=harm_s,
        harm=Harm(harm_s),
        explanation=f"day {day}",
        caused_by=causes,
        symptoms=symptoms,
    )


def test_what_says_the_same_on_several_days_is_said_once_with_its_days():
    (merged,) = merge_days([on(1, 9), on(2, 9, harm_s=90.0), on(4, 15)])
    assert merged.pattern.kind == "days"
    assert [item.start_ns // NS_PER_S // DAY_S for item in merged.occurrences] == [1, 2, 4]
    assert (merged.harm.seconds, merged.time_lost_s) == (210, 210)
    assert merged.explanation.startswith("On 3 days, 30 min together. The worst: day 2")


def test_what_comes_twice_on_one_day_stays_two():
    assert len(merge_days([on(1, 9), on(1, 15)])) == 2


def test_other_devices_are_other_findings():
    assert len(merge_days([on(1, 9), on(2, 9, device="sdb")])) == 2


def test_causes_and_effects_follow_their_findings():
    causes = [on(day, 9, kind="swap.thrashing", device=None) for day in (1, 2)]
    effects = [on(day, 9, causes=(cause.id,)) for day, cause in zip((1, 2), causes, strict=True)]
    causes = [replace(cause, symptoms=(effect.id,)) for cause, effect in zip(causes, effects, strict=True)]
    swap, disk = merge_days([*causes, *effects])
    assert disk.caused_by == (swap.id,)
    assert swap.symptoms == (disk.id,)


def test_an_effect_that_once_came_by_itself_is_a_cause_too():
    cause = on(1, 9, kind="swap.thrashing", device=None)
    merged = merge_days([cause, on(1, 9, causes=(cause.id,)), on(2, 9)])
    assert [item.caused_by for item in merged if item.kind == "disk.saturated"] == [()]


def test_every_pattern_has_a_form_outside():
    (merged,) = merge_days([on(1, 9), on(2, 9)])
    shown = FindingOut.of(replace(merged, evidence=(), resource=Resource.DISK))
    assert shown.pattern.kind == "days"
    assert [item.start for item in shown.occurrences] == [item.start_ns for item in merged.occurrences]
