"""Small things to test with, made with defaults."""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from uuid import UUID

import numpy as np

from reditus.core.blocks import CLOCKS, Block, Stretch, encode_block
from reditus.core.diagnosis.finding import Finding, Harm, Onset
from reditus.core.facts import HostFacts
from reditus.core.frame import BlockSlice, Frame, Timebase
from reditus.core.frame_builder import assemble
from reditus.core.kernel_columns import CPU_MODES, cpu_time, kernel_column, stall_total
from reditus.core.measures import Resource
from reditus.core.processes import AMOUNTS, PLACES, SLOTS, STATES, slot_columns, whole_columns
from reditus.core.schema import Column, Schema
from reditus.core.types import NS_PER_S, IntArray

HOST = UUID("00000000-0000-4000-8000-000000000001")
ARCHIVE = UUID("00000000-0000-4000-8000-0000000000aa")
BOOT = UUID("00000000-0000-4000-8000-0000000000b1")
BEGIN_NS = 1_794_474_000 * NS_PER_S  # 2026-11-12 09:00:00 UTC
PROCESS_START = 77
PROCESS_COLUMNS = (*whole_columns(), *(column for slot in range(SLOTS) for column in slot_columns(slot)))
SWITCHES = kernel_column("system.cpu.context_switches")
RUNNABLE = kernel_column("system.process.runnable")


def ints(*values: int) -> IntArray:
    return np.array(values, dtype=np.int64)


def tick_times(count: int, *, interval_s: float = 1.0, start: int = 0) -> IntArray:
    return ((np.arange(count) + start) * interval_s * NS_PER_S).astype(np.int64)


def a_timebase(count: int, *, interval_s: float = 1.0, gap_after: int | None = None) -> Timebase:
    """Evenly spaced ticks; `gap_after` leaves ten intervals out behind that tick."""
    steps = np.ones(count)
    if gap_after is not None:
        steps[gap_after + 1] = 10
    at_ns = ((np.cumsum(steps) - 1) * interval_s * NS_PER_S).astype(np.int64)
    interval_ns = np.full(count, int(interval_s * NS_PER_S), dtype=np.int64)
    return Timebase(BEGIN_NS + at_ns, at_ns, np.zeros(count, dtype=np.int64), interval_ns)


def a_piece(
    columns: Mapping[Column, Sequence[int] | IntArray],
    *,
    group: str = "cpu",
    boot: UUID = BOOT,
    interval_s: float = 1.0,
    start: int = 0,
    wall_shift_s: float = 0.0,
) -> BlockSlice:
    count = len(next(iter(columns.values())))
    at_ns = tick_times(count, interval_s=interval_s, start=start)
    return BlockSlice(
        group=group,
        boot=boot.bytes,
        interval_ns=int(interval_s * NS_PER_S),
        wall_ns=BEGIN_NS + at_ns + int(wall_shift_s * NS_PER_S),
        monotonic_ns=at_ns,
        columns={column: np.array(values, dtype=np.int64) for column, values in columns.items()},
    )


def process_values(*, cores: float, pid: int) -> IntArray:
    """One process in the first slot, with as much more beside it; 100 clock ticks are a core for a second."""
    amounts = [int(cores * 100), 0, 25, 8192, 0, 3, 0, 0, 4, 250_000_000]
    rest = np.zeros((SLOTS, 4 + len(AMOUNTS)), dtype=np.int64)
    rest[0] = [pid, 777, ord("R"), 1, *amounts]
    return np.concatenate([2 * np.array(amounts), np.arange(len(STATES)), rest.ravel()])


def process_columns(
    slots: Sequence[tuple[int | Sequence[int], int, Mapping[int, int | Sequence[int]]]],
    whole: Mapping[int, int],
    *,
    ticks: int,
) -> dict[Column, list[int]]:
    """Columns of the process group. `slots` are (pid, core, {place: amounts a tick}); `whole` are the sums by place."""
    columns: dict[Column, list[int]] = {}
    for slot, (pid, core, amounts) in enumerate(slots):
        places: dict[int, int | Sequence[int]] = {
            PLACES.index("process.pid"): pid,
            PLACES.index("process.linux.start"): PROCESS_START,
            PLACES.index("process.linux.state"): ord("R"),
            PLACES.index("process.linux.core"): core,
        }
        for at, column in enumerate(slot_columns(slot)):
            value = places[at] if at < len(PLACES) else amounts.get(at - len(PLACES), 0)
            columns[column] = [value] * ticks if isinstance(value, int) else list(value)
    for at, column in enumerate(whole_columns()[: len(AMOUNTS)]):
        columns[column] = [whole.get(at, 0)] * ticks
    return columns


