"""Times in any notation as nanoseconds since the epoch."""

import re
from collections.abc import Sequence
from datetime import UTC, datetime, timedelta

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from reditus.core.rfc3339 import EARLIEST_NS
from reditus.core.types import IntArray
from reditus.exchange.incoming.mapping import EPOCHS, ISO, MappingError, TimeMapping
from reditus.exchange.log_reading import ZoneError, zone_named

UNKNOWN_NS = np.iinfo(np.int64).min
"""Stands for a time that cannot be read."""
LATEST_NS = 7_258_118_400 * 10**9
"""2200."""
MOST_LETTERS = 100
"""Of a time."""
MOST_OF = 0.8
"""So much of a sample has to be times: a row may be broken."""
CENTURY_NS = 946_684_800 * 10**9
"""2000."""
NOWHERE = "UTC"
EPOCH = datetime(1970, 1, 1, tzinfo=UTC)
PATTERNS = (
    "%d.%m.%Y %H:%M:%S", "%d.%m.%Y %H:%M", "%m/%d/%Y %H:%M:%S", "%m/%d/%Y %I:%M:%S %p", "%m/%d/%Y %H:%M",
    "%d/%m/%Y %H:%M:%S", "%d/%m/%Y %H:%M", "%Y/%m/%d %H:%M:%S", "%Y/%m/%d %H:%M", "%d-%b-%Y %H:%M:%S",
    "%d/%b/%Y:%H:%M:%S %z", "%a %b %d %H:%M:%S %Y", "%b %d %Y %H:%M:%S", "%a, %d %b %Y %H:%M:%S %z", "%Y%m%d%H%M%S",
    "%Y%m%d %H%M%S",
)  # fmt: skip
"""Tried in this order: where day and month could be either, the first that reads all of the sample is guessed, and said
to be a guess.
"""
_ISO = re.compile(
    r"^(\d{4})-(\d\d)-(\d\d)[T ](\d\d):(\d\d)(?::(\d\d)(?:[.,](\d{1,9}))?)?\s*(Z|z|[+-]\d\d:?\d\d|[+-]\d\d)?$"
)
_WHOLE, _ZONED = r"^\d{4}-\d\d-\d\d[T ]\d\d:\d\d", r"(Z|[+-]\d\d:?\d\d)$"
_LIKELY = re.compile(r":|^\d{8} ?\d{6}$")
"""What every pattern has."""
_FRACTION = re.compile(r"(:\d\d)[.,](\d{1,9})")
_NUMBER = re.compile(r"^\s*(\d{9,19})(?:[.,](\d{1,9}))?\s*$")


