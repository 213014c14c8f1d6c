"""The tables. Every key begins with the host, so that the database can one day be cut by host."""

from typing import Any
from uuid import UUID

from sqlalchemy import (
    ARRAY,
    BigInteger,
    Boolean,
    Computed,
    ForeignKeyConstraint,
    Identity,
    Index,
    Integer,
    LargeBinary,
    SmallInteger,
    Text,
    UniqueConstraint,
    Uuid,
    false,
    text,
)
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

from reditus.core.types import NS_PER_S

LONG_NS = 8 * 3_600 * NS_PER_S
"""Blocks longer than that, of ticks ten seconds apart or more, have an index of their own: all others that reach into a
window begin so long before it at most.
"""


class Base(DeclarativeBase):
    """All tables of Reditus."""


class HostRow(Base):
    """A machine."""

    __tablename__ = "hosts"

    id: Mapped[UUID] = mapped_column(Uuid, primary_key=True)
    name: Mapped[str] = mapped_column(Text)


class ArchiveRow(Base):
    """What was recorded of one host, or imported from one source."""

    __tablename__ = "archives"

    host_id: Mapped[UUID] = mapped_column(Uuid, primary_key=True)
    id: Mapped[UUID] = mapped_column(Uuid, primary_key=True)
    name: Mapped[str] = mapped_column(Text)
    source: Mapped[str] = mapped_column(Text)
    facts: Mapped[dict[str, Any]] = mapped_column(JSONB)
    created_ns: Mapped[int] = mapped_column(BigInteger)
    notes: Mapped[str] = mapped_column(Text, server_default="")
    protected: Mapped[bool] = mapped_column(Boolean, server_default=false())
    """Nothing in it expires, and it cannot be deleted."""
    deleted_ns: Mapped[int | None] = mapped_column(BigInteger)
    """Since when it waits to be removed; until the next sealing that can be taken back."""

    __table_args__ = (
        UniqueConstraint("id", name="archives_id_key"),
        ForeignKeyConstraint(["host_id"], ["hosts.id"], name="archives_host_id_fkey"),
    )


class SchemaRow(Base):
    """What the columns of blocks are, named by the digest of its description."""

    __tablename__ = "schemas"

    host_id: Mapped[UUID] = mapped_column(Uuid, primary_key=True)
    id: Mapped[int] = mapped_column(Integer, Identity(), primary_key=True)
    digest: Mapped[bytes] = mapped_column(LargeBinary)
    group_name: Mapped[str] = mapped_column(Text)
    part: Mapped[int] = mapped_column(SmallInteger)
    width: Mapped[int] = mapped_column(Integer)
    """How many columns."""

    __table_args__ = (
        UniqueConstraint("host_id", "digest", name="schemas_digest_key"),
        ForeignKeyConstraint(["host_id"], ["hosts.id"], name="schemas_host_id_fkey"),
    )


class ColumnRow(Base):
    """One column of a schema."""

    __tablename__ = "columns"

    host_id: Mapped[UUID] = mapped_column(Uuid, primary_key=True)
    schema_id: Mapped[int] = mapped_column(Integer, primary_key=True)
    position: Mapped[int] = mapped_column(SmallInteger, primary_key=True)
    counter: Mapped[str] = mapped_column(Text)
    attributes: Mapped[dict[str, str]] = mapped_column(JSONB)
    unit: Mapped[str] = mapped_column(Text)
    kind: Mapped[str] = mapped_column(Text)
    scale_up: Mapped[int] = mapped_column(BigInteger)
    scale_down: Mapped[int] = mapped_column(BigInteger)
    bits: Mapped[int] = mapped_column(SmallInteger)
    double: Mapped[bool] = mapped_column(Boolean, server_default=false())
    """Whether the integers are the bits of doubles."""

    __table_args__ = (
        ForeignKeyConstraint(["host_id", "schema_id"], ["schemas.host_id", "schemas.id"], name="columns_schema_fkey"),
    )


