"""Who used what over a window, as it goes over the wire."""

import numpy as np
from pydantic import Field

from reditus.analysis.placement import CoreRuns
from reditus.analysis.use import By, Row, UseTable
from reditus.core.types import NS_PER_S, FloatArray
from reditus.core.use import QUANTITIES, Quantity
from reditus.server.schemas import Out, Time


class AmountsOut(Out):
    """What was used over the window. Of what is held (memory, threads) the mean over the time that was recorded."""

    processor_s: float = Field(description="Processor time, that in the kernel included.")
    system_s: float = Field(description="The part of processor_s that the kernel used.")
    cores: float | None = Field(description="processor_s over the time that was recorded.")
    memory_bytes: float | None
    read_bytes: float
    written_bytes: float
    major_faults: float
    minor_faults: float
    blocked_s: float = Field(description="Time blocked on I/O, all tasks together; where the kernel keeps it, else 0.")
    threads: float | None
    waited_s: float = Field(
        description="Time that threads were ready to run and had no core, all together; where it was recorded, else 0."
    )

    @classmethod
    def of(cls, amounts: FloatArray, seconds: float) -> "AmountsOut":
        """From sums over the window, shape (quantities,), and the seconds that were recorded."""
        total = dict(zip(QUANTITIES, amounts.tolist(), strict=True))

        def mean(quantity: Quantity) -> float | None:
            return total[quantity] / seconds if seconds > 0 else None

        return cls(
            processor_s=total[Quantity.PROCESSOR],
            system_s=total[Quantity.SYSTEM],
            cores=mean(Quantity.PROCESSOR),
            memory_bytes=mean(Quantity.MEMORY),
            read_bytes=total[Quantity.READ],
            written_bytes=total[Quantity.WRITTEN],
            major_faults=total[Quantity.MAJOR_FAULTS],
            minor_faults=total[Quantity.MINOR_FAULTS],
            blocked_s=total[Quantity.BLOCKED],
            threads=mean(Quantity.THREADS),
            waited_s=total[Quantity.WAITED],
        )


class UseRowOut(Out):
    """A process, or several that are put together."""

    key: str
    name: str
    processes: int = Field(description="How many were put together.")
    pid: int | None = Field(description="Of a single process; else null, as are the next seven.")
    start: int | None = Field(description="Clock ticks from the machine's start to the process's.")
    user: str | None
    group: str | None
    parent: int | None
    parent_name: str | None = Field(description="Where the parent was among the heaviest itself.")
    core: int | None = Field(description="The core that it was last seen on.")
    arguments: str | None
    first: Time = Field(description="When it was first among the heaviest within the window.")
    last: Time
    amounts: AmountsOut
    memory_high_bytes: float
    memory_growth_bytes: float = Field(description="Held at last less held at first; below zero where it shrank.")
    share: float | None = Field(description="Of what there was of the chosen quantity, 0 to 1.")
    curve: list[float | None] = Field(
        description="The chosen quantity over the window, bin by bin: per second, or what was held."
    )


class UseOut(Out):
    """Who used what over a window, the heaviest of the chosen quantity first."""

    recorded: bool = Field(description="Whether the archive holds processes at all.")
    start: Time
    end: Time
    bin_s: float
    recorded_s: float = Field(description="Of the window, that was recorded.")
    by: By
    sort: Quantity
    rows: list[UseRowOut]
    others: int = Field(description="Users of resources that are not listed, for there are too many.")
    others_amounts: AmountsOut
    not_attributed: AmountsOut = Field(
        description="What no row and none of the others accounts for: processes that never were among the heaviest, "
        "that ended between two ticks, interrupts, and what the kernel does on its own."
    )
    not_attributed_curve: list[float | None]
    total: AmountsOut = Field(description="The machine's, or all processes' together where that is more.")


class CoreRunOut(Out):
    """A task that had most of a core for a while."""

    start: Time
    end: Time
    task: int = Field(description="Its place among the tasks.")
    share: float = Field(description="Of the core, 0 to 1, on average.")


