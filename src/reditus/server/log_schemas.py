"""What goes over the wire of logs."""

from pydantic import Field

from reditus.exchange.log_reading import LogRead
from reditus.server.marker_schemas import MarkerOut
from reditus.server.schemas import Out, Time
from reditus.store.records import LogInfo


class LogOut(Out):
    """A log that there are lines of."""

    name: str
    lines: int
    errors: int = Field(description="As bad as an error, or worse.")
    first: Time
    last: Time

    @classmethod
    def of(cls, log: LogInfo) -> "LogOut":
        """From the store's record."""
        return cls(name=log.name, lines=log.lines, errors=log.errors, first=log.first_ns, last=log.last_ns)


class LineProblemOut(Out):
    """A line that was not understood."""

    line: int = Field(description="Counted from 1; 0: of no single line.")
    problem: str


class LogPreviewOut(Out):
    """How a log's lines are read, before any is kept."""

    format: str = Field(description="How its lines tell their time.")
    doubts: list[str] = Field(description="What of the times is not sure, and what it was taken for.")
    year: int | None = Field(description="Of the first line, where years are left out.")
    lines: list[MarkerOut] = Field(description="The first ones.")
    total: int = Field(description="Lines in what was sent.")
    problems: list[LineProblemOut] = Field(description="The first lines that were not understood.")
    problem_count: int

    @classmethod
    def of(cls, read: LogRead, shown: int) -> "LogPreviewOut":
        """Some of what was read."""
        lines = read.lines.markers
        return cls(
            format=read.format,
            doubts=list(read.doubts),
            year=read.year,
            lines=[MarkerOut.of(marker) for marker in lines[:shown]],
            total=len(lines),
            problems=[LineProblemOut(line=line, problem=why) for line, why in read.lines.problems[:shown]],
            problem_count=len(read.lines.problems),
        )


class LogKeptOut(Out):
    """What became of a log that was sent."""

    kept: int
    first: Time | None
    last: Time | None
    format: str
    doubts: list[str]
    problem_count: int = Field(description="Lines that were not understood, and are not kept.")