class BlockRow(Base):
    """A stretch of ticks of one schema, in the form in which it came (core.blocks)."""

    __tablename__ = "blocks"

    host_id: Mapped[UUID] = mapped_column(Uuid, primary_key=True)
    archive_id: Mapped[UUID] = mapped_column(Uuid, primary_key=True)
    schema_id: Mapped[int] = mapped_column(Integer, primary_key=True)
    first_ns: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    last_ns: Mapped[int] = mapped_column(BigInteger)
    boot: Mapped[UUID] = mapped_column(Uuid)
    interval_ns: Mapped[int] = mapped_column(BigInteger)
    ticks: Mapped[int] = mapped_column(Integer)
    directory: Mapped[bytes] = mapped_column(LargeBinary)
    data: Mapped[bytes] = mapped_column(LargeBinary)
    version: Mapped[int] = mapped_column(SmallInteger, server_default="3")
    """Of the format of its chunks; since 3 they have checksums."""
    size_bytes: Mapped[int] = mapped_column(
        Integer, Computed("octet_length(data) + octet_length(directory)", persisted=True)
    )

    # No foreign keys: see docs/decisions/0009. What archives hold is reported by the first index alone.
    __table_args__ = (
        Index(
            "blocks_last", "host_id", "archive_id", "schema_id", "last_ns",
            postgresql_include=["first_ns", "interval_ns", "ticks", "size_bytes"],
        ),
        Index(
            "blocks_long", "host_id", "archive_id", "schema_id", "first_ns",
            postgresql_include=["last_ns", "interval_ns", "ticks"],
            postgresql_where=text(f"last_ns - first_ns > {LONG_NS}"),
        ),
    )  # fmt: skip


class DamageRow(Base):
    """A block, or some columns of one, found damaged: unknown to readers, and left as it is until it is restored."""

    __tablename__ = "damage"

    host_id: Mapped[UUID] = mapped_column(Uuid, primary_key=True)
    archive_id: Mapped[UUID] = mapped_column(Uuid, primary_key=True)
    schema_id: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=False)
    first_ns: Mapped[int] = mapped_column(BigInteger, primary_key=True, autoincrement=False)
    last_ns: Mapped[int] = mapped_column(BigInteger)
    columns: Mapped[list[int] | None] = mapped_column(ARRAY(Integer))
    """Their positions in the schema; null where the whole block is lost."""
    reason: Mapped[str] = mapped_column(Text)
    found_ns: Mapped[int] = mapped_column(BigInteger)

    __table_args__ = (
        ForeignKeyConstraint(
            ["host_id", "archive_id"], ["archives.host_id", "archives.id"], name="damage_archive_fkey"
        ),
    )


class ScrubRow(Base):
    """How far the scrubber has come in an archive, and when it last finished a pass."""

    __tablename__ = "scrubs"

    host_id: Mapped[UUID] = mapped_column(Uuid, primary_key=True)
    archive_id: Mapped[UUID] = mapped_column(Uuid, primary_key=True)
    schema_id: Mapped[int] = mapped_column(Integer)
    after_ns: Mapped[int] = mapped_column(BigInteger)
    finished_ns: Mapped[int | None] = mapped_column(BigInteger)

    __table_args__ = (
        ForeignKeyConstraint(
            ["host_id", "archive_id"], ["archives.host_id", "archives.id"], name="scrubs_archive_fkey"
        ),
    )


class RollupKeysRow(Base):
    """Which series the columns of rollups are, named by the digest of their names."""

    __tablename__ = "rollup_keys"

    host_id: Mapped[UUID] = mapped_column(Uuid, primary_key=True)
    id: Mapped[int] = mapped_column(Integer, Identity(), primary_key=True)
    digest: Mapped[bytes] = mapped_column(LargeBinary)
    names: Mapped[list[str]] = mapped_column(ARRAY(Text))

    __table_args__ = (
        UniqueConstraint("host_id", "digest", name="rollup_keys_digest_key"),
        ForeignKeyConstraint(["host_id"], ["hosts.id"], name="rollup_keys_host_id_fkey"),
    )