class TimeReader:
    """Reads the times of one file, in order: by that an hour is known that is there twice, when clocks are set back."""

    def __init__(self, mapping: TimeMapping) -> None:
        self._form = mapping.form
        try:
            self._zone = zone_named(mapping.zone)
        except ZoneError as why:
            raise MappingError(str(why)) from why
        self._last_ns = UNKNOWN_NS

    def read_all(self, texts: pa.Array) -> IntArray:
        """A column at once where nothing is in doubt, else one by one. UNKNOWN_NS for what is no time of this form."""
        at_ns = self._at_once(texts)
        if at_ns is None:
            return self.read(texts.to_pylist())
        known = at_ns[at_ns != UNKNOWN_NS]
        if len(known):
            self._last_ns = int(known[-1])
        return at_ns

    def _at_once(self, texts: pa.Array) -> IntArray | None:
        try:
            if self._form in EPOCHS:
                if not pc.all(pc.match_substring_regex(texts, r"^\d{9,18}$")).as_py():
                    return None
                at_ns = pc.multiply_checked(pc.cast(texts, pa.int64()), EPOCHS[self._form]).to_numpy()
            elif self._form == ISO:
                # Arrow takes dates alone, too.
                if not pc.all(pc.match_substring_regex(texts, _WHOLE)).as_py():
                    return None
                zoned = pc.all(pc.match_substring_regex(texts, _ZONED)).as_py()
                if not zoned and self._zone.key != NOWHERE:
                    return None
                kind = pa.timestamp("ns", tz="UTC") if zoned else pa.timestamp("ns")
                at_ns = pc.cast(pc.cast(texts, kind), pa.int64()).to_numpy()
            else:
                return None
        except pa.ArrowInvalid:  # something among them: the others are read all the same
            return None
        inside = (at_ns >= EARLIEST_NS) & (at_ns < LATEST_NS)
        return np.where(inside, at_ns, UNKNOWN_NS)

    def read(self, texts: Sequence[str]) -> IntArray:
        """The same, one by one."""
        out = np.empty(len(texts), dtype=np.int64)
        for place, text in enumerate(texts):
            at_ns = self._one(text.strip())
            out[place] = at_ns
            if at_ns != UNKNOWN_NS:
                self._last_ns = at_ns
        return out

    def _one(self, text: str) -> int:
        if len(text) > MOST_LETTERS:
            return UNKNOWN_NS
        at_ns = self._epoch(text) if self._form in EPOCHS else self._spelled(text)
        return at_ns if at_ns is not None and EARLIEST_NS <= at_ns < LATEST_NS else UNKNOWN_NS

    def _epoch(self, text: str) -> int | None:
        found = _NUMBER.match(text)
        if found is None:
            return None
        unit_ns = EPOCHS[self._form]
        fraction = found[2] or ""
        return int(found[1]) * unit_ns + (int(fraction) * unit_ns // 10 ** len(fraction) if fraction else 0)

    def _spelled(self, text: str) -> int | None:
        if self._form == ISO:
            found = _ISO.match(text)
            if found is None:
                return None
            year, month, day, hour, minute, second = (int(part or 0) for part in found.groups()[:6])
            fraction_ns = int((found[7] or "").ljust(9, "0"))
            try:
                moment = datetime(year, month, day, hour, minute, second)  # noqa: DTZ001 -- its zone comes below
            except ValueError:
                return None
            return self._placed(moment, fraction_ns, _offset(found[8]))
        fraction_ns = 0
        found = _FRACTION.search(text)
        if found is not None and "%f" not in self._form:
            fraction_ns = int(found[2].ljust(9, "0"))
            text = text[: found.start()] + found[1] + text[found.end() :]
        try:
            moment = datetime.strptime(text, self._form)  # noqa: DTZ007 -- its zone comes below
        except ValueError:
            return None
        own = moment.utcoffset()
        return self._placed(moment.replace(tzinfo=None), fraction_ns, own)

    def _placed(self, moment: datetime, fraction_ns: int, offset: timedelta | None) -> int:
        if offset is not None:
            return _since_epoch(moment.replace(tzinfo=UTC) - offset, fraction_ns)
        first = _since_epoch(moment.replace(tzinfo=self._zone), fraction_ns)
        if first >= self._last_ns:
            return first
        # The same hour for the second time.
        return _since_epoch(moment.replace(tzinfo=self._zone, fold=1), fraction_ns)


def _since_epoch(moment: datetime, fraction_ns: int) -> int:
    return (moment - EPOCH) // timedelta(microseconds=1) * 1_000 + fraction_ns


def _offset(text: str | None) -> timedelta | None:
    if text is None:
        return None
    if text in "Zz":
        return timedelta(0)
    digits = text[1:].replace(":", "").ljust(4, "0")
    length = timedelta(hours=int(digits[:2]), minutes=int(digits[2:]))
    return -length if text[0] == "-" else length


def guessed_form(texts: Sequence[str]) -> str | None:
    """The form in which nearly all of some times can be read; None where there is none."""
    sample = [text.strip()[: MOST_LETTERS + 1] for text in texts if text.strip()]
    if not sample:
        return None
    enough = len(sample) * MOST_OF
    if sum(_ISO.match(text) is not None for text in sample) >= enough:
        return ISO
    if sum(_NUMBER.match(text) is not None for text in sample) >= enough:
        epoch = _guessed_epoch(sample)
        if epoch is not None:
            return epoch
    if sum(_LIKELY.search(text) is not None for text in sample) < enough:
        return None
    for pattern in PATTERNS:
        if (_read_as(sample, pattern) != UNKNOWN_NS).sum() >= enough:
            return pattern
    return None


def _read_as(sample: Sequence[str], form: str) -> IntArray:
    return TimeReader(TimeMapping(places=[0], form=form)).read(sample)


def _guessed_epoch(sample: Sequence[str]) -> str | None:
    for form in EPOCHS:
        times_ns = _read_as(sample, form)
        known = times_ns[times_ns != UNKNOWN_NS]
        # Of the four units one gives a time of this century.
        if len(known) >= len(sample) * MOST_OF and known.min() > CENTURY_NS:
            return form
    return None
