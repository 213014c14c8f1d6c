"""Every number that a rule judges by, in one table: its value, its unit, and why it is what it is."""

from dataclasses import dataclass, fields
from typing import Annotated, get_args, get_type_hints


@dataclass(frozen=True, slots=True)
class Why:
    unit: str
    reason: str


@dataclass(frozen=True, slots=True)
class Parameters:
    """The defaults; another set may be passed to `diagnose`."""

    cpu_occupied_enter: Annotated[
        float, Why("share of cores", "Hardly an idle moment left; below that somebody could have run at once.")
    ] = 0.9
    cpu_occupied_leave: Annotated[
        float, Why("share of cores", "Lower than the entry, so that a short dip does not cut a stretch in two.")
    ] = 0.8
    cpu_stall_enter: Annotated[
        float,
        Why(
            "share of time",
            "With more runnable tasks than cores somebody always waits and the share is near 1; a busy machine whose "
            "tasks only make room for short chores stays far below a half.",
        ),
    ] = 0.5
    cpu_stall_leave: Annotated[float, Why("share of time", "Hysteresis, as above.")] = 0.3
    cpu_waiting_per_core: Annotated[
        float,
        Why(
            "tasks per core, mean over the stretch",
            "On many cores some task nearly always waits for a moment; it is a shortage when the queue is a real part of "
            "what runs.",
        ),
    ] = 0.1
    cpu_nice_share: Annotated[
        float, Why("share of busy time", "Low-priority work fills idle time and makes room when others come.")
    ] = 0.7
    sustained_s: Annotated[float, Why("s", "Shorter is a moment's work, such as a program starting.")] = 5.0
    sustained_ticks: Annotated[
        int, Why("ticks", "So that one or two odd readings at a long interval are not taken for a stretch.")
    ] = 4
    merge_break_s: Annotated[float, Why("s", "A pause of a few seconds does not make two findings of one job.")] = 5.0
    onset_search_ticks: Annotated[
        int, Why("ticks", "How far around the threshold the change itself is looked for.")
    ] = 8


def described() -> list[tuple[str, float, Why]]:
    """Name, default and reason of every parameter, for the docs."""
    hints = get_type_hints(Parameters, include_extras=True)
    defaults = Parameters()
    return [(entry.name, getattr(defaults, entry.name), get_args(hints[entry.name])[1]) for entry in fields(Parameters)]
