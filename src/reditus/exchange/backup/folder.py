"""The folder of a backup: what lies where, and that it is one."""

import json
import os
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from uuid import UUID

from reditus.core.types import Json
from reditus.exchange.errors import ExchangeError

FORMAT, VERSION = "reditus-backup", 1
MARK, RECORDS, JSON, ARCHIVES = "backup.json", "records", ".json", "archives"
ENDING, INDEX, PARTIAL = ".archive.zip", ".index.json", ".partial"


class BackupError(ExchangeError, ValueError):
    """A folder that is no backup, or cannot become one."""


@dataclass(frozen=True, slots=True)
class BackupFolder:
    """A backup on disk."""

    path: Path

    @classmethod
    def opened(cls, path: Path, *, make: bool = False) -> "BackupFolder":
        """Raise BackupError for a folder that holds something else, or a backup by a later version."""
        mark = path / MARK
        if make and not mark.exists():
            if path.exists() and (not path.is_dir() or any(path.iterdir())):
                raise BackupError(f"{path} is not empty and no backup of Reditus; name a folder that is, or a new one")
            path.mkdir(parents=True, exist_ok=True, mode=0o700)
            write_whole(mark, {"format": FORMAT, "version": VERSION})
        try:
            given = json.loads(mark.read_text())
        except FileNotFoundError as why:
            raise BackupError(f"{path} is no backup of Reditus: it has no {MARK}") from why
        except ValueError as why:
            raise BackupError(f"{mark} is not JSON: {why}") from why
        if not isinstance(given, dict) or given.get("format") != FORMAT:
            raise BackupError(f"{path} is no backup of Reditus: {MARK} does not say {FORMAT!r}")
        if not isinstance(given.get("version"), int) or given["version"] > VERSION:
            raise BackupError(
                f"{path} was written by a later Reditus (version {given.get('version')}); update this one"
            )
        return cls(path)

    def of_archive(self, archive: UUID) -> Path:
        """Where the files of an archive lie."""
        return self.path / ARCHIVES / str(archive)

    def archives(self) -> list[UUID]:
        """The archives that have files here."""
        folder = self.path / ARCHIVES
        return sorted(UUID(entry.name) for entry in folder.iterdir() if _is_id(entry.name)) if folder.is_dir() else []

    def files(self, archive: UUID) -> Iterator[tuple[Path, Path]]:
        """The finished files of an archive, oldest first, each with its index."""
        for path in sorted(self.of_archive(archive).glob(f"*{ENDING}")):
            index = path.with_name(path.name.removesuffix(ENDING) + INDEX)
            if index.exists():
                yield path, index

    def records(self, host: UUID | None) -> Path:
        """Where records are kept: of everything, or of one host."""
        return self.path / (f"{RECORDS}{JSON}" if host is None else f"{RECORDS}-{host}{JSON}")

    def all_records(self) -> list[Path]:
        """The files of records that are there."""
        return sorted(self.path.glob(f"{RECORDS}*{JSON}"))

    def next_file(self, archive: UUID) -> Path:
        """Where the next file of an archive goes. What a run that was broken off left is removed."""
        folder = self.of_archive(archive)
        folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        finished = {path for path, _ in self.files(archive)}
        for left in [*folder.glob(f"*{PARTIAL}"), *(set(folder.glob(f"*{ENDING}")) - finished)]:
            left.unlink()
        last = max((int(path.name.removesuffix(ENDING)) for path in finished), default=0)
        return folder / f"{last + 1:06d}{ENDING}"


def write_whole(path: Path, content: Json) -> None:
    """Write JSON so that the file is there whole or not at all, also after a power cut."""
    partial = path.with_name(path.name + PARTIAL)
    with partial.open("w") as file:
        json.dump(content, file)
        file.flush()
        os.fsync(file.fileno())
    settle(partial, path)


def settle(partial: Path, path: Path) -> None:
    """Give a finished file its name, and see that the folder remembers it."""
    partial.replace(path)
    folder = os.open(path.parent, os.O_RDONLY)
    try:
        os.fsync(folder)
    finally:
        os.close(folder)


def _is_id(text: str) -> bool:
    try:
        return str(UUID(text)) == text
    except ValueError:
        return False
