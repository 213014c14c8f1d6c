"""What a recorder has and others leave to be added up, from the columns that they have: time of all cores together,
modes that their system does not know, swap space; and what rules need to know of the host.
"""

from collections.abc import Iterable, Mapping
from dataclasses import replace
from typing import TypeVar

from reditus.core.counters import CPU_MODE, CPU_NUMBER, MEMORY_FIELD
from reditus.core.facts import HostFacts
from reditus.core.schema import Column, Kind
from reditus.core.types import FloatArray

CPU_TIME, PAGING, MEMORY = "system.cpu.time", "system.paging.usage", "system.memory.linux.bytes"
TOTAL = ((MEMORY_FIELD, "MemTotal"),)
_MODES = ("user", "nice", "system", "idle", "iowait", "interrupt", "softirq", "steal")
_SWAP = {"used": ("SwapTotal",), "free": ("SwapTotal", "SwapFree")}
T = TypeVar("T", float, FloatArray)


def wholes(values: Mapping[Column, T]) -> dict[Column, T | float]:
    """Columns that are not among those given, with their values: a number each, or one for each tick. A mode that a
    system does not have is one in which no time was spent.
    """
    out: dict[Column, T | float] = {}
    owners: set[tuple[tuple[str, str], ...]] = set()
    for column, value in values.items():
        if column.counter == CPU_TIME:
            owners.add(tuple(pair for pair in column.attributes if pair[0] != CPU_MODE))
            if column.attribute(CPU_NUMBER) is not None:
                _add(out, _time({CPU_MODE: column.attribute(CPU_MODE) or ""}), value * column.factor)
        if column.counter == PAGING and column.unit == "By":
            for field in _SWAP.get(column.attribute("system.paging.state") or "", ()):
                _add(out, _size(field), value * column.factor)
    for mode in _MODES if owners else ():
        for own in (*sorted(owners), ()):
            _add(out, _time({CPU_MODE: mode, **dict(own)}), 0.0)
    given = {(column.counter, column.attributes) for column in values}
    return {column: value for column, value in out.items() if (column.counter, column.attributes) not in given}


def facts_of(facts: HostFacts, columns: Iterable[Column], memory_bytes: float | None) -> HostFacts:
    """Facts with as many cores as there are columns of, and as much memory as was said."""
    cores = {column.attribute(CPU_NUMBER) for column in columns if column.counter == CPU_TIME} - {None}
    if cores and facts.cores != len(cores):
        facts = replace(facts, cores=len(cores))
    if memory_bytes is not None and memory_bytes >= 1 and facts.memory_bytes != int(memory_bytes):
        facts = replace(facts, memory_bytes=int(memory_bytes))
    return facts


def _add(out: dict[Column, T | float], column: Column, value: T | float) -> None:
    out[column] = out[column] + value if column in out else value


def _time(attributes: Mapping[str, str]) -> Column:
    return Column.of(CPU_TIME, attributes, unit="s", kind=Kind.CUMULATIVE, double=True)


def _size(field: str) -> Column:
    return Column.of(MEMORY, {MEMORY_FIELD: field}, unit="By", kind=Kind.LEVEL, double=True)
