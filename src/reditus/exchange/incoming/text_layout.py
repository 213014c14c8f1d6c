"""Text that programs print at an interval, described by a layout: which lines are heads, which say when, which hold
values.

Three shapes cover what is printed: columns under a head that is repeated now and then; lines of `name=value`; and
blocks, a line with the time and then what belongs to it. A layout is a small JSON file of ours (docs/text-layouts.md),
guessed from the text itself or written by hand. No program's format is known here.
"""

import re
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from datetime import date, timedelta
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from reditus.exchange.incoming.guessing import UNITS
from reditus.exchange.incoming.mapping import MOST_MEANINGS, MappingError, Meaning, TimeMapping
from reditus.exchange.incoming.numbers import MISSING, number_in, unit_behind
from reditus.exchange.incoming.times import MOST_OF, guessed_form

Line = Annotated[str, StringConstraints(max_length=400)]
MOST_TOKENS = 400
MOST_LINE = 64 << 10
DAYLESS = "times are of a day alone; say with `date` on which day it begins"
DAY_AGAIN_S = 43_200
"""A time of day that falls by more than half a day is of the next day."""
_TIME_OF_DAY = re.compile(r"^([01]?\d|2[0-3]):([0-5]\d):([0-5]\d)([.,]\d{1,9})?$")
_DATE = re.compile(r"^(\d{4}-\d\d-\d\d|\d{1,2}[./]\d{1,2}[./]\d{4})$")
_PAIR = re.compile(r"(?<![\w.%/()-])([A-Za-z_][\w.%/()-]*)\s*[=:]\s*(\"[^\"]*\"|[^\s,;]+)")
_MOMENT = re.compile(r"\d{4}-\d\d-\d\d[T ]\d\d:\d\d:\d\d(?:[.,]\d{1,9})?\s?(?:Z|[+-]\d\d:?\d\d)?")


