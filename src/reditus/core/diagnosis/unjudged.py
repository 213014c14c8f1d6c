"""What a diagnosis could not judge, and why: absence is an answer only if it was looked for."""

from collections.abc import Collection, Iterable, Sequence

from reditus.core.counters import COUNTERS, INTERFACE
from reditus.core.counters import DISK as DEVICE
from reditus.core.diagnosis.disk_readings import read_disk
from reditus.core.diagnosis.finding import Kind, Unjudged
from reditus.core.diagnosis.inputs import Readings
from reditus.core.diagnosis.parameters import Parameters
from reditus.core.facts import DiskRole
from reditus.core.frame import Frame
from reditus.core.measures import measure_named
from reditus.core.measures.disk import IO_TIME
from reditus.core.measures.measure import natural_key, or_zero
from reditus.core.measures.network import IO

FEW_TICKS = 12
MOST_NAMED = 6


def unjudged(readings: Readings, kinds: Sequence[Kind], rules: Parameters) -> tuple[Unjudged, ...]:
    """Kinds whose counters were not recorded, disks and links whose normal or speed is not known, and recordings of a
    few ticks.
    """
    return (*_short(readings), *_without_counters(readings.frame, kinds), *_disks(readings, rules), *_links(readings))


def combined(parts: Iterable[Collection[Unjudged]]) -> tuple[Unjudged, ...]:
    """Of the spans of a long recording: what none could judge, and what some could not."""
    every = [{item.subject: item for item in part} for part in parts]
    out = []
    for subject in dict.fromkeys(subject for part in every for subject in part):
        reported = [part[subject] for part in every if subject in part]
        first = reported[0]
        if len(reported) == len(every):
            out.append(first)
        else:
            out.append(Unjudged(subject, f"In part of the time: {first.reason}", first.kinds))
    return tuple(out)


def _short(readings: Readings) -> list[Unjudged]:
    seen = readings.sampled("cpu.busy")
    ticks = 0 if seen is None else len(seen)
    if ticks >= FEW_TICKS:
        return []
    number = "no tick" if not ticks else "one tick" if ticks == 1 else f"{ticks} ticks"
    return [Unjudged("Everything", f"{number} in this window: too little to tell trouble from chance.", ())]


def _without_counters(frame: Frame, kinds: Sequence[Kind]) -> list[Unjudged]:
    """One entry for all kinds that lack the same file."""
    missing: dict[str, list[Kind]] = {}
    for kind in kinds:
        if kind.requires and not any(_is_there(frame, name) for name in kind.requires):
            missing.setdefault(_source_of(kind.requires[0]), []).append(kind)
    return [
        Unjudged(
            ", ".join(kind.title for kind in lacking),
            f"{source} was not recorded.",
            tuple(kind.id for kind in lacking),
        )
        for source, lacking in missing.items()
    ]


def _is_there(frame: Frame, name: str) -> bool:
    """Whether every counter that a measure, or a counter's own name, needs was recorded."""
    if name in COUNTERS:
        return frame.has_some(name)
    return all(frame.has_some(need.counter, need.fixed) for need in measure_named(name).needs if not need.optional)


def _source_of(name: str) -> str:
    counter = name if name in COUNTERS else measure_named(name).needs[0].counter
    found = COUNTERS[counter]
    # A file where there is one to look for; else what it would have held.
    return found.source if found.source.startswith("/") else found.title


def _disks(readings: Readings, rules: Parameters) -> list[Unjudged]:
    """Disks at work whose waits cannot be held to a normal."""
    facts = readings.frame.facts
    names = [
        name
        for name in readings.frame.values_of(IO_TIME, DEVICE)
        if facts.disk_role(name) in (DiskRole.DISK, DiskRole.VOLUME)
    ]
    if not readings.frame.has_some("system.disk.operation_time"):
        return []
    unknown = []
    for name in sorted(names, key=natural_key):
        disk = read_disk(readings, rules, name)
        if disk is None or (disk.normal is not None and disk.normal.is_known):
            continue
        if (disk.busy >= rules.disk_busy_leave).sum() >= rules.sustained_ticks:
            unknown.append(name)
    if not unknown:
        return []
    return [
        Unjudged(
            f"Wait per request of {_named(unknown)}",
            "Never seen with little to do in this recording, so that what it takes unloaded is not known; only small "
            "requests that take long are judged.",
            ("disk.saturated", "disk.slow"),
        )
    ]


def _links(readings: Readings) -> list[Unjudged]:
    facts = readings.frame.facts
    names = facts.outer_links(readings.frame.values_of(IO, INTERFACE))
    unknown = [
        name for name in sorted(names, key=natural_key)
        if (link := facts.links.get(name)) is None or not link.speed_bits_per_s
        if _carries(readings, name)
    ]  # fmt: skip
    if not unknown:
        return []
    return [
        Unjudged(
            f"Use of {_named(unknown)}",
            "The speed of the link is not known; only a rate that stays flat at its highest is judged.",
            ("net.saturated",),
        )
    ]


def _carries(readings: Readings, name: str) -> bool:
    rates = [readings.sampled(f"net.{way}.rate", name) for way in ("receive", "send")]
    return any(rate is not None and len(rate) and bool(or_zero(rate.values).max() > 0) for rate in rates)


def _named(names: Sequence[str]) -> str:
    shown = ", ".join(names[:MOST_NAMED])
    return shown if len(names) <= MOST_NAMED else f"{shown} and {len(names) - MOST_NAMED} more"
