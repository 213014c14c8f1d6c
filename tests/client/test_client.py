"""The client of notebooks: the very ticks of the API, as Arrow, NumPy, pandas and polars; and the example notebook."""

import json
import re
import subprocess
import sys
import urllib.request
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from threading import Thread

import nbformat
import numpy as np
import pyarrow as pa
import pytest
from nbclient import NotebookClient

import reditus
from cases import SHORT, at
from databases import new_database
from reditus.cli.client import Client
from reditus.cli.service import service
from reditus.client import ClientError, DamageWarning, Timeline
from reditus.exchange.simulated import SimulatedArchive
from reditus.server.settings import Settings
from reditus.simulator.fernhold import ARCHIVES

ROOT = Path(__file__).resolve().parents[2]
NIGHT = next(item for item in map(SimulatedArchive.of, ARCHIVES) if item.registration["host"]["name"] == "vault")
TOKEN = "a token that is long enough".replace(" ", "-")


@pytest.fixture(scope="module")
def running(cluster, tmp_path_factory):
    settings = Settings(data=tmp_path_factory.mktemp("client"), database_url=new_database(cluster), token=TOKEN)
    with service(settings, anywhere=True) as running, Client(running.url, TOKEN) as client:
        client.load(SimulatedArchive(SHORT))
        client.load(NIGHT)
        yield running


@pytest.fixture
def server(running):
    return reditus.connect(running.url, TOKEN)


@pytest.fixture
def waits(server):
    return server.host("stitch-01").window(at(5), "3m").measures("cpu.busy", "disk.read.wait@*")


def test_the_same_ticks_in_every_shape(running, server, waits):
    query = f"measure=cpu.busy&measure=disk.read.wait@*&from={at(5)}&to={at(8)}&width=2000"
    request = urllib.request.Request(
        f"{running.url}/api/archives/{SHORT.archive}/series?{query}", headers={"Authorization": f"Bearer {TOKEN}"}
    )
    with urllib.request.urlopen(request) as answer:
        series = json.loads(answer.read())["series"]
    table, arrays = waits.arrow(), waits.numpy()
    assert table.num_rows == 180
    assert table.column_names[0] == "time"
    for item in series:
        name = item["measure"] if item["device"] is None else f"{item['measure']}@{item['device']}"
        known = [value for value in item["mean"] if value is not None]
        for values in (table.column(name).to_pylist(), waits.polars()[name].to_list()):
            # A chart may have a tick more than the window at each edge.
            own = [value for value in values if value is not None]
            assert any(own == known[start : start + len(own)] for start in range(3))
            assert len(known) - len(own) <= 2
        assert np.array_equal(arrays[name][~np.isnan(arrays[name])], waits.pandas()[name].dropna().to_numpy())
    assert arrays["time"].dtype == np.dtype("datetime64[ns]")
    assert sum(batch.num_rows for batch in waits.reader()) == 180


def test_what_is_known_throughout_is_not_copied(waits):
    table = waits.arrow()
    assert table.column("cpu.busy").null_count == 0
    buffer = table.column("cpu.busy").chunk(0).buffers()[1]
    values = table.column("cpu.busy").chunk(0).to_numpy()
    assert values.__array_interface__["data"][0] == buffer.address + table.column("cpu.busy").chunk(0).offset * 8


def test_one_line_without_the_client(running):
    url = f"{running.url}/api/archives/{SHORT.archive}/table?measure=cpu.busy&format=arrow"
    request = urllib.request.Request(url, headers={"Authorization": f"Bearer {TOKEN}"})
    with urllib.request.urlopen(request) as answer:
        assert pa.ipc.open_stream(answer).read_all().num_rows == 2_100


def test_windows_as_people_write_them(server):
    host = server.host("stitch-01")
    for window in (host.window("2026-11-13T01:00Z", "8h"), host.window("2026-11-13T01:00Z", "2026-11-13T09:00Z")):
        assert (window.start, window.end) == ("2026-11-13T01:00:00Z", "2026-11-13T09:00:00Z")
    with pytest.raises(ValueError, match="no duration"):
        host.window("2026-11-13T01:00Z", "8 hours")
    with pytest.raises(ValueError, match="ends after it begins"):
        host.window("2026-11-13T01:00Z", "2026-11-13T00:00Z")
    with pytest.raises(ValueError, match="at least one measure"):
        host.measures()


