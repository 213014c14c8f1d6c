"""Kill parts at random while a recorder works, and count: nothing acknowledged is lost, nothing is stored twice."""

import http.client
import os
import random
import signal
import threading
import time
from contextlib import suppress
from dataclasses import dataclass, field
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from urllib.parse import urlsplit
from uuid import UUID

import httpx

from e2e_helpers import wait_until
from reditus.cli.child_processes import Child
from reditus.cli.service import Service, service
from reditus.core.batches import read_batch
from reditus.server.settings import Settings

PARTS = ("recorder", "server", "database")
INTERVAL = "100ms"


@dataclass
class Witness:
    """Stands between recorder and server, and remembers what the server acknowledged."""

    upstream: str
    acknowledged: set[tuple[bytes, bytes, int]] = field(default_factory=set)
    """Archive and schema, boot, and monotonic time of each tick."""

    def __post_init__(self) -> None:
        witness = self

        class Handler(BaseHTTPRequestHandler):
            protocol_version = "HTTP/1.1"

            def do_PUT(self) -> None:
                self.forward()

            def do_POST(self) -> None:
                self.forward()

            def forward(self) -> None:
                body = self.rfile.read(int(self.headers["Content-Length"]))
                status, answer = witness.query(self.command, self.path, body, self.headers["Content-Type"])
                if status == 200 and self.path.endswith("/blocks"):
                    witness.remember(body)
                self.send_response(status)
                self.send_header("Content-Length", str(len(answer)))
                self.end_headers()
                self.wfile.write(answer)

            def log_message(self, *_: object) -> None:
                """Say nothing."""

        self.http = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
        self.http.daemon_threads = True
        threading.Thread(target=self.http.serve_forever, daemon=True).start()
        self.url = f"http://127.0.0.1:{self.http.server_port}"

    def query(self, method: str, path: str, body: bytes, kind: str) -> tuple[int, bytes]:
        url = urlsplit(self.upstream)
        connection = http.client.HTTPConnection(url.hostname or "", url.port, timeout=20)
        try:
            connection.request(method, path, body, {"Content-Type": kind})
            response = connection.getresponse()
            return response.status, response.read()
        except (OSError, http.client.HTTPException):
            return 502, b"{}"
        finally:
            connection.close()

    def remember(self, batch: bytes) -> None:
        for block in read_batch(batch).blocks:
            where = block.archive.bytes + block.schema
            self.acknowledged |= {(where, block.boot.bytes, at) for at in block.column(1).tolist()}

    def close(self) -> None:
        self.http.shutdown()
        self.http.server_close()


@dataclass(frozen=True)
class Count:
    kills: int
    acknowledged: int
    stored: int
    lost: int
    twice: int


def run_kills(data: Path, kills: int, seed: int) -> Count:
    """Record, kill a random part at a random moment, over and over; then let all settle, and count."""
    rng = random.Random(seed)
    with service(Settings(data=data), anywhere=True) as running:
        witness = Witness(running.url)
        recorder = _recorder(running, witness)
        for number in range(kills):
            _look_after(running, rng.uniform(0.3, 2.5))
            part = PARTS[number % len(PARTS)]
            if part == "recorder":
                recorder.kill()
                recorder = _recorder(running, witness)
            elif part == "server":
                running.children["server"].kill()
            else:
                pid = running.cluster.process_id() if running.cluster else None
                if pid is not None:
                    # A starved machine may not have started it again since it was killed last.
                    with suppress(ProcessLookupError):
                        os.kill(pid, signal.SIGKILL)
        wait_until(lambda: answers(running), 60)
        _look_after(running, 3)
        recorder.stop()
        assert not list(running.spool.glob("*/*.batch")), "the recorder left something unsent"
        witness.close()
        stored = stored_ticks(running)
    return Count(
        kills=kills,
        acknowledged=len(witness.acknowledged),
        stored=len(stored),
        lost=len(witness.acknowledged - set(stored)),
        twice=len(stored) - len(set(stored)),
    )


def _recorder(running: Service, witness: Witness) -> Child:
    arguments = ["--server", witness.url, "--spool", str(running.spool), "--name", "killed", "--every", INTERVAL]
    return Child("reditus.recorder", arguments, log=running.logs / "recorder.log")


def _look_after(running: Service, for_s: float) -> None:
    """What the running command does every two seconds, oftener."""
    until_s = time.monotonic() + for_s
    while time.monotonic() < until_s:
        running.restart_dead_children()
        time.sleep(0.1)


def answers(running: Service) -> bool:
    """Whether server and database are both there again."""
    running.restart_dead_children()
    try:
        return httpx.get(f"{running.url}/api/health", trust_env=False, timeout=5).status_code == 200
    except httpx.HTTPError:
        return False


def stored_ticks(running: Service) -> list[tuple[bytes, bytes, int]]:
    """Every tick that the database holds, as often as it holds it."""
    from sqlalchemy import create_engine, text

    from reditus.core.blocks import offsets_in
    from reditus.core.checksums import CHECKSUM_BYTES
    from reditus.core.column_codec import decode_column
    from reditus.store.database.offset_table import directory_in

    assert running.cluster
    engine = create_engine(running.cluster.url)
    out: list[tuple[bytes, bytes, int]] = []
    with engine.connect() as connection:
        rows = connection.execute(
            text(
                "select b.archive_id, l.digest, b.boot, b.ticks, b.directory, b.data from blocks b join schemas l on "
                "l.id = b.schema_id"
            )
        )
        for archive, digest, boot, ticks, directory, blob in rows:
            offsets = offsets_in(directory_in(bytes(directory)))
            clock = decode_column(bytes(blob)[offsets[1] : offsets[2] - CHECKSUM_BYTES], ticks)
            out += [(UUID(str(archive)).bytes + bytes(digest), UUID(str(boot)).bytes, at) for at in clock.tolist()]
    engine.dispose()
    return out
