"""Lines of logs in the database: which logs there are, their lines near a moment, and how many there were when."""

from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy import ColumnElement, Select, func, or_, select
from sqlalchemy.orm import Session

from reditus.core.markers import SEVERITIES
from reditus.core.window import Window
from reditus.store.database.tables import MarkerRow
from reditus.store.read.scope import Scope
from reditus.store.records import LineCount, LogInfo

ANY = "*"
"""Stands for any letters in what lines are to hold."""
ERROR = SEVERITIES.index("error")


@dataclass(frozen=True, slots=True)
class LineChoice:
    """Which lines: as bad as a severity, of some logs (none: of all), and holding some letters, whatever their case."""

    worse_than: str = "debug"
    logs: tuple[str, ...] = ()
    holding: str = ""

    @property
    def conditions(self) -> list[ColumnElement[bool]]:
        """For the rows of lines; remarks and gaps have no log and no severity."""
        out: list[ColumnElement[bool]] = [
            or_(MarkerRow.severity.is_(None), MarkerRow.severity <= SEVERITIES.index(self.worse_than))
        ]
        if self.logs:
            out.append(MarkerRow.log.in_(self.logs))
        if self.holding:
            pattern = _pattern(self.holding)
            out.append(or_(MarkerRow.text.ilike(pattern, escape="\\"), MarkerRow.source.ilike(pattern, escape="\\")))
        return out


def _pattern(holding: str) -> str:
    plain = holding.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_")
    return f"%{plain.replace(ANY, '%')}%"


def of_scope(scope: Scope) -> Select[MarkerRow]:
    """Everything that is marked in a timeline."""
    return select(MarkerRow).where(MarkerRow.host_id == scope.host, MarkerRow.archive_id.in_(scope.archives))


def logs_of(session: Session, scope: Scope) -> list[LogInfo]:
    """The logs that a timeline has lines of, by name."""
    lines = of_scope(scope).where(MarkerRow.kind == "log").subquery()
    rows = session.execute(
        select(
            lines.c.log,
            func.count(),
            func.count().filter(lines.c.severity <= ERROR),
            func.min(lines.c.at_ns),
            func.max(lines.c.at_ns),
        )
        .group_by(lines.c.log)
        .order_by(lines.c.log)
    )
    return [LogInfo(*row) for row in rows]


def lines_near(session: Session, scope: Scope, at_ns: int, choice: LineChoice, limit: int) -> list[MarkerRow]:
    """Lines before and after a moment, in the order of time: half as many on each side, or more where the other side
    has fewer.
    """
    chosen = of_scope(scope).where(MarkerRow.kind == "log", *choice.conditions)
    before = session.scalars(
        chosen.where(MarkerRow.at_ns <= at_ns).order_by(MarkerRow.at_ns.desc(), MarkerRow.ident.desc()).limit(limit)
    ).all()
    after = session.scalars(
        chosen.where(MarkerRow.at_ns > at_ns).order_by(MarkerRow.at_ns, MarkerRow.ident).limit(limit)
    ).all()
    first = min(len(before), max(limit // 2, limit - len(after)))
    return [*reversed(before[:first]), *after[: limit - first]]


def count_lines(
    session: Session, scope: Scope, window: Window, cell_ns: int, choice: LineChoice
) -> Sequence[LineCount]:
    """How many lines of each log there were in each cell of a window that has any, counted from its start."""
    lines = of_scope(scope).where(
        MarkerRow.kind == "log",
        MarkerRow.at_ns >= window.start_ns,
        MarkerRow.at_ns < window.end_ns,
        *choice.conditions,
    )
    rows = session.execute(
        lines.with_only_columns(
            MarkerRow.log,
            ((MarkerRow.at_ns - window.start_ns) // cell_ns).label("cell"),
            func.count(),
            func.count().filter(MarkerRow.severity <= ERROR),
        ).group_by(MarkerRow.log, "cell")
    )
    return [LineCount(log, int(at), lines, errors) for log, at, lines, errors in rows]
