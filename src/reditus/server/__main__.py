"""`python -m reditus.server`: the web service on an address and a database given to it."""

import argparse
import asyncio
import errno
import io
import os
import sys
from pathlib import Path
from typing import TextIO, cast

import structlog
import uvicorn

from reditus.recorder.privileges import drop_root
from reditus.server.allocator import configure_allocator
from reditus.server.app import create_app
from reditus.server.connections import TimedProtocol, watch
from reditus.server.lanes import Budget
from reditus.server.settings import Settings
from reditus.store.store import Store

SWITCH_S = 0.001


def main() -> int:
    """Serve until a signal. Return the exit code."""
    parser = argparse.ArgumentParser(prog="reditus.server")
    parser.add_argument("--url-file", type=Path, help="write the address here once the server listens")
    options = parser.parse_args()
    structlog.configure(
        processors=[
            structlog.processors.add_log_level,
            structlog.processors.TimeStamper(fmt="iso", utc=True),
            structlog.processors.format_exc_info,
            structlog.processors.KeyValueRenderer(key_order=["timestamp", "level", "event"]),
        ],
        logger_factory=structlog.PrintLoggerFactory(cast(TextIO, LogOnFullDisk(sys.stderr))),
    )
    settings = Settings()
    if settings.database_url is None:
        parser.error("REDITUS_DATABASE_URL is not set; `./reditus serve` starts a database and the server together")
    # Requests are worked on by threads that take turns. A health check waits for a few of those turns.
    sys.setswitchinterval(SWITCH_S)
    url_file = None if options.url_file is None else options.url_file.open("w", encoding="utf-8")
    page = [settings.web / "index.html"] if settings.web.is_dir() else []
    kept_root = drop_root(needs=[Path(__file__), Path(os.__file__), Path(uvicorn.__file__), *page])
    if kept_root is not None:
        structlog.get_logger().warning("the server stays root", reason=kept_root)
    store = Store(settings.database_url, cache_bytes=Budget(settings.memory_mib).cache_bytes)
    store.migrate()
    server = Server(
        uvicorn.Config(
            create_app(store, settings),
            host=settings.host,
            port=settings.port,
            log_level="warning",
            access_log=False,
            timeout_graceful_shutdown=2,
            http=TimedProtocol,
            backlog=512,
        ),
        url_file,
    )
    configure_allocator()
    server.run()
    store.close()
    return 0


class LogOnFullDisk(io.TextIOBase):
    """A log that a full disk does not turn into an error of whatever was being logged. How many lines were lost is said
    with the next one that can be written.
    """

    def __init__(self, real: TextIO) -> None:
        self._real = real
        self._lost = 0

    def write(self, text: str) -> int:
        """Write to the log; what a full disk refuses is counted, and reported once there is room."""
        try:
            if self._lost:
                self._real.write(f"{self._lost} parts of this log were lost: the disk was full\n")
                self._lost = 0
            self._real.write(text)
        except OSError as why:
            if why.errno != errno.ENOSPC:
                raise
            self._lost += 1
        return len(text)

    def flush(self) -> None:
        """Flush the log, if the disk takes it."""
        try:
            self._real.flush()
        except OSError as why:
            if why.errno != errno.ENOSPC:
                raise


class Server(uvicorn.Server):
    """Writes its address to a file, for the process that started it on any free port."""

    def __init__(self, config: uvicorn.Config, url_file: TextIO | None) -> None:
        super().__init__(config)
        self._url_file = url_file

    async def startup(self, sockets: list[object] | None = None) -> None:  # type: ignore[override]
        """Listen, write the address file, and watch for slow clients."""
        await super().startup(sockets)  # type: ignore[arg-type]
        self._watch = asyncio.create_task(watch(self.server_state.connections))
        if self._url_file is not None and self.started:
            port = self.servers[0].sockets[0].getsockname()[1]
            host = f"[{self.config.host}]" if ":" in self.config.host else self.config.host
            self._url_file.write(f"http://{host}:{port}")
            self._url_file.close()

    async def shutdown(self, sockets: list[object] | None = None) -> None:  # type: ignore[override]
        """Stop watching, then shut down."""
        self._watch.cancel()
        await super().shutdown(sockets)  # type: ignore[arg-type]


if __name__ == "__main__":
    sys.exit(main())
