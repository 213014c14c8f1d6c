"""Times as people read them, by the clock of a place: in reports and pictures. Inside they are nanoseconds in UTC."""

import math
from collections.abc import Sequence
from datetime import UTC, datetime, timedelta, tzinfo
from zoneinfo import ZoneInfo

from reditus.core.types import NS_PER_MS, NS_PER_S

TICK_STEPS_S = (
    0.001, 0.002, 0.005, 0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 900, 1_800, 3_600,
    7_200, 10_800, 21_600, 43_200, 86_400, 172_800, 604_800,
)  # fmt: skip
MINUTE_MS, HOUR_MS, DAY_MS = 60_000, 3_600_000, 86_400_000
_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)
_MONTHS = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sept", "Oct", "Nov", "Dec")


class Clock:
    """The clock of a place of the time zone database, or UTC."""

    def __init__(self, zone: str, year: int | None = None) -> None:
        """`year`: of days in this year the year is left out. Raise ZoneInfoNotFoundError or ValueError for no place."""
        self.zone = zone
        self._info: tzinfo = UTC if zone == "UTC" else ZoneInfo(zone)
        self._year = year

    def _local(self, at_ms: float) -> datetime:
        return (_EPOCH + timedelta(milliseconds=at_ms)).astimezone(self._info)

    def offset_ms(self, at_ms: float) -> int:
        """How far the clock is ahead of UTC."""
        offset = self._local(at_ms).utcoffset()
        return round((offset or timedelta()).total_seconds() * 1_000)

    def day(self, at_ms: float) -> str:
        """Such as 12 Nov, with the year where it is another one than the clock was made with."""
        local = self._local(at_ms)
        day = f"{local.day} {_MONTHS[local.month - 1]}"
        return day if local.year == self._year else f"{day} {local.year}"

    def time(self, at_ms: float) -> str:
        """To the second."""
        return self._local(math.floor(at_ms / 1_000) * 1_000).strftime("%H:%M:%S")

    def minute(self, at_ms: float) -> str:
        """To the minute."""
        return self._local(math.floor(at_ms / 1_000) * 1_000).strftime("%H:%M")

    def instant(self, at_ns: int) -> str:
        """Day and time."""
        at_ms = at_ns / NS_PER_MS
        return f"{self.day(at_ms)} {self.time(at_ms)}"

    def window(self, start_ns: int, end_ns: int) -> str:
        """Such as 12 Nov 09:00:00 – 10:00:00, with the second day only where it differs."""
        start_ms, end_ms = start_ns / NS_PER_MS, end_ns / NS_PER_MS
        first, last = self.day(start_ms), self.day(end_ms)
        return f"{first} {self.time(start_ms)} – {'' if first == last else f'{last} '}{self.time(end_ms)}"

    def offset(self, at_ms: float) -> str:
        """Such as UTC+2, or UTC−3:30."""
        minutes = round(self.offset_ms(at_ms) / MINUTE_MS)
        if minutes == 0:
            return "UTC"
        hours, rest = divmod(abs(minutes), 60)
        return f"UTC{'−' if minutes < 0 else '+'}{hours}{f':{rest:02d}' if rest else ''}"

    def name(self, start_ns: int, end_ns: int) -> str:
        """What the clock is called over a window, with how far it is ahead of UTC."""
        if self.zone == "UTC":
            return "UTC"
        first, last = self.offset(start_ns / NS_PER_MS), self.offset(end_ns / NS_PER_MS)
        place = self.zone.rsplit("/", 1)[-1].replace("_", " ")
        return f"{place} ({first if first == last else f'{first}, then {last}'})"

    def _from_wall(self, wall_ms: float) -> float:
        before, after = self.offset_ms(wall_ms - DAY_MS), self.offset_ms(wall_ms + DAY_MS)
        early = wall_ms - max(before, after)
        return early if early + self.offset_ms(early) == wall_ms else wall_ms - min(before, after)

    def axis(self, start_ms: float, end_ms: float, count: int) -> list[float]:
        """Round moments for an axis of `count` labels at most, on whole steps of this clock."""
        wanted_s = (end_ms - start_ms) / 1_000 / max(count, 1)
        step_ms = next((step for step in TICK_STEPS_S if step >= wanted_s), TICK_STEPS_S[-1]) * 1_000
        out: list[float] = []
        if step_ms <= HOUR_MS:
            shift_ms = self.offset_ms(start_ms)
            at_ms = math.ceil((start_ms + shift_ms) / step_ms) * step_ms - shift_ms
            while at_ms <= end_ms:
                out.append(at_ms)
                at_ms += step_ms
            return out
        wall_ms = math.ceil((start_ms + self.offset_ms(start_ms)) / step_ms) * step_ms
        while (at_ms := self._from_wall(wall_ms)) <= end_ms:
            if at_ms >= start_ms:
                out.append(at_ms)
            wall_ms += step_ms
        return out

    def axis_label(self, at_ms: float, step_ms: float) -> str:
        """As long as the step needs: seconds only below a minute, their parts below a second, the day at midnight."""
        minute = self.minute(at_ms)
        if step_ms >= HOUR_MS and minute == "00:00":
            return self.day(at_ms)
        if step_ms >= MINUTE_MS:
            return minute
        digits = max(0, math.ceil(-math.log10(step_ms / 1_000)))
        return self.time(at_ms) + (f"{at_ms % 1_000 / 1_000:.{digits}f}"[1:] if digits else "")


def year_of(times_ns: Sequence[int]) -> int | None:
    """The year that times lie in, in UTC; None where there are several, or none."""
    years = {(_EPOCH + timedelta(seconds=at_ns // NS_PER_S)).year for at_ns in times_ns}
    return years.pop() if len(years) == 1 else None
