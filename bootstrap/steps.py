"""One visible step at a time: what is being done, how long it took, and what went wrong."""

import os
import subprocess
import sys
import threading
import time
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from pathlib import Path

from bootstrap.paths import LOG, ROOT

TAIL_LINES = 30


class StepFailed(Exception):
    """A step did not succeed; the message says which one, and how to go on."""


@contextmanager
def step(title: str) -> Iterator[None]:
    """Announce `title` on stderr and, when it is done, the seconds it took."""
    started = time.monotonic()
    live = sys.stderr.isatty()
    stop = threading.Event()

    def tick() -> None:
        while not stop.wait(0.5):
            print(f"\r· {title} … {time.monotonic() - started:.0f} s", end="", file=sys.stderr, flush=True)

    ticker = threading.Thread(target=tick, daemon=True)
    if live:
        ticker.start()
    else:
        print(f"· {title} …", file=sys.stderr, flush=True)
    try:
        yield
    finally:
        stop.set()
        if live:
            ticker.join()
            print("\r\033[K", end="", file=sys.stderr)
    print(f"· {title}: done in {time.monotonic() - started:.1f} s", file=sys.stderr, flush=True)


def run(command: Sequence[str | Path], *, env: Mapping[str, str] | None = None, cwd: Path = ROOT) -> None:
    """Run a command with its output in the log; on failure raise StepFailed with the log's last lines."""
    LOG.parent.mkdir(parents=True, exist_ok=True)
    words = [str(word) for word in command]
    with LOG.open("a+", encoding="utf-8", errors="replace") as log:
        log.write(f"\n$ {' '.join(words)}\n")
        log.flush()
        start = os.fstat(log.fileno()).st_size
        done = subprocess.run(
            words,
            cwd=cwd,
            env={**os.environ, **(env or {})},
            stdin=subprocess.DEVNULL,
            stdout=log,
            stderr=log,
            check=False,
        )
        if done.returncode:
            log.seek(start)
            tail = "".join(log.readlines()[-TAIL_LINES:])
            raise StepFailed(f"'{' '.join(words[:4])} …' ended with {done.returncode}. Its last lines:\n{tail}")
