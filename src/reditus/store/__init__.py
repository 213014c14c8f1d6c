"""Everything PostgreSQL: the private cluster, tables, migrations, and archives of blocks."""

from reditus.store.errors import (
    ArchiveProtected,
    BlockClash,
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
