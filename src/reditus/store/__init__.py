"""Everything PostgreSQL: the private cluster, tables, migrations, and archives of blocks."""

from reditus.store.errors import (
    ArchiveProtected,
    BlockClash,
    DatabaseDamaged,
    NothingThere,
    PlanInUse,
    StoreAway,
    StoreError,
    UnknownArchive,
    UnknownLayout,
    UnknownPlan,
    UnknownRecorder,
)
from reditus.store.records import ArchiveInfo, HostInfo, Stored

__all__ = [
    "ArchiveInfo",
    "ArchiveProtected",
    "BlockClash",
    "DatabaseDamaged",
    "HostInfo",
    "NothingThere",
    "PlanInUse",
    "StoreAway",
    "StoreError",
    "Stored",
    "UnknownArchive",
    "UnknownLayout",
    "UnknownPlan",
    "UnknownRecorder",
]
