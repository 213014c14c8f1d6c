"""Child processes that end with their parent, and are ended in good order."""

import ctypes
import os
import shutil
import signal
import subprocess
import sys
from collections.abc import Mapping
from itertools import pairwise
from pathlib import Path
from typing import BinaryIO

from reditus.core.outside import terminal_text

PR_SET_PDEATHSIG = 1
STOP_TIMEOUT_S = 20.0
_LAST_BYTES = 16_384
LOG_BYTES = 4 << 20
LOGS_KEPT = 3


class Child:
    """A Python module run as a process of its own, with its output in a log file or on the terminal."""

    def __init__(
        self, module: str, arguments: list[str], *, env: Mapping[str, str] | None = None, log: Path | None = None
    ) -> None:
        self._command = [sys.executable, "-m", module, *arguments]
        # Requests and recordings run beside each other; a product of two columns spread over the cores waits longer for
        # them than it takes.
        self._env = {"OPENBLAS_NUM_THREADS": "1", **os.environ, **(env or {})}
        self.log = log
        self._log_begins_at = 0
        self._process = self._start()

    def _start(self) -> subprocess.Popen[bytes]:
        self._log_begins_at = self.log.stat().st_size if self.log and self.log.exists() else 0
        stream = open_log(self.log) if self.log else None
        try:
            return subprocess.Popen(
                self._command,
                env=self._env,
                stdin=subprocess.DEVNULL,
                stdout=stream,
                stderr=stream,
                # Ctrl-C in the terminal is for the parent, which stops its children one after the other.
                start_new_session=True,
                preexec_fn=_end_with_parent,  # noqa: PLW1509 - one system call, no Python state touched
            )
        finally:
            if stream:
                stream.close()

    @property
    def pid(self) -> int:
        """The process's id."""
        return self._process.pid

    @property
    def ended(self) -> int | None:
        """Exit code, or None while it runs."""
        return self._process.poll()

    def restart(self) -> None:
        """Start it again, after it ended."""
        self._process = self._start()

    def set_env(self, name: str, value: str) -> None:
        """For the next start."""
        self._env[name] = value

    def wait(self) -> int:
        """Wait until it ends. Return its exit code."""
        return self._process.wait()

    def stop(self) -> int:
        """Ask it to end, and insist if it does not."""
        if self._process.poll() is None:
            self._process.send_signal(signal.SIGTERM)
            try:
                self._process.wait(STOP_TIMEOUT_S)
            except subprocess.TimeoutExpired:
                self._process.kill()
        return self._process.wait()

    def kill(self) -> None:
        """End it at once, as a crash would. For tests."""
        self._process.kill()
        self._process.wait()

    def log_tail(self, lines: int = 15) -> str:
        """What it wrote to its log since it was started."""
        if self.log is None or not self.log.exists():
            return ""
        with self.log.open("rb") as file:
            file.seek(self._log_begins_at)
            text = file.read()[-_LAST_BYTES:].decode("utf-8", "replace")
        return "\n".join(map(terminal_text, text.splitlines()[-lines:]))


def open_log(path: Path) -> BinaryIO:
    """A log to append to, that only its owner can read."""
    path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
    descriptor = os.open(path, os.O_WRONLY | os.O_APPEND | os.O_CREAT | os.O_CLOEXEC, 0o600)
    os.fchmod(descriptor, 0o600)
    return os.fdopen(descriptor, "ab")


def rotate(path: Path) -> None:
    """Put a log that has grown too long aside, and empty it. The writer appends, and so goes on at its beginning; what
    is written in between is lost.
    """
    try:
        found = path.stat()
        if found.st_size <= LOG_BYTES:
            return
        older = [path.with_name(f"{path.name}.{number}") for number in range(LOGS_KEPT, 0, -1)]
        for older_one, newer_one in pairwise(older):
            if newer_one.exists():
                newer_one.rename(older_one)
        shutil.copyfile(path, older[-1])
        older[-1].chmod(0o600)
        os.chown(older[-1], found.st_uid, found.st_gid)
        os.truncate(path, 0)
    except OSError:
        # A full disk, or a log that is just being taken away: the next look tries again.
        return


_libc = ctypes.CDLL(None)


def _end_with_parent() -> None:
    _libc.prctl(PR_SET_PDEATHSIG, signal.SIGTERM)
