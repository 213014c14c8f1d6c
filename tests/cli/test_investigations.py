"""Investigations on the command line: listed, shown, handed out, and opened."""

import json
import os
import subprocess
import sys
import zipfile
from uuid import uuid4

import pytest
from pypdf import PdfReader

from cases import CASE, CORES, QUESTION, SHORT, at
from databases import new_database
from reditus.cli.client import Client
from reditus.cli.service import service
from reditus.exchange.simulated import SimulatedArchive
from reditus.server.settings import Settings


@pytest.fixture(scope="module")
def running(cluster, tmp_path_factory):
    settings = Settings(data=tmp_path_factory.mktemp("investigating"), database_url=new_database(cluster))
    pin = {"archive": str(SHORT.archive), "start": at(5), "end": at(30), "kind": "strip", "strip": CORES}
    with service(settings, anywhere=True) as running, Client(running.url) as client:
        client.load(SimulatedArchive(SHORT))
        client.load_investigation(str(CASE), {"question": QUESTION, "answer": "Too few cores."}, [(str(uuid4()), pin)])
        yield running


@pytest.fixture
def command(running):
    """Run a command beside the running server; it has to succeed, or to fail."""

    def run(*words, fails=False):
        env = {**os.environ, "REDITUS_DATA": str(running.data)}
        line = [sys.executable, "-m", "reditus.cli", "investigation", *words]
        done = subprocess.run(line, env=env, capture_output=True, text=True, timeout=120, check=False)
        assert (done.returncode != 0) == fails, done.stderr
        return done

    return run


def test_they_are_listed_and_shown(command):
    assert f"{str(CASE)[:8]}  {QUESTION}  1 exhibit" in command("list").stdout
    [entry] = json.loads(command("list", "--json").stdout)
    assert entry["id"] == str(CASE)
    shown = command("show", "stitching slow").stdout
    assert "answer: Too few cores." in shown
    assert "1. Cores busy" in shown
    assert json.loads(command("show", str(CASE)[:6], "--json").stdout)["exhibits"][0]["kind"] == "strip"
    refused = command("show", "nothing of that kind", fails=True)
    assert "no investigation is meant; there are" in refused.stderr


def test_it_is_handed_out_and_opened(command, tmp_path):
    for name in ("report.html", "report.pdf", "report.md", "case.zip"):
        command("export", QUESTION, str(tmp_path / name))
    assert QUESTION in (tmp_path / "report.html").read_text()
    assert QUESTION in PdfReader(tmp_path / "report.pdf").pages[0].extract_text().replace("\n", " ")
    with zipfile.ZipFile(tmp_path / "report.md.zip") as files:
        assert "report.md" in files.namelist()
    assert sorted(path.name for path in tmp_path.iterdir()) == [
        "case.zip",
        "report.html",
        "report.md.zip",
        "report.pdf",
    ]
    opened = command("import", str(tmp_path / "case.zip")).stdout
    assert f"{QUESTION}: 1 exhibit, at http://" in opened
    assert "from a bundle of" in command("list").stdout
    # Both are called alike now.
    assert "several investigations are meant" in command("show", QUESTION, fails=True).stderr
    named = tmp_path / "named.zip"
    command("export", str(CASE), str(named), "--replace", "hosts,processes", "--parquet")
    with zipfile.ZipFile(named) as files:
        manifest = json.loads(files.read("manifest.json"))
        assert manifest["anonymised"]
        assert manifest["archives"][0]["host_name"].startswith("host_")
        assert any(name.endswith(".parquet") for name in files.namelist())


def test_what_cannot_be_is_refused_before_anything_is_written(command, tmp_path):
    assert "has to end in" in command("export", str(CASE), str(tmp_path / "report.doc"), fails=True).stderr
    wrong = command("export", str(CASE), str(tmp_path / "x.zip"), "--replace", "dogs", fails=True)
    assert "'dogs' is none of the names that are replaced" in wrong.stderr
    assert "cannot be read" in command("import", str(tmp_path / "missing.zip"), fails=True).stderr
    (tmp_path / "no.zip").write_bytes(b"no zip")
    assert "this is no bundle" in command("import", str(tmp_path / "no.zip"), fails=True).stderr
    assert [path.name for path in tmp_path.iterdir()] == ["no.zip"]