class RollupRow(Base):
    """Some series over bins one after another (core.rollup)."""

    __tablename__ = "rollups"

    host_id: Mapped[UUID] = mapped_column(Uuid, primary_key=True)
    archive_id: Mapped[UUID] = mapped_column(Uuid, primary_key=True)
    level_s: Mapped[int] = mapped_column(Integer, primary_key=True)
    keys_id: Mapped[int] = mapped_column(Integer, primary_key=True)
    first_ns: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    bins: Mapped[int] = mapped_column(Integer)
    places: Mapped[list[int]] = mapped_column(ARRAY(Integer))
    """Begin and end in the data of each part of each series. Series that are the same, as a total is where there is one
    device, have the same places.
    """
    data: Mapped[bytes] = mapped_column(LargeBinary)

    __table_args__ = (
        ForeignKeyConstraint(
            ["host_id", "archive_id"], ["archives.host_id", "archives.id"], name="rollups_archive_fkey"
        ),
        ForeignKeyConstraint(
            ["host_id", "keys_id"], ["rollup_keys.host_id", "rollup_keys.id"], name="rollups_keys_fkey"
        ),
    )


class RollupReachRow(Base):
    """How far an archive's rollups of a level reach, and by which version of the formulas they were made."""

    __tablename__ = "rollup_reach"

    host_id: Mapped[UUID] = mapped_column(Uuid, primary_key=True)
    archive_id: Mapped[UUID] = mapped_column(Uuid, primary_key=True)
    level_s: Mapped[int] = mapped_column(Integer, primary_key=True)
    derivation: Mapped[int] = mapped_column(Integer)
    since_ns: Mapped[int] = mapped_column(BigInteger)
    until_ns: Mapped[int] = mapped_column(BigInteger)

    __table_args__ = (
        ForeignKeyConstraint(
            ["host_id", "archive_id"], ["archives.host_id", "archives.id"], name="rollup_reach_archive_fkey"
        ),
    )


class HoursRow(Base):
    """The hours of some series over one week (core.normal.hours)."""

    __tablename__ = "hours"

    host_id: Mapped[UUID] = mapped_column(Uuid, primary_key=True)
    archive_id: Mapped[UUID] = mapped_column(Uuid, primary_key=True)
    week_ns: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    keys_id: Mapped[int] = mapped_column(Integer, primary_key=True)
    data: Mapped[bytes] = mapped_column(LargeBinary)

    __table_args__ = (
        ForeignKeyConstraint(["host_id", "archive_id"], ["archives.host_id", "archives.id"], name="hours_archive_fkey"),
        ForeignKeyConstraint(["host_id", "keys_id"], ["rollup_keys.host_id", "rollup_keys.id"], name="hours_keys_fkey"),
    )


class UseBinRow(Base):
    """Who used what in one bin (core.use_codec)."""

    __tablename__ = "use_bins"

    host_id: Mapped[UUID] = mapped_column(Uuid, primary_key=True)
    archive_id: Mapped[UUID] = mapped_column(Uuid, primary_key=True)
    level_s: Mapped[int] = mapped_column(Integer, primary_key=True)
    first_ns: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    data: Mapped[bytes] = mapped_column(LargeBinary)

    __table_args__ = (
        ForeignKeyConstraint(
            ["host_id", "archive_id"], ["archives.host_id", "archives.id"], name="use_bins_archive_fkey"
        ),
    )


class UseReachRow(Base):
    """How far an archive's use reaches at a level, and in which version it is stored."""

    __tablename__ = "use_reach"

    host_id: Mapped[UUID] = mapped_column(Uuid, primary_key=True)
    archive_id: Mapped[UUID] = mapped_column(Uuid, primary_key=True)
    level_s: Mapped[int] = mapped_column(Integer, primary_key=True)
    version: Mapped[int] = mapped_column(Integer)
    since_ns: Mapped[int] = mapped_column(BigInteger)
    until_ns: Mapped[int] = mapped_column(BigInteger)

    __table_args__ = (
        ForeignKeyConstraint(
            ["host_id", "archive_id"], ["archives.host_id", "archives.id"], name="use_reach_archive_fkey"
        ),
    )


class ProcessRow(Base):
    """Who a process is. A number is given again after its process ended; boot and start tell them apart."""

    __tablename__ = "processes"

    host_id: Mapped[UUID] = mapped_column(Uuid, primary_key=True)
    archive_id: Mapped[UUID] = mapped_column(Uuid, primary_key=True)
    boot: Mapped[UUID] = mapped_column(Uuid, primary_key=True)
    pid: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    start: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    name: Mapped[str] = mapped_column(Text)
    user_name: Mapped[str] = mapped_column(Text)
    control_group: Mapped[str] = mapped_column(Text)
    parent: Mapped[int] = mapped_column(BigInteger)
    arguments: Mapped[str | None] = mapped_column(Text)

    __table_args__ = (
        ForeignKeyConstraint(
            ["host_id", "archive_id"], ["archives.host_id", "archives.id"], name="processes_archive_fkey"
        ),
    )