def a_frame(
    columns: Mapping[Column, Sequence[int] | IntArray], *, facts: HostFacts | None = None, **more: object
) -> Frame:
    return Frame(assemble([a_piece(columns, **more)]), facts or HostFacts())  # type: ignore[arg-type]


def a_schema(columns: Sequence[Column] = (SWITCHES, RUNNABLE), *, group: str = "cpu") -> Schema:
    return Schema(group, 0, tuple(columns))


def a_block(
    ticks: int = 3, *, start: int = 0, schema: Schema | None = None, archive: UUID = ARCHIVE, boot: UUID = BOOT,
    begin_ns: int = BEGIN_NS, interval_s: float = 1.0,
) -> Block:  # fmt: skip
    """A block whose first column counts 100 a tick, and whose others hold their own place."""
    described = schema or a_schema()
    at_ns = tick_times(ticks, start=start, interval_s=interval_s)
    values = np.tile(np.arange(len(described.columns), dtype=np.int64), (ticks, 1))
    values[:, 0] = (np.arange(ticks) + start) * 100
    return encode_block(
        Stretch(begin_ns + at_ns, at_ns + NS_PER_S, values),
        archive=archive,
        boot=boot,
        schema=described.digest,
        interval_ns=int(interval_s * NS_PER_S),
    )


def without_checksums(block: Block) -> Block:
    """The block in format 2, as recorders before checksums sent it."""
    chunks = [bytes(block.chunk(place)) for place in range(block.columns + CLOCKS)]
    offsets = np.cumsum([0, *map(len, chunks)]).astype("<u4")
    return replace(block, directory=offsets.tobytes(), data=b"".join(chunks), version=2)


def processor_columns(
    *, busy: Sequence[float], cores: int, stall: Sequence[float] | None = None, runnable: Sequence[int] | None = None,
    nice_share: float = 0.0,
) -> dict[str, dict[Column, IntArray]]:  # fmt: skip
    """Groups of a host whose cores share the load evenly: `busy` in cores and `stall` as shares, per tick."""
    used = np.round(np.array(busy) * 100).astype(np.int64)
    spent = {
        "user": np.round(used * (1 - nice_share)).astype(np.int64),
        "nice": np.round(used * nice_share).astype(np.int64),
        "idle": cores * 100 - used,
    }
    none = np.zeros(len(used), dtype=np.int64)
    cpu = {cpu_time(mode): np.cumsum(spent.get(mode, none)) for mode in CPU_MODES}
    for core in range(cores):
        cpu |= {cpu_time(mode, str(core)): np.cumsum(spent.get(mode, none)) // cores for mode in CPU_MODES}
    waiting = np.array(runnable if runnable is not None else np.zeros(len(used)), dtype=np.int64)
    cpu[RUNNABLE] = waiting + 1
    groups = {"cpu": cpu}
    if stall is not None:
        groups["stall"] = {stall_total("cpu", "some"): np.cumsum(np.round(np.array(stall) * 1e6)).astype(np.int64)}
    return groups


def a_processor_frame(*, interval_s: float = 1.0, **load: object) -> Frame:
    groups = processor_columns(**load)  # type: ignore[arg-type]
    return Frame(assemble([a_piece(columns, group=name, interval_s=interval_s) for name, columns in groups.items()]))


def a_report(**change):
    """What a recorder reports of itself."""
    report = {
        "version": "1", "pid": 1, "state": "recording", "started": "2026-11-12T09:00:00Z", "interval_s": 1.0,
        "last_tick": None, "ticks": 1, "missed": 0, "late_s": None, "cost_share": None, "memory_bytes": 1,
        "spool_bytes": 0, "spool_limit_bytes": 1,
    }  # fmt: skip
    return report | change


def a_finding(kind: str, start_ns: int, end_ns: int, *, device: str | None = None, **more: object) -> Finding:
    """Something that ran out, with no more to it than kind, device and time."""
    plain = Finding(
        kind, kind, Resource.PROCESSOR, device, start_ns, end_ns, Onset(start_ns, 1.0), 1.0, 1.0, False, Harm(1.0), 1.0,
        (), "", (), (),
    )  # fmt: skip
    return replace(plain, **more)  # type: ignore[arg-type]
