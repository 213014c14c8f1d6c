"""The uplink against a small HTTP server that can be made to misbehave."""

import json
import threading
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path

import pytest

from builders import ARCHIVE, a_block, a_schema
from e2e_helpers import wait_until
from reditus.recorder import uplink as uplink_module
from reditus.recorder.spool import ASIDE_SHARE, Spool
from reditus.recorder.spool_writer import Kept, SpoolWriter
from reditus.recorder.uplink import MOST_FAULTS, TOGETHER_BYTES, Uplink


class Desk:
    """A server that knows nothing at first, and answers 503 while `away`."""

    def __init__(self):
        self.kept, self.requested, self.failed = [], [], []
        self.known = self.away = False
        self.refuses = self.fails_over = b""
        desk = self

        class Handler(BaseHTTPRequestHandler):
            protocol_version = "HTTP/1.1"

            def do_PUT(self):
                self.answer()

            def do_POST(self):
                self.answer()

            def answer(self):
                body = self.rfile.read(int(self.headers["Content-Length"]))
                desk.requested.append((self.command, self.path))
                status = desk.handle(self.command, self.path, body)
                reply = json.dumps({"detail": "as given"}).encode()
                self.send_response(status)
                self.send_header("Content-Length", str(len(reply)))
                self.end_headers()
                self.wfile.write(reply)

            def log_message(self, *_):
                pass

        self.http = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
        threading.Thread(target=self.http.serve_forever, daemon=True).start()
        self.url = f"http://127.0.0.1:{self.http.server_port}"

    def handle(self, method, path, body):
        if self.away:
            return 503
        if method == "PUT":
            self.known = self.known or "schemas" in path
            return 200
        if not self.known:
            return 404
        if self.refuses and self.refuses in body:
            return 422
        if self.fails_over and self.fails_over in body:
            self.failed.append(body)
            return 500
        self.kept.append(body)
        return 200


@pytest.fixture
def desk():
    desk = Desk()
    yield desk
    desk.http.shutdown()
    desk.http.server_close()


@pytest.fixture
def spool(tmp_path):
    spool = Spool(tmp_path / str(ARCHIVE))
    spool.register({"name": "trial"})
    spool.keep_schema(a_schema())
    yield spool
    spool.close()


def send_all(desk, spool, drain_s=10):
    uplink = Uplink(desk.url, [spool])
    uplink.start()
    return uplink.stop(drain_s)


def test_an_unknown_archive_is_introduced_first(desk, spool):
    spool.put(b"one")
    spool.put(b"two")
    assert send_all(desk, spool)
    assert b"".join(desk.kept) == b"onetwo"
    methods = [method for method, _ in desk.requested]
    assert methods == ["POST", "PUT", "PUT", "POST"]


