"""What a day of an archive takes, reckoned from what there is of it: sealed blocks, rollups, and what PostgreSQL adds.

Run: .venv/bin/python -m benchmarks.day NAME OF AN ARCHIVE OF THE SERVICE THAT RUNS ON REDITUS_DATA

Only blocks of the biggest size that there are of a group count: what is small is merged before the hour is over.
"""

import sys
from typing import Any

from sqlalchemy import create_engine, text

from benchmarks.table import show
from reditus.cli.service import settings_of_environment
from reditus.core.types import NS_PER_S
from reditus.store.archives.compaction import TARGETS
from reditus.store.database.cluster import Cluster

DAY_S = 86_400
MB = 1e6
_BLOCKS = text("""
with own as (
    select l.group_name, l.part, b.ticks, b.interval_ns, octet_length(b.data) + octet_length(b.directory) as size,
           case when b.ticks >= :hour then 2 when b.ticks >= :minutes then 1 else 0 end as stage
    from blocks b join schemas l on l.id = b.schema_id and l.host_id = b.host_id
    join archives a on a.id = b.archive_id where a.name = :name
), best as (select group_name, part, max(stage) as stage from own group by group_name, part)
select group_name, sum(ticks * interval_ns) as length_ns, sum(size) as size, min(stage) as stage
from own join best using (group_name, part, stage) group by group_name, part
""")
_ROLLUPS = text("""
select level_s, sum(bytes) as size, max(length_s) as length_s from (
    select r.level_s, r.keys_id, sum(octet_length(r.data) + 4 * cardinality(r.places)) as bytes,
           sum(r.bins) * r.level_s as length_s
    from rollups r join archives a on a.id = r.archive_id where a.name = :name group by r.level_s, r.keys_id
) as rows group by level_s order by level_s
""")
_OVERHEAD = text("""
select pg_total_relation_size('blocks')::float8 / nullif(sum(octet_length(data) + octet_length(directory)), 0)
from blocks
""")


def main() -> None:
    name = sys.argv[1]
    settings = settings_of_environment()
    url = settings.database_url or Cluster(settings.data / "database").url
    with create_engine(url).connect() as connection:
        groups = connection.execute(_BLOCKS, {"name": name, "minutes": TARGETS[0], "hour": TARGETS[1]}).all()
        rollups = connection.execute(_ROLLUPS, {"name": name}).all()
        overhead = connection.execute(_OVERHEAD).scalar()
    if not groups:
        sys.exit(f"there is no archive {name!r}, or nothing in it")
    by_group: dict[str, float] = {}
    for group in groups:
        label = group.group_name if group.stage else f"{group.group_name}, of which nothing is sealed yet"
        by_group[label] = by_group.get(label, 0.0) + _a_day(group.size, group.length_ns / NS_PER_S)
    blocks_mb, rollups_mb = sum(by_group.values()), sum(_a_day(row.size, row.length_s) for row in rollups)
    heaviest = sorted(by_group.items(), key=lambda item: -item[1])
    show(
        f"A day of {name}, reckoned from {max(group.length_ns for group in groups) / NS_PER_S / 60:.0f} minutes",
        [
            *((f"  {group}", f"{mb:6.2f} MB") for group, mb in heaviest),
            ("blocks", f"{blocks_mb:6.2f} MB"),
            *((f"  rollups of {row.level_s} s", f"{_a_day(row.size, row.length_s):6.2f} MB") for row in rollups),
            ("blocks and rollups", f"{blocks_mb + rollups_mb:6.2f} MB"),
            ("tables and indexes of blocks, against their bytes, small ones of now included", f"{overhead:.2f} times"),
        ],
    )


def _a_day(size: Any, length_s: Any) -> float:
    return float(size) / float(length_s) * DAY_S / MB


if __name__ == "__main__":
    main()
