"""A backup made, checked and put back."""

import json
import os
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from hashlib import sha256
from itertools import chain
from pathlib import Path
from typing import Any
from uuid import UUID

from reditus.core.blocks import Block
from reditus.core.errors import ReditusError
from reditus.core.markers import as_batches
from reditus.core.window import Window
from reditus.exchange.archive_file.reading import open_archive, whose
from reditus.exchange.archive_file.writing import write_archive
from reditus.exchange.backup.folder import PARTIAL, BackupError, BackupFolder, settle, write_whole
from reditus.exchange.backup.index import Index
from reditus.store.archives.lifecycle import BUNDLE_SOURCE
from reditus.store.archives.transfer import ArchiveContents
from reditus.store.errors import DatabaseUnavailable
from reditus.store.records import ArchiveInfo
from reditus.store.store import Store

Say = Callable[[str], None]
BESIDE = "beside"
"""What is said of an archive beside its ticks, by its digest."""


@dataclass(slots=True)
class Outcome:
    """What a run did."""

    archives: int = 0
    ticks: int = 0
    bytes: int = 0
    unchanged: int = 0
    """Archives that had nothing new."""
    troubles: list[str] = field(default_factory=list)
    """What could not be done, a sentence an archive."""


def back_up(
    store: Store, folder: BackupFolder, made: str, *, host: UUID | None = None, window: Window | None = None, say: Say
) -> Outcome:
    """Add what is new since the last run. Each archive's file is read back and checked before it counts; one that
    cannot be backed up is reported, and holds up no other. Raise DatabaseUnavailable.
    """
    out = Outcome()
    for info in _chosen(store.archives.all(), host):
        try:
            _back_up_archive(store, folder, info, made, window, out, say)
        except DatabaseUnavailable:
            raise
        except (ReditusError, OSError) as why:
            out.troubles.append(f"{info.host.name}: {info.name}: {why}")
    write_whole(folder.records(host), store.records(host))
    return out


def _chosen(every: Sequence[ArchiveInfo], host: UUID | None) -> list[ArchiveInfo]:
    return [info for info in every if info.deleted_ns is None and host in (None, info.host.id)]


def _back_up_archive(
    store: Store, folder: BackupFolder, info: ArchiveInfo, made: str, window: Window | None, out: Outcome, say: Say
) -> None:
    index, seen = Index(), None
    for _, path in folder.files(info.id):
        try:
            seen = index.load(path).get(BESIDE)
        except (ValueError, KeyError, TypeError, AttributeError) as why:
            raise BackupError(f"{path} is damaged ({why}); remove it, and its archive file is written again") from why
    target = folder.next_file(info.id)
    partial = target.with_name(target.name + PARTIAL)
    with store.taking_out(info.id, window) as contents:
        beside = _digest(contents)
        first, rest = _peeked(index.fresh(contents.blocks))
        if first is None and (beside == seen or info.first_ns is None):
            out.unchanged += 1
            return
        contents.blocks = rest
        written = write_archive(partial, contents, made, window=window)
    if written.damaged:
        out.troubles.append(f"{info.host.name}: {info.name}: {written.damaged} damaged blocks are left out")
    open_archive(partial)
    with partial.open("rb") as file:
        os.fsync(file.fileno())
    size = partial.stat().st_size
    settle(partial, target)
    # Only with its index a file counts as finished.
    write_whole(_index_of(target), {BESIDE: beside, "ticks": written.ticks, "blocks": index.spelled()})
    out.archives += 1
    out.ticks += written.ticks
    out.bytes += size
    say(f"{info.host.name}: {info.name}: {written.ticks:,} ticks, {size:,} bytes")


def _index_of(path: Path) -> Path:
    return path.with_name(path.name.split(".", 1)[0] + ".index.json")


def _peeked(blocks: Iterator[Block]) -> tuple[Block | None, Iterator[Block]]:
    first = next(blocks, None)
    return first, iter(()) if first is None else chain([first], blocks)