class TextLayout(BaseModel):
    """How a text is to be read."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    format: Literal["reditus-text-layout"] = "reditus-text-layout"
    version: Literal[1] = 1
    shape: Literal["columns", "pairs", "blocks"]
    head: Annotated[list[Line], Field(max_length=MOST_TOKENS)] = Field(
        default_factory=list, description="Of columns and blocks: the words of the line that names what is under it."
    )
    devices: Annotated[list[Annotated[int, Field(ge=0, lt=MOST_TOKENS)]], Field(max_length=4)] = Field(
        default_factory=list, description="Which words of a line say what its values are of, such as a disk's name."
    )
    times: Annotated[list[Annotated[int, Field(ge=0, lt=MOST_TOKENS)]], Field(max_length=3)] = Field(
        default_factory=list, description="Which words of a line say when; none where a line of its own does."
    )
    begin: Line = Field(
        default="",
        description="Of blocks: how the lines begin that begin one. They hold a date and a time.",
    )
    ignore: Annotated[list[Line], Field(max_length=20)] = Field(
        default_factory=list, description="How lines begin that say nothing."
    )
    form: Line = Field(default="iso", description="Of times: as in a mapping, or `time` for a time of day alone.")
    zone: Line = "UTC"
    date: Annotated[str, StringConstraints(pattern=r"^\d{4}-\d\d-\d\d$")] | None = Field(
        default=None, description="The day on which it begins, where times are of a day alone."
    )

    names: Annotated[dict[str, Meaning | None], Field(max_length=MOST_MEANINGS)] = Field(
        default_factory=dict,
        description="What names mean; null leaves one out. Of others it is guessed from name and unit.",
    )

    def time_mapping(self) -> TimeMapping:
        """How the times of the rows are written that this layout gives."""
        return TimeMapping(places=[0], form="iso" if self.form == "time" else self.form, zone=self.zone)


@dataclass(frozen=True, slots=True)
class Row:
    """A value, as the text has it."""

    time: str
    name: str
    device: str
    value: str
    unit: str = ""
    """What stands behind the value."""


def rows_of(lines: Iterable[str], layout: TextLayout) -> Iterator[Row]:
    """The values of a text, line by line. Raise MappingError for a layout that cannot be."""
    ignored, days = tuple(layout.ignore), _Days(layout)
    read = {"columns": _columns, "pairs": _pairs, "blocks": _blocks}[layout.shape]
    kept = (line for line in map(str.rstrip, lines) if line.strip() and not (ignored and line.startswith(ignored)))
    for row in read(kept, layout):
        yield replace(row, time=days.spelled(row.time))


class _Days:
    """Gives times of a day their day: the next one where they begin again."""

    def __init__(self, layout: TextLayout) -> None:
        self._alone = layout.form == "time"
        if self._alone and layout.date is None:
            raise MappingError(DAYLESS)
        try:
            self._day = date.fromisoformat(layout.date) if layout.date else date(1970, 1, 1)
        except ValueError as why:
            raise MappingError(f"{layout.date!r} is no day: {why}") from why
        self._last_s = -1

    def spelled(self, text: str) -> str:
        """The time with its day; as it is where it has one, or is none."""
        found = _TIME_OF_DAY.match(text) if self._alone else None
        if found is None:
            return text
        at_s = int(found[1]) * 3_600 + int(found[2]) * 60 + int(found[3])
        if self._last_s - at_s > DAY_AGAIN_S:
            self._day += timedelta(days=1)
        self._last_s = at_s
        return f"{self._day.isoformat()} {found[1].zfill(2)}:{found[2]}:{found[3]}{found[4] or ''}"


def _columns(lines: Iterable[str], layout: TextLayout) -> Iterator[Row]:
    """A value for each word that stands under a name; lines with more or fewer words are none."""
    head = layout.head
    if not head or not layout.times:
        raise MappingError("columns need a head, and words that say when")
    for line in lines:
        words = line.split()
        if len(words) == len(head) and words != head:
            yield from _under(head, words, layout, " ".join(words[place] for place in layout.times))


def _under(head: Sequence[str], words: Sequence[str], layout: TextLayout, time: str) -> Iterator[Row]:
    device = " ".join(words[place] for place in layout.devices if place < len(words))
    for place, (name, word) in enumerate(zip(head, words, strict=True)):
        if place not in layout.times and place not in layout.devices and _is_value(word):
            yield Row(time, name, device, word, unit_behind(word))


def _is_value(word: str) -> bool:
    return number_in(word, ".") is not None or word.lower() in MISSING


def _pairs(lines: Iterable[str], layout: TextLayout) -> Iterator[Row]:
    """A value for each name=value of a line that says when; a time on a line of its own holds for those behind it."""
    time = ""
    for line in lines:
        time = _time_of(line, layout) or time
        pairs = [(found[1], found[2].strip('"')) for found in _PAIR.finditer(_MOMENT.sub(" ", line))]
        names = [name for name, _ in pairs]
        texts = {name: value for name, value in pairs if not _is_value(value)}
        device = next((texts[name] for name in _named(names, layout) if name in texts), "")
        if time:
            for name, value in pairs:
                if _is_value(value) and not _TIME_OF_DAY.match(value):
                    yield Row(time, name, device, value, unit_behind(value))


def _named(names: Sequence[str], layout: TextLayout) -> list[str]:
    """The names whose values say what a line is of."""
    return [names[place] for place in layout.devices if place < len(names)]


def _time_of(line: str, layout: TextLayout) -> str | None:
    words = line.split()
    if layout.times:
        return " ".join(words[place] for place in layout.times) if max(layout.times) < len(words) else None
    found = _MOMENT.search(line)
    return found[0] if found else None


def _blocks(lines: Iterable[str], layout: TextLayout) -> Iterator[Row]:
    """What stands between two lines that say when: tables under heads, or a name and a value a line."""
    time = ""
    for line in lines:
        found = _MOMENT.search(line) if line.startswith(layout.begin) else None
        if found is not None:
            time = found[0]
            continue
        words = line.split()
        if not time or words == layout.head:
            continue
        if layout.head and len(words) == len(layout.head):
            yield from _under(layout.head, words, layout, time)
        elif len(words) >= 2 and not layout.head:
            behind = words.pop() if _has_unit(words) else ""
            name, value = " ".join(words[:-1]).rstrip(":="), words[-1]
            if name and _is_value(value):
                yield Row(time, name, "", value, behind or unit_behind(value))


def _has_unit(words: Sequence[str]) -> bool:
    """Whether a name and a value have a unit behind them as a word of its own."""
    return len(words) > 2 and words[-1].lower() in UNITS and _is_value(words[-2])


def guessed_layout(text: str) -> TextLayout | None:
    """The layout of a text by its beginning; None where it has none of the shapes."""
    lines = [line.rstrip() for line in text.splitlines() if line.strip()]
    return _guessed_columns(lines) or _guessed_pairs(lines) or _guessed_blocks(lines)


def _guessed_columns(lines: Sequence[str]) -> TextLayout | None:
    """A line of words without numbers, and behind it lines of as many words, most of them numbers, that say when."""
    split = [line.split() for line in lines[:400]]
    for number, head in enumerate(split[:60]):
        if len(head) < 3 or any(number_in(word, ".") is not None and not word[0].isalpha() for word in head[2:]):
            continue
        alike = [words for words in split[number + 1 :] if len(words) == len(head) and words != head]
        if len(alike) < 2 or not _has_number(alike[0]):
            continue  # what stands nearer to the numbers is their head
        data = [words for words in alike if _has_number(words)]
        times = _times_in(data)
        if times is None:
            continue
        places, form = times
        devices = [
            place for place in range(len(head))
            if place not in places and sum(_is_value(words[place]) for words in data) < MOST_OF * len(data)
        ]  # fmt: skip
        values = len(head) - len(places) - len(devices)
        if values >= 1 and len(devices) <= 2:
            return TextLayout(shape="columns", head=list(head), times=places, devices=devices, form=form)
    return None


def _has_number(words: Sequence[str]) -> bool:
    return any(number_in(word, ".") is not None for word in words)


def _times_in(rows: Sequence[Sequence[str]]) -> tuple[list[int], str] | None:
    for place in range(min(3, len(rows[0]))):
        column = [words[place] for words in rows]
        if _nearly_all(_DATE, column) and len(rows[0]) > place + 1:
            form = guessed_form([f"{words[place]} {words[place + 1]}" for words in rows])
            if form is not None:
                return [place, place + 1], form
        if _nearly_all(_TIME_OF_DAY, column):
            return [place], "time"
        form = guessed_form(column)
        if form is not None:
            return [place], form
    return None


def _nearly_all(pattern: re.Pattern[str], words: Sequence[str]) -> bool:
    return sum(pattern.match(word) is not None for word in words) >= MOST_OF * len(words)


def _guessed_pairs(lines: Sequence[str]) -> TextLayout | None:
    paired = [line for line in lines[:200] if len(_PAIR.findall(_MOMENT.sub("", line))) >= 2]
    if len(paired) * 2 < len(lines[:200]) or len(paired) < 2:
        return None
    if any(_MOMENT.search(line) for line in lines[:200]):
        return TextLayout(shape="pairs")
    return None


def _guessed_blocks(lines: Sequence[str]) -> TextLayout | None:
    """Lines with a moment, at a distance from each other, and names with numbers between them."""
    moments = [number for number, line in enumerate(lines[:400]) if _MOMENT.search(line)]
    if len(moments) < 2 or len(moments) * 2 > len(lines[:400]):
        return None
    between = [line.split() for number, line in enumerate(lines[: moments[-1]]) if number not in moments]
    plain = [words for words in between if len(words) >= 2 and (_is_value(words[-1]) or _has_unit(words))]
    if len(plain) * 2 < len(between) or not plain:
        return None
    return TextLayout(shape="blocks", begin=_common([lines[number] for number in moments]))


def _common(lines: Sequence[str]) -> str:
    """What all lines begin with, up to their time."""
    first, last = min(lines), max(lines)
    same = next((place for place, pair in enumerate(zip(first, last, strict=False)) if pair[0] != pair[1]), len(first))
    found = re.match(r"\D*", first[:same])
    return found[0] if found else ""