class CoreTaskOut(Out):
    """A process, or a thread."""

    number: int
    start: int
    name: str | None


class CoreRunsOut(Out):
    """Who ran on a core over the window."""

    core: str
    runs: list[CoreRunOut]


class PlacementOut(Out):
    """Which process or thread ran on which core; each counts for the core where a tick found it."""

    recorded: bool = Field(description="Whether the archive holds processes and single cores.")
    of_threads: bool = Field(description="Whether the tasks are threads, where the plan asks for those.")
    tasks: list[CoreTaskOut]
    cores: list[CoreRunsOut]

    @classmethod
    def of(cls, found: CoreRuns | None) -> "PlacementOut":
        """From what was read; nothing where nothing was recorded."""
        if found is None:
            return cls(recorded=False, of_threads=False, tasks=[], cores=[])
        return cls(
            recorded=True,
            of_threads=found.of_threads,
            tasks=[CoreTaskOut(number=task.number, start=task.start, name=task.name) for task in found.tasks],
            cores=[
                CoreRunsOut(
                    core=core,
                    runs=[
                        CoreRunOut(start=run.start_ns, end=run.end_ns, task=run.task, share=run.share) for run in runs
                    ],
                )
                for core, runs in found.cores
            ],
        )


def use_out(table: UseTable, by: By, sort: Quantity, most: int) -> UseOut:
    """The table, cut to the heaviest of a quantity."""
    place, seconds = QUANTITIES.index(sort), float(table.seconds.sum())
    rows = sorted(table.matching, key=lambda row: (-row.totals[place], -row.totals[0], row.key))
    listed, others, total = rows[:most], rows[most:], table.total.sum(axis=0)
    nothing = np.zeros(len(QUANTITIES))
    return UseOut(
        recorded=table.recorded,
        start=int(table.edges_ns[0]),
        end=int(table.edges_ns[-1]),
        bin_s=float(table.edges_ns[1] - table.edges_ns[0]) / NS_PER_S,
        recorded_s=seconds,
        by=by,
        sort=sort,
        rows=[_row(row, table, sort, float(total[place])) for row in listed],
        others=len(others),
        others_amounts=AmountsOut.of(sum((row.totals for row in others), nothing), seconds),
        not_attributed=AmountsOut.of(table.rest, seconds),
        not_attributed_curve=_listed(table.rest_curve(sort)),
        total=AmountsOut.of(total, seconds),
    )


def _row(row: Row, table: UseTable, sort: Quantity, total: float) -> UseRowOut:
    identity = row.identity
    single = row.members[0] if len(row.members) == 1 else None
    stay = row.stay
    return UseRowOut(
        key=row.key,
        name=row.name,
        processes=len(row.members),
        pid=single.pid if single else None,
        start=single.start if single else None,
        user=identity.user if identity else None,
        group=identity.group if identity else None,
        parent=identity.parent if identity else None,
        parent_name=_parent_name(row, table),
        core=stay.core if single else None,
        arguments=identity.arguments if identity else None,
        first=stay.first_ns,
        last=stay.last_ns,
        amounts=AmountsOut.of(row.totals, float(table.seconds.sum())),
        memory_high_bytes=stay.high_bytes,
        memory_growth_bytes=stay.last_bytes - stay.first_bytes,
        share=float(row.totals[QUANTITIES.index(sort)]) / total if total > 0 else None,
        curve=_listed(table.curve(row, sort)),
    )


def _parent_name(row: Row, table: UseTable) -> str | None:
    """A number may have been given twice within a boot: the parent is the one that began last before its child."""
    if row.identity is None:
        return None
    child = row.members[0]
    elder = [
        (owner.start, identity.name)
        for owner, identity in table.identities.items()
        if owner.boot == child.boot and owner.pid == row.identity.parent and owner.start <= child.start
    ]
    return max(elder)[1] if elder else None


def _listed(values: FloatArray) -> list[float | None]:
    return [value if is_known else None for value, is_known in zip(values.tolist(), ~np.isnan(values), strict=True)]