def test_what_piled_up_goes_together_up_to_a_limit(desk, spool):
    desk.known = True
    piled = [bytes([number]) * (TOGETHER_BYTES // 3) for number in range(7)]
    for batch in piled:
        spool.put(batch)
    assert send_all(desk, spool)
    assert b"".join(desk.kept) == b"".join(piled)
    assert [len(body) // len(piled[0]) for body in desk.kept] == [3, 3, 1]


def test_what_is_refused_does_not_hold_up_the_rest(desk, spool):
    desk.refuses = b"bad"
    for batch in (b"one", b"bad", b"two"):
        spool.put(batch)
    assert send_all(desk, spool)
    assert desk.kept == [b"one", b"two"]
    assert (spool.folder / "refused").exists()


def test_while_the_server_is_away_everything_waits(desk, spool):
    desk.away = True
    spool.put(b"one")
    assert not send_all(desk, spool, drain_s=2)
    assert len(spool.batches()) == 1
    desk.away = False
    assert send_all(desk, spool)
    assert desk.kept == [b"one"]


def test_a_server_that_is_not_there_is_away(spool):
    spool.put(b"one")
    uplink = Uplink("http://127.0.0.1:9", [spool])
    uplink.start()
    assert not uplink.stop(2)
    assert len(spool.batches()) == 1


def test_a_batch_that_the_server_fails_over_does_not_block_the_rest(desk, spool, monkeypatch):
    """Answered with 500 for ever, it kept everything behind it from being delivered."""
    monkeypatch.setattr(uplink_module, "RETRY_MOST_S", 0.01)
    monkeypatch.setattr(uplink_module, "RETRY_FIRST_S", 0.01)
    desk.known, desk.fails_over = True, b"bad"
    batches = [b"one", a_block(3).to_bytes() + b"bad", b"two"]
    for batch in batches:
        spool.put(batch)
    uplink = Uplink(desk.url, [spool])
    uplink.start()
    wait_until(spool.is_empty)
    uplink.stop(10)
    assert desk.kept == [b"one", b"two"]
    (laid,) = spool.aside
    assert "status 500" in laid["reason"]
    assert Path(laid["file"]).read_bytes() == batches[1]
    tries = [body for body in desk.failed if body == batches[1]]
    assert len(tries) == MOST_FAULTS


def test_what_is_laid_aside_is_a_gap_with_the_reason(desk, spool):
    desk.known, desk.refuses = True, b"RDTB"
    spool.put(a_block(3).to_bytes())
    assert send_all(desk, spool)
    (gap,) = spool.dropped
    assert gap["reason"] == "the server did not take it: status 422: as given"
    (laid,) = spool.aside
    assert (laid["start"], laid["end"]) == (gap["start"], gap["end"])


def test_what_is_laid_aside_is_bounded(desk, tmp_path):
    spool = Spool(tmp_path / str(ARCHIVE), limit_bytes=ASIDE_SHARE * 1_000)
    desk.known, desk.refuses = True, b"x"
    for _ in range(30):
        spool.put(b"x" * 100)
    spool.register({"name": "trial"})
    assert send_all(desk, spool)
    assert len(spool.aside) == 10
    assert sum(path.stat().st_size for path in (spool.folder / "refused").glob("*.batch")) <= 1_000
    again = spool.aside
    spool.close()
    reopened = Spool(tmp_path / str(ARCHIVE), limit_bytes=ASIDE_SHARE * 1_000)
    assert reopened.aside == again  # reported by the next recorder too
    reopened.close()


def test_a_disk_that_holds_nothing_delivers_all_the_same(desk, spool, monkeypatch):
    """Not even the schemas fitted, and nothing was delivered though the server was there."""

    def full(*_):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(spool, "keep_schema", full)
    for path in (spool.folder / "schemas").iterdir():
        path.unlink()
    uplink = Uplink(desk.url, [spool])
    uplink.start()
    written = []
    keeper = SpoolWriter(spool, offered=uplink.wake)
    for batch in (b"one", b"two", b"three"):
        keeper.put(Kept(batch, (a_schema(),), lambda batch=batch: written.append(batch)))
    wait_until(lambda: len(desk.kept) == 3)
    assert desk.kept == [b"one", b"two", b"three"]
    assert ("PUT", f"/api/archives/{ARCHIVE}/schemas/{a_schema().digest.hex()}") in desk.requested
    assert keeper.trouble == "No space left on device"
    wait_until(lambda: written == [b"one", b"two", b"three"])
    keeper.close()
    assert uplink.stop(10)


def test_only_what_is_refused_of_a_batch_is_laid_aside(desk, spool):
    good, bad = a_block(3).to_bytes(), a_block(3, start=10).to_bytes()
    desk.known, desk.refuses = True, bad
    spool.put(good + bad + a_block(3, start=20).to_bytes())
    assert send_all(desk, spool)
    assert sorted(desk.kept) == sorted([good, a_block(3, start=20).to_bytes()])
    (laid,) = spool.aside
    assert Path(laid["file"]).read_bytes() == bad
    assert laid["size_bytes"] == len(bad)
    assert spool.size_bytes == 0
