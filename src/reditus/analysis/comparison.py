"""Two windows of any two timelines held against each other: measures, processes, findings, and what changed between."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from reditus.analysis.log_series import TITLES, read_log_series
from reditus.analysis.series import binned_by
from reditus.analysis.use import By, read_use
from reditus.core.binning import Binner, BinStats
from reditus.core.binning.edges import aligned_edges
from reditus.core.comparison import Comparison, Side, aligned_bin_ns, compare
from reditus.core.comparison.roles import meaning_of
from reditus.core.diagnosis.finding import Diagnosis, Finding
from reditus.core.measures.selection import EVERY_DEVICE, SeriesKey, everything
from reditus.core.types import NS_PER_S
from reditus.core.use import QUANTITIES, Quantity
from reditus.core.window import Window
from reditus.store.read.reader import Reader

USE_BINS = 8
LOG_BINS = 48
MIB = 2**20
LEAST_CORES, LEAST_BYTES, LEAST_BYTES_PER_S = 0.05, 64 * MIB, 256 * 1_024
"""Of a program less is not worth a row."""
LEAST_SHARE = 0.2
"""Heavier or lighter by less is alike."""
MOST_ROWS = 40


@dataclass(frozen=True, slots=True)
class Interval:
    """What has to be known of a side before either is read."""

    window: Window
    interval_ns: int


def comparable_keys(reader: Reader) -> tuple[SeriesKey, ...]:
    """The measures that tell something of their own, of the machine and of each device."""
    return tuple(key for key in everything(reader.known) if meaning_of(key.measure) is not None)


def common_bin_ns(sides: Sequence[Interval]) -> int:
    """The length of the bins in which sides are compared."""
    return aligned_bin_ns([side.window for side in sides], [side.interval_ns for side in sides])


def interval_of(reader: Reader, window: Window) -> Interval:
    """Of one side."""
    return Interval(window, reader.extent.interval_ns or NS_PER_S)


@dataclass(frozen=True, slots=True)
class ReadSide:
    """One side as it was read: measures, which of them it may have, and programs; None without processes."""

    side: Side
    keys: tuple[SeriesKey, ...]
    programs: "dict[str, Used] | None"


@dataclass(frozen=True, slots=True)
class Compared:
    """Both sides held against each other."""

    measures: Comparison
    programs: "list[ProgramChange] | None"
    """None where a side has no processes."""


def compare_sides(own: ReadSide, other: ReadSide, check: Callable[[], None]) -> Compared:
    """`check` is called between parts of the work."""
    found = compare(own.side, other.side, tuple(dict.fromkeys(own.keys + other.keys)), check)
    if own.programs is None or other.programs is None:
        return Compared(found, None)
    return Compared(found, program_changes(own.programs, other.programs))


def read_side(reader: Reader, window: Window, bin_ns: int) -> ReadSide:
    """Every comparable measure over bins of a length, and what programs used."""
    keys = comparable_keys(reader)
    found = binned_by(reader, keys, window, bin_ns)
    stats = {
        (key.measure.name, key.device): part
        for key, part in zip(keys, found.series, strict=True)
        if part is not None and part.observed_s.any()
    }
    logged = _log_stats(reader, window, bin_ns)
    stats |= {(key.measure.name, key.device): part for key, part in logged.items()}
    side = Side(reader.scope.host_name, reader.scope.facts, window, bin_ns, stats)
    return ReadSide(side, (*keys, *logged), read_programs(reader, window))


def _log_stats(reader: Reader, window: Window, bin_ns: int) -> dict[SeriesKey, BinStats]:
    """Lines and errors a second of each log, in longer bins: some a minute are none in most bins of seconds."""
    longer = max((window.end_ns - window.start_ns) // (LOG_BINS * bin_ns), 1) * bin_ns
    binner = Binner(window, aligned_edges(window, longer))
    names = [f"{name}@{EVERY_DEVICE}" for name in TITLES] if reader.logs() else []
    found = [item for item in read_log_series(reader, names, window) if item.series is not None]
    out = {item.key: binner.binned(item.series) for item in found if item.series is not None}
    return {key: stats for key, stats in out.items() if stats.observed_s.any()}


@dataclass(frozen=True, slots=True)
class Used:
    """What a program used of one side's window, a second of what was recorded."""

    cores: float = 0.0
    memory_bytes: float = 0.0
    read_bytes_per_s: float = 0.0
    written_bytes_per_s: float = 0.0
    processes: int = 0


