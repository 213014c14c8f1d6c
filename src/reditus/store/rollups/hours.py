"""Hours of measures, kept by week (core.normal.hours): what the normal and slow change are read from.

They stay when the ticks that they were made from expire: what is usual is learnt from more weeks than ticks are kept.
"""

from collections.abc import Sequence
from uuid import UUID

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from reditus.core.errors import BlockError, DamagedBlock
from reditus.core.normal.hours import HOUR_NS, WEEK_NS, WeekOfHours, decoded, encoded, together, week_of
from reditus.core.types import NS_PER_S
from reditus.store.database.tables import BlockRow, HoursRow, RollupKeysRow
from reditus.store.rollups.use import TryRows

HOURS_LEVEL_S = WEEK_NS // NS_PER_S
"""Under which level the reach of hours stands among that of rollups: it is dropped for the same reasons."""
_STORED = """
select h.archive_id, h.week_ns, k.names, h.data from hours h
join rollup_keys k on k.host_id = h.host_id and k.id = h.keys_id
join archives a on a.host_id = h.host_id and a.id = h.archive_id
where h.host_id = %(host)s and (h.archive_id = any(%(archives)s) or (%(every)s and a.deleted_ns is null))
  and h.week_ns > %(begin)s and h.week_ns < %(end)s
order by h.week_ns, h.archive_id, h.keys_id
"""


_FINGERPRINT = """
select coalesce(sum(hashtext(h.data::text)::bigint), 0)::bigint, count(*) from hours h where h.host_id = %(host)s
"""


class HoursTable:
    """The hours of one host, within a reader's transaction."""

    def __init__(self, session: Session, host: UUID, try_rows: TryRows) -> None:
        """`try_rows` runs a statement, and returns None where the database's files are damaged."""
        self._session, self._host, self._try_rows = session, host, try_rows
        self.damaged: set[UUID] = set()
        """Archives of which a week was found damaged; it was left out."""

    def write(self, archive: UUID, keys_id: int, week: WeekOfHours) -> None:
        """Add hours to those of a week that are there; what is not known in the new ones stays."""
        row = self._session.get(HoursRow, (self._host, archive, week.begin_ns, keys_id))
        if row is None:
            row = HoursRow(host_id=self._host, archive_id=archive, week_ns=week.begin_ns, keys_id=keys_id)
            self._session.add(row)
        else:
            week = together([week, decoded(row.data, week.begin_ns, len(week.values))])
        row.data = encoded(week)
        self._session.flush()

    def fingerprint(self) -> tuple[int, int]:
        """Changes whenever what is kept of the host does."""
        rows = self._try_rows(_FINGERPRINT, {"host": self._host})
        return tuple(rows[0]) if rows else (0, 0)

    def read(
        self, archives: Sequence[UUID] | None, names: Sequence[str] | None, begin_ns: int, end_ns: int
    ) -> tuple[list[str], list[WeekOfHours]]:
        """Names, and the weeks that touch a stretch, in order, each with all of them: of some archives, or of all that
        the host has. With `names` those alone, else all that is kept. A damaged week is left out (`damaged`). Raise
        DamagedBlock where the database cannot read at all.
        """
        values = {
            "host": self._host, "archives": list(archives or ()), "every": archives is None,
            "begin": begin_ns - WEEK_NS, "end": end_ns,
        }  # fmt: skip
        found = self._try_rows(_STORED, values)
        if found is None:
            raise DamagedBlock("the database cannot read what is kept of the hours")
        every = (
            list(names) if names is not None else list(dict.fromkeys(name for _, _, own, _ in found for name in own))
        )
        places = {name: at for at, name in enumerate(every)}
        by_week: dict[int, list[WeekOfHours]] = {}
        for archive, week_ns, stored, data in found:
            wanted = [(at, places[name]) for at, name in enumerate(stored) if name in places]
            if wanted:
                week = WeekOfHours.unknown(week_ns, len(every))
                own, its = zip(*wanted, strict=True)
                try:
                    week.values[list(its)] = decoded(data, week_ns, len(stored)).values[list(own)]
                except BlockError:
                    self.damaged.add(archive)
                    continue
                by_week.setdefault(week_ns, []).append(week)
        return every, [together(by_week[week_ns]) for week_ns in sorted(by_week)]


def drop_hours(session: Session, host: UUID, archive: UUID, from_ns: int | None) -> int:
    """Forget hours from some time on, or all that there are ticks for: those change, or their formulas did. Return
    from when on.
    """
    if from_ns is None:
        from_ns = session.scalar(
            select(BlockRow.first_ns)
            .where(BlockRow.host_id == host, BlockRow.archive_id == archive)
            .order_by(BlockRow.first_ns)
            .limit(1)
        )
        if from_ns is None:
            return 0
    cut_ns = from_ns // HOUR_NS * HOUR_NS
    own = [HoursRow.host_id == host, HoursRow.archive_id == archive]
    session.execute(delete(HoursRow).where(*own, HoursRow.week_ns >= cut_ns))
    # Those before it stay, but for what is damaged: that would be found so again and again.
    for row in session.scalars(select(HoursRow).where(*own)):
        series = session.scalars(
            select(RollupKeysRow.names).where(RollupKeysRow.host_id == host, RollupKeysRow.id == row.keys_id)
        ).one()
        try:
            week = decoded(row.data, row.week_ns, len(series))
        except BlockError:
            session.delete(row)
            continue
        if row.week_ns == week_of(cut_ns):
            week.values[:, (cut_ns - row.week_ns) // HOUR_NS :] = float("nan")
            row.data = encoded(week)
    session.flush()
    return cut_ns
