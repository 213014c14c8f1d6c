"""Child processes that end with their parent, and are ended in good order."""

import ctypes
import os
import signal
import subprocess
import sys
from collections.abc import Mapping
from pathlib import Path

PR_SET_PDEATHSIG = 1
STOP_TIMEOUT_S = 20.0


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
        self._process = self._start()

    def _start(self) -> subprocess.Popen[bytes]:
        stream = self.log.open("ab") if self.log else None
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
        return self._process.pid

    @property
    def ended(self) -> int | None:
        """Exit code, or None while it runs."""
        return self._process.poll()

    def restart(self) -> None:
        self._process = self._start()

    def set_env(self, name: str, value: str) -> None:
        """For the next start."""
        self._env[name] = value

    def wait(self) -> int:
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

    def last_words(self, lines: int = 15) -> str:
        if self.log is None or not self.log.exists():
            return ""
        return "\n".join(self.log.read_text(errors="replace").splitlines()[-lines:])


_libc = ctypes.CDLL(None)


def _end_with_parent() -> None:
    _libc.prctl(PR_SET_PDEATHSIG, signal.SIGTERM)
