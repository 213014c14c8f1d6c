"""The uplink against a small HTTP server that can be made to misbehave."""

import json
import threading
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer

import pytest

from builders import ARCHIVE, a_layout
from reditus.recorder.spool import Spool
from reditus.recorder.uplink import TOGETHER_BYTES, Uplink


class Desk:
    """A server that knows nothing at first, and answers 503 while `away`."""

    def __init__(self):
        self.kept, self.asked = [], []
        self.known = self.away = False
        self.refuses = b""
        desk = self

        class Handler(BaseHTTPRequestHandler):
            protocol_version = "HTTP/1.1"

            def do_PUT(self):
                self.answer()

            def do_POST(self):
                self.answer()

            def answer(self):
                body = self.rfile.read(int(self.headers["Content-Length"]))
                desk.asked.append((self.command, self.path))
                status = desk.handle(self.command, self.path, body)
                reply = json.dumps({"detail": "as told"}).encode()
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
            self.known = self.known or "layouts" in path
            return 200
        if not self.known:
            return 404
        if self.refuses and self.refuses in body:
            return 422
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
    spool.keep_layout(a_layout())
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
    methods = [method for method, _ in desk.asked]
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