def _digest(contents: ArchiveContents) -> str:
    """Of everything but the ticks."""
    head = contents.head
    beside: list[Any] = [
        head.name, head.notes, head.protected, [facts.as_json() for _, facts in head.facts],
        {kind: dict(names) for kind, names in head.device_names.items()},
    ]  # fmt: skip
    digest = sha256(json.dumps(beside, sort_keys=True).encode())
    for identities in contents.identities:
        digest.update(identities.to_bytes())
    for part in as_batches(head.archive, head.archive, list(contents.markers)):
        digest.update(part)
    return digest.hexdigest()


def check_backup(folder: BackupFolder, say: Say) -> Outcome:
    """Read every finished file from its first byte to its last."""
    out = Outcome()
    for archive in folder.archives():
        for path, _ in folder.files(archive):
            try:
                opened = open_archive(path)
            except (ReditusError, OSError) as why:
                out.troubles.append(f"{path.relative_to(folder.path)}: {why}")
                continue
            out.archives += 1
            out.ticks += opened.ticks
            out.bytes += path.stat().st_size
            say(f"{path.relative_to(folder.path)}: {opened.ticks:,} ticks")
    return out


def restore(store: Store, folder: BackupFolder, *, host: str | None = None, say: Say) -> Outcome:
    """Put everything back, or one host by its name or id. What is there already stays as it is, so that a restore that
    was broken off is simply run again. Each file is checked whole before anything of it is written, and written all or
    nothing; one that is damaged is reported, and holds up no other. Raise DatabaseUnavailable, or BackupError where no
    host is called so.
    """
    out, hosts = Outcome(), set[str]()
    there = {info.id: info for info in store.archives.all()}
    for archive in folder.archives():
        for path, _ in folder.files(archive):
            try:
                head = whose(path)
                hosts.add(head.host_name)
                if host is not None and host not in (head.host_name, str(head.host)):
                    break
                if archive in there and head.source == BUNDLE_SOURCE:
                    out.unchanged += 1  # of a bundle nothing ever changes
                    break
                opened = open_archive(path)
                taken = store.put_in(opened.head, opened.batches())
            except DatabaseUnavailable:
                raise
            except (ReditusError, OSError) as why:
                out.troubles.append(f"{path.relative_to(folder.path)}: {why}")
                continue
            out.archives += 1
            out.ticks += taken.stored_ticks
            out.bytes += path.stat().st_size
            say(
                f"{opened.head.host_name}: {opened.head.name}: {taken.stored_ticks:,} ticks, "
                f"{taken.repeated_ticks:,} were there"
            )
    if host is not None and not out.archives and not out.unchanged and not out.troubles:
        names = ", ".join(sorted(hosts)) or "none"
        raise BackupError(f"no host in {folder.path} is called {host!r}; there are {names}")
    _restore_records(store, folder, host, say)
    return out


def _restore_records(store: Store, folder: BackupFolder, host: str | None, say: Say) -> None:
    made: dict[str, int] = {}
    for path in folder.all_records():
        try:
            records = json.loads(path.read_text())
        except ValueError as why:
            raise BackupError(f"{path} is not JSON: {why}") from why
        found = store.put_records(records if host is None else _of_host(records, host))
        made = {name: made.get(name, 0) + count for name, count in found.items()}
    made_words = [f"{count} {name.replace('_', ' ')}" for name, count in made.items() if count]
    if made_words:
        say(f"records: {', '.join(made_words)}")


def _of_host(records: dict[str, Any], host: str) -> dict[str, Any]:
    tables = records.get("tables", {})
    ids = {row["id"] for row in tables.get("hosts", []) if host in (row["id"], row["name"])}
    kept = {
        name: [row for row in rows if row.get("id" if name == "hosts" else "host_id") in ids]
        for name, rows in tables.items()
        if name not in ("plans", "investigations", "exhibits")
    }
    # A recorder's plan has to be there.
    plans = {row["plan"] for row in kept.get("recorders", [])}
    kept["plans"] = [row for row in tables.get("plans", []) if row["name"] in plans]
    return records | {"tables": kept}