class MarkerRow(Base):
    """A remark or event at a time or over a stretch."""

    __tablename__ = "markers"

    host_id: Mapped[UUID] = mapped_column(Uuid, primary_key=True)
    archive_id: Mapped[UUID] = mapped_column(Uuid, primary_key=True)
    ident: Mapped[str] = mapped_column(Text, primary_key=True)
    at_ns: Mapped[int] = mapped_column(BigInteger)
    end_ns: Mapped[int | None] = mapped_column(BigInteger)
    kind: Mapped[str] = mapped_column(Text)
    severity: Mapped[int | None] = mapped_column(SmallInteger)
    source: Mapped[str] = mapped_column(Text)
    log: Mapped[str] = mapped_column(Text, server_default="")
    """What lines are put together by; empty for what is no line of a log."""
    text: Mapped[str] = mapped_column(Text)

    __table_args__ = (
        ForeignKeyConstraint(
            ["host_id", "archive_id"], ["archives.host_id", "archives.id"], name="markers_archive_fkey"
        ),
        Index("markers_at", "host_id", "archive_id", "at_ns"),
    )


class DeviceNameRow(Base):
    """What people call a device of a host."""

    __tablename__ = "device_names"

    host_id: Mapped[UUID] = mapped_column(Uuid, primary_key=True)
    kind: Mapped[str] = mapped_column(Text, primary_key=True)
    device: Mapped[str] = mapped_column(Text, primary_key=True)
    name: Mapped[str] = mapped_column(Text)

    __table_args__ = (ForeignKeyConstraint(["host_id"], ["hosts.id"], name="device_names_host_id_fkey"),)


class LayoutRow(Base):
    """A layout that was saved: strips, as a link names them."""

    __tablename__ = "layouts"

    id: Mapped[UUID] = mapped_column(Uuid, primary_key=True)
    name: Mapped[str] = mapped_column(Text)
    host_id: Mapped[UUID | None] = mapped_column(Uuid)
    """None: for all hosts."""
    place: Mapped[int] = mapped_column(Integer)
    strips: Mapped[list[str]] = mapped_column(ARRAY(Text))
    deleted_ns: Mapped[int | None] = mapped_column(BigInteger)

    __table_args__ = (ForeignKeyConstraint(["host_id"], ["hosts.id"], name="layouts_host_id_fkey"),)


class VerdictRow(Base):
    """What people made of a finding. It belongs to the host, whichever of its archives tells of that time; a finding of
    the machine as a whole has an empty device.
    """

    __tablename__ = "verdicts"

    host_id: Mapped[UUID] = mapped_column(Uuid, primary_key=True)
    finding_kind: Mapped[str] = mapped_column(Text, primary_key=True)
    device: Mapped[str] = mapped_column(Text, primary_key=True)
    start_ns: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    end_ns: Mapped[int] = mapped_column(BigInteger)
    state: Mapped[str] = mapped_column(Text)
    remark: Mapped[str] = mapped_column(Text)
    decided_ns: Mapped[int] = mapped_column(BigInteger)

    __table_args__ = (ForeignKeyConstraint(["host_id"], ["hosts.id"], name="verdicts_host_id_fkey"),)


class PlanRow(Base):
    """What recorders are to record; `content` is the plan as core.plan reads it."""

    __tablename__ = "plans"

    name: Mapped[str] = mapped_column(Text, primary_key=True)
    content: Mapped[dict[str, Any]] = mapped_column(JSONB)
    changed_ns: Mapped[int] = mapped_column(BigInteger)


class RecorderRow(Base):
    """A recorder as it last reported, and what it is to do. Its id is that of the archive it fills."""

    __tablename__ = "recorders"

    host_id: Mapped[UUID] = mapped_column(Uuid, primary_key=True)
    id: Mapped[UUID] = mapped_column(Uuid, primary_key=True)
    host_name: Mapped[str] = mapped_column(Text)
    name: Mapped[str] = mapped_column(Text)
    plan: Mapped[str | None] = mapped_column(Text)
    recording: Mapped[bool] = mapped_column(Boolean)
    burst_until_ns: Mapped[int] = mapped_column(BigInteger)
    reported_ns: Mapped[int] = mapped_column(BigInteger)
    report: Mapped[dict[str, Any]] = mapped_column(JSONB)

    __table_args__ = (
        UniqueConstraint("id", name="recorders_id_key"),
        ForeignKeyConstraint(["plan"], ["plans.name"], name="recorders_plan_fkey"),
    )