def test_what_is_not_there_is_said_with_what_is(running, server):
    with pytest.raises(ClientError, match=r"no hosts are called 'stitch-99'; there are stitch-01, vault"):
        server.host("stitch-99")
    with pytest.raises(ClientError, match="no archive is called"):
        server.archive("nothing")
    assert server.archive(SimulatedArchive(SHORT).registration["name"]).id == str(SHORT.archive)
    with pytest.raises(ClientError, match=r"cpu\.busy"):
        server.host("vault").measures("cpu.bisy").arrow()
    with pytest.raises(ClientError, match="REDITUS_TOKEN"):
        reditus.connect(running.url, "a-wrong-token-of-this-length").hosts()
    with pytest.raises(ClientError, match="does not answer"):
        reditus.connect("http://127.0.0.1:9").hosts()
    with pytest.raises(ClientError, match="no address"):
        reditus.connect("vault")
    assert "disk.read.wait" in server.host("vault").available()


@pytest.fixture
def answers():
    """A server that answers whatever it is given."""

    class Handler(BaseHTTPRequestHandler):
        head, body = {}, b""

        def do_GET(self):
            self.send_response(200)
            for name, value in Handler.head.items():
                self.send_header(name, value)
            self.end_headers()
            self.wfile.write(Handler.body)

        def log_message(self, *_):
            pass

    with ThreadingHTTPServer(("127.0.0.1", 0), Handler) as http:
        Thread(target=http.serve_forever, daemon=True).start()
        yield f"http://127.0.0.1:{http.server_port}", Handler
        http.shutdown()


def test_an_answer_that_breaks_off_is_no_table(answers, waits):
    url, handler = answers
    handler.head, handler.body = {"Content-Length": "1000"}, b"x" * 400
    reads = Timeline(reditus.connect(url), str(SHORT.archive), "stitch-01").measures("cpu.busy")
    with pytest.raises(ClientError, match=r"broke off 600 bytes before its end"):
        reads.arrow()


def test_what_is_damaged_is_warned_of(answers, waits):
    url, handler = answers
    sink = pa.BufferOutputStream()
    with pa.ipc.new_stream(sink, waits.arrow().schema) as stream:
        stream.write_table(waits.arrow())
    handler.body = sink.getvalue().to_pybytes()
    handler.head = {"Content-Length": str(len(handler.body)), "Reditus-Left-Out": "2 stretches are damaged"}
    reads = Timeline(reditus.connect(url), str(SHORT.archive), "stitch-01").measures("cpu.busy")
    with pytest.warns(DamageWarning, match="stitch-01: 2 stretches are damaged"):
        assert reads.arrow().num_rows == 180


def test_the_example_notebook_runs(running, monkeypatch):
    monkeypatch.setenv("REDITUS_URL", running.url)
    monkeypatch.setenv("REDITUS_TOKEN", TOKEN)
    notebook = nbformat.read(ROOT / "examples" / "disk_waits.ipynb", 4)
    nbformat.validate(notebook)
    # In an interpreter of its own: kernels bring event loops and warnings that are not ours.
    NotebookClient(notebook, timeout=300, kernel_name="python3").execute()
    printed = "\n".join(
        output["data"].get("text/plain", "") for cell in notebook.cells for output in cell.get("outputs", [])
        if "data" in output
    )  # fmt: skip
    assert "vault" in printed
    assert re.search(r"\b5760\b|\b28800\b", printed)  # a tick every five seconds, or every second


def test_the_client_loads_neither_the_server_nor_pyarrow():
    program = (
        "import sys, reditus; reditus.connect('http://127.0.0.1:9');"
        "print({'scipy', 'pyarrow', 'sqlalchemy', 'fastapi', 'pydantic'} & set(sys.modules))"
    )
    done = subprocess.run([sys.executable, "-c", program], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "set()"
