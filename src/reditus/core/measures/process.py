"""One process over time: `process.busy{pid=PID,start=TICKS}`. Unknown while it is not among the heaviest, for only
those have a slot; a `name=` between the braces is for people and tells nothing.
"""

import re
from functools import lru_cache, partial

import numpy as np

from reditus.core.counters import CPU_MODE, DISK_DIRECTION, FAULT_TYPE, PROCESS_SLOT
from reditus.core.errors import UnknownCounter, UnknownMeasure
from reditus.core.frame import Frame, Series
from reditus.core.kernel_columns import TICKS_PER_S
from reditus.core.measures.measure import Measure, Need, Reach, Resource, Unit, add

PID = "process.pid"
START = "process.linux.start"
_NAME = re.compile(r"^(?P<what>process\.[a-z]+)\{(?P<attributes>[^{}]*)\}$")

_Source = tuple[str, tuple[tuple[str, str], ...]]
_CPU = "process.linux.cpu.used"
_IO = "process.linux.io.moved"
_KINDS: dict[str, tuple[str, Unit, Resource, bool, tuple[_Source, ...], str]] = {
    "process.busy": (
        "Process, busy", Unit.CORES, Resource.PROCESSOR, True,
        ((_CPU, ((CPU_MODE, "user"),)), (_CPU, ((CPU_MODE, "system"),))), "Cores that it used.",
    ),
    "process.memory": (
        "Process, memory", Unit.BYTES, Resource.MEMORY, False, (("process.memory.usage", ()),),
        "Its resident memory; what processes share is counted with each of them.",
    ),
    "process.io": (
        "Process, read and written", Unit.BYTES_PER_S, Resource.DISK, True,
        ((_IO, ((DISK_DIRECTION, "read"),)), (_IO, ((DISK_DIRECTION, "write"),))),
        "Bytes that it read from and had written to storage.",
    ),
    "process.blocked": (
        "Process, blocked on I/O", Unit.TASKS, Resource.DISK, True, (("process.linux.blocked", ()),),
        "Its tasks that waited for storage, in the mean; kept by kernels that account for delays.",
    ),
    "process.faults": (
        "Process, major faults", Unit.PER_S, Resource.MEMORY, True,
        (("process.linux.faults.taken", ((FAULT_TYPE, "major"),)),), "Faults that read from disk or swap.",
    ),
}  # fmt: skip


def is_process(text: str) -> bool:
    """Whether a name is that of one process's measure."""
    found = _NAME.match(text)
    return found is not None and found["what"] in _KINDS


@lru_cache(maxsize=256)
def process_measure(text: str) -> Measure:
    """Raise UnknownMeasure where the text names no process."""
    found = _NAME.match(text)
    attributes = dict(part.split("=", 1) for part in found["attributes"].split(",") if "=" in part) if found else {}
    if (
        found is None
        or found["what"] not in _KINDS
        or not (_is_number(attributes.get("pid")) and _is_number(attributes.get("start")))
    ):
        raise UnknownMeasure(text, [f"{kind}{{pid=PID,start=TICKS}}" for kind in _KINDS])
    title, unit, resource, per_s, sources, text_of = _KINDS[found["what"]]
    needs = tuple(Need(counter, fixed, Reach.EVERY) for counter, fixed in ((PID, ()), (START, ()), *sources))
    return Measure(
        name=text,
        title=title,
        unit=unit,
        resource=resource,
        help=text_of,
        formula="what the kernel added to it in the interval / Δt" if per_s else "as read",
        needs=needs,
        derive=partial(
            _derive, pid=int(attributes["pid"]), start=int(attributes["start"]), per_s=per_s, sources=sources
        ),
    )


def _is_number(text: str | None) -> bool:
    return text is not None and text.isdecimal() and len(text) < 19


def _derive(frame: Frame, _: str | None, *, pid: int, start: int, per_s: bool, sources: tuple[_Source, ...]) -> Series:
    slots = [slot for slot in frame.values_of(PID, PROCESS_SLOT) if slot.isdecimal()]
    if not slots:
        raise UnknownCounter(PID)
    timebase = frame.level(PID, {PROCESS_SLOT: slots[0]}).timebase
    out = np.full(len(timebase), np.nan)
    for slot in slots:
        own = {PROCESS_SLOT: slot}
        begun = np.round(frame.level(START, own).values * TICKS_PER_S)
        here = (frame.level(PID, own).values == pid) & (begun == start)
        if here.any():
            amount = add(frame.level(counter, own | dict(fixed)) for counter, fixed in sources).values
            out[here] = amount[here]
    return Series(timebase, out / timebase.elapsed_s if per_s else out)
