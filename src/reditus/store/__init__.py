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
from reditus.store.store import Store

__all__ = [
    "ArchiveInfo",
    "ArchiveProtected",
    "BlockClash",
    "HostInfo",
    "NothingThere",
    "PlanInUse",
    "Store",
    "StoreAway",
    "StoreError",
    "Stored",
    "UnknownArchive",
    "UnknownLayout",
    "UnknownPlan",
    "UnknownRecorder",
]