@dataclass(frozen=True, slots=True)
class ProgramChange:
    """A program on both sides: new, gone, heavier or lighter."""

    name: str
    what: str
    window: Used
    reference: Used


def read_programs(reader: Reader, window: Window) -> dict[str, Used] | None:
    """What each program used; None where no processes are recorded."""
    table = read_use(reader, window, USE_BINS, By.PROGRAM)
    seconds = float(table.seconds.sum())
    if not table.recorded or seconds <= 0:
        return None
    places = {quantity: QUANTITIES.index(quantity) for quantity in Quantity}
    return {
        row.name: Used(
            float(row.totals[places[Quantity.PROCESSOR]]) / seconds,
            float(row.totals[places[Quantity.MEMORY]]) / seconds,
            float(row.totals[places[Quantity.READ]]) / seconds,
            float(row.totals[places[Quantity.WRITTEN]]) / seconds,
            len(row.members),
        )
        for row in table.rows
    }


def program_changes(window: dict[str, Used], reference: dict[str, Used]) -> list[ProgramChange]:
    """Those that use more or less than is worth a word, what changed most first."""
    out = []
    for name in {**window, **reference}:
        own, other = window.get(name, Used()), reference.get(name, Used())
        weight = _weight(own, other)
        if weight == 0:
            continue
        what = "new" if not other.processes else "gone" if not own.processes else "heavier" if weight > 0 else "lighter"
        out.append((abs(weight), ProgramChange(name, what, own, other)))
    out.sort(key=lambda item: (-item[0], item[1].name))
    return [change for _, change in out[:MOST_ROWS]]


def _weight(own: Used, other: Used) -> float:
    """By how many times what is worth a word it uses more, in what it changed most; 0 where it is alike."""
    changes = [
        (own.cores, other.cores, LEAST_CORES),
        (own.memory_bytes, other.memory_bytes, LEAST_BYTES),
        (own.read_bytes_per_s, other.read_bytes_per_s, LEAST_BYTES_PER_S),
        (own.written_bytes_per_s, other.written_bytes_per_s, LEAST_BYTES_PER_S),
    ]
    large = [
        (now - before) / least
        for now, before, least in changes
        if abs(now - before) >= max(least, LEAST_SHARE * max(now, before))
    ]
    return max(large, key=abs, default=0.0)


@dataclass(frozen=True, slots=True)
class FindingChange:
    """A kind of finding of a device on both sides: new, gone, longer or shorter."""

    what: str
    kind: str
    title: str
    device: str | None
    window_s: float
    reference_s: float


def finding_changes(window: Diagnosis, reference: Diagnosis) -> list[FindingChange]:
    """By kind and device; what lasted about as long on both sides is left out."""
    sides = [_lengths(side.findings) for side in (window, reference)]
    titles = {(item.kind, item.device): item.title for side in (reference, window) for item in side.findings}
    out = []
    for key, title in titles.items():
        own_s, other_s = sides[0].get(key, 0.0), sides[1].get(key, 0.0)
        if own_s and other_s and abs(own_s - other_s) < LEAST_SHARE * max(own_s, other_s):
            continue
        what = "new" if not other_s else "gone" if not own_s else "longer" if own_s > other_s else "shorter"
        out.append(FindingChange(what, key[0], title, key[1], own_s, other_s))
    return sorted(out, key=lambda item: -abs(item.window_s - item.reference_s))


def _lengths(findings: Sequence[Finding]) -> dict[tuple[str, str | None], float]:
    out: dict[tuple[str, str | None], float] = {}
    for item in findings:
        times = item.occurrences or (item,)
        length_s = sum((time.end_ns - time.start_ns) / NS_PER_S for time in times)
        out[item.kind, item.device] = out.get((item.kind, item.device), 0.0) + length_s
    return out
