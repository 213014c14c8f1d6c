"""The data folder: where it is, and who may enter."""

import hashlib
import os
import stat
from pathlib import Path

from reditus.cli.console import Failure, err
from reditus.server.settings import Settings

SYSTEM_FOLDER = Path("/var/lib/reditus")


def prepare_data_folder(settings: Settings) -> Path:
    """Make the data folder and return it.

    PostgreSQL runs as another user when Reditus is started by root, and must reach its folder. Where a folder above a
    checkout is closed to others, the data goes to a system folder of its own, and that is said.
    """
    folder = settings.data.resolve()
    if os.geteuid() == 0 and "data" not in settings.model_fields_set and not _open_to_others(folder.parent):
        folder = SYSTEM_FOLDER / hashlib.sha256(str(folder).encode()).hexdigest()[:12]
        err.print(f"· The usual data folder is closed to the database's user, so the data is kept in {folder}.")
    try:
        folder.mkdir(parents=True, exist_ok=True)
        folder.chmod(0o711 if os.geteuid() == 0 else 0o700)
        logs = folder / "logs"
        logs.mkdir(exist_ok=True, mode=0o700)
        logs.chmod(0o700)
        probe = folder / ".writable"
        probe.write_bytes(b"")
        probe.unlink()
    except OSError as why:
        raise Failure(
            f"the data folder {folder} cannot be written: {why.strerror}. Set REDITUS_DATA to a folder that can"
        ) from why
    return folder


def write_private(path: Path, text: str) -> None:
    """Write a file that only its owner can read, whole or not at all."""
    beside = path.with_suffix(f"{path.suffix}.part")
    descriptor = os.open(beside, os.O_WRONLY | os.O_CREAT | os.O_TRUNC | os.O_CLOEXEC, 0o600)
    with os.fdopen(descriptor, "w", encoding="utf-8") as file:
        file.write(text)
    beside.rename(path)


def _open_to_others(folder: Path) -> bool:
    there = [above for above in (folder, *folder.parents) if above.exists()]  # the others are made, and made open
    return all(above.stat().st_mode & stat.S_IXOTH for above in there)
