"""Everything PostgreSQL: the private cluster, tables, migrations, and archives of blocks."""

from reditus.store.errors import (
    ArchiveInUse,
    ArchiveProtected,
    ArchiveReadOnly,
    BlockConflict,
    DatabaseDamaged,
    DatabaseUnavailable,
    EmptyWindow,
    PlanInUse,
    StoreError,
    TooManyLayouts,
    UnknownArchive,
    UnknownHost,
    UnknownLayout,
    UnknownPlan,
    UnknownRecorder,
    UnknownSchema,
)
from reditus.store.records import ArchiveInfo, HostInfo, Stored

__all__ = [
    "ArchiveInUse",
    "ArchiveInfo",
    "ArchiveProtected",
    "ArchiveReadOnly",
    "BlockConflict",
    "DatabaseDamaged",
    "DatabaseUnavailable",
    "EmptyWindow",
    "HostInfo",
    "PlanInUse",
    "StoreError",
    "Stored",
    "TooManyLayouts",
    "UnknownArchive",
    "UnknownHost",
    "UnknownLayout",
    "UnknownPlan",
    "UnknownRecorder",
    "UnknownSchema",
]