class FactsRow(Base):
    """What was known of a host from some time on, until the next row."""

    __tablename__ = "facts"

    host_id: Mapped[UUID] = mapped_column(Uuid, primary_key=True)
    archive_id: Mapped[UUID] = mapped_column(Uuid, primary_key=True)
    since_ns: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    facts: Mapped[dict[str, Any]] = mapped_column(JSONB)

    __table_args__ = (
        ForeignKeyConstraint(["host_id", "archive_id"], ["archives.host_id", "archives.id"], name="facts_archive_fkey"),
    )


class InvestigationRow(Base):
    """An investigation: what people wrote, field by field, and when each was last changed."""

    __tablename__ = "investigations"

    id: Mapped[UUID] = mapped_column(Uuid, primary_key=True)
    fields: Mapped[dict[str, Any]] = mapped_column(JSONB)
    touched: Mapped[dict[str, int]] = mapped_column(JSONB)
    """By field: the version in which it became what it is."""
    version: Mapped[int] = mapped_column(Integer)
    keeps: Mapped[bool] = mapped_column(Boolean, server_default=false())
    """What its exhibits stand on is not removed from archives."""
    origin: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    """Of what came in a bundle: from where. Such an investigation is not changed."""
    created_ns: Mapped[int] = mapped_column(BigInteger)
    changed_ns: Mapped[int] = mapped_column(BigInteger)
    deleted_ns: Mapped[int | None] = mapped_column(BigInteger)


class ExhibitRow(Base):
    """A piece of evidence, frozen (exchange.bundle.contents)."""

    __tablename__ = "exhibits"

    id: Mapped[UUID] = mapped_column(Uuid, primary_key=True)
    investigation_id: Mapped[UUID] = mapped_column(Uuid)
    archive_id: Mapped[UUID] = mapped_column(Uuid)
    """The archive or host that it was pinned from; that may be gone."""
    start_ns: Mapped[int] = mapped_column(BigInteger)
    end_ns: Mapped[int] = mapped_column(BigInteger)
    content: Mapped[bytes] = mapped_column(LargeBinary)
    pictures: Mapped[list[str]] = mapped_column(JSONB)
    checksum: Mapped[str] = mapped_column(Text)
    pinned_ns: Mapped[int] = mapped_column(BigInteger)
    deleted_ns: Mapped[int | None] = mapped_column(BigInteger)

    __table_args__ = (
        ForeignKeyConstraint(["investigation_id"], ["investigations.id"], name="exhibits_investigation_fkey"),
        Index("exhibits_of", "investigation_id"),
    )


class ImportRow(Base):
    """A file on its way into an archive."""

    __tablename__ = "imports"

    id: Mapped[UUID] = mapped_column(Uuid, primary_key=True)
    name: Mapped[str] = mapped_column(Text)
    """Of the file, as its sender has it."""
    size_bytes: Mapped[int] = mapped_column(BigInteger)
    received_bytes: Mapped[int] = mapped_column(BigInteger)
    state: Mapped[str] = mapped_column(Text)
    options: Mapped[dict[str, Any]] = mapped_column(JSONB)
    """How it is to be read."""
    problem: Mapped[str | None] = mapped_column(Text)
    remarks: Mapped[list[str]] = mapped_column(JSONB)
    archive_id: Mapped[UUID | None] = mapped_column(Uuid)
    ticks: Mapped[int] = mapped_column(BigInteger)
    created_ns: Mapped[int] = mapped_column(BigInteger)
    changed_ns: Mapped[int] = mapped_column(BigInteger)


class SettingRow(Base):
    """What this server keeps for itself alone, by name."""

    __tablename__ = "settings"

    name: Mapped[str] = mapped_column(Text, primary_key=True)
    content: Mapped[dict[str, Any]] = mapped_column(JSONB)
