"""Archives on the command line: what one holds, and what is done with it."""

import json
import os
import subprocess
import sys

import pytest

from databases import new_database
from reditus.cli.client import Client
from reditus.cli.service import service
from reditus.exchange.simulated import as_recording
from reditus.server.settings import Settings
from reditus.simulator import simulate
from reditus.simulator.fernhold import STITCH_01_MORNING

TIMES = ("--from", "2026-11-12T09:10:00Z", "--to", "2026-11-12T09:20:00Z")


@pytest.fixture(scope="module")
def running(cluster, tmp_path_factory):
    settings = Settings(data=tmp_path_factory.mktemp("archiving"), database_url=new_database(cluster))
    with service(settings, anywhere=True) as running, Client(running.url) as client:
        client.load(as_recording(simulate(STITCH_01_MORNING)))
        yield running


@pytest.fixture
def command(running):
    """Run a command beside the running server; it has to succeed, or to fail."""

    def run(*words, fails=False, answers=""):
        env = {**os.environ, "REDITUS_DATA": str(running.data)}
        line = [sys.executable, "-m", "reditus.cli", *words]
        done = subprocess.run(line, env=env, capture_output=True, text=True, timeout=60, check=False, input=answers)
        assert (done.returncode != 0) == fails, done.stderr
        return done

    return run


def test_the_life_of_an_archive(command):
    shown = command("archive", "show", "Thursday morning").stdout
    assert "stitch-01: Thursday morning" in shown
    assert "100.00%; 0 gaps" in shown
    assert "3,601 ticks." not in shown

    made = command("archive", "copy", "stitch-01", *TIMES, "--name", "ten minutes").stdout
    assert made.endswith(": 600 ticks.\n")
    command("archive", "note", "ten minutes", "the stitching")
    command("archive", "protect", "ten minutes")
    assert "is protected" in command("archive", "delete", "ten minutes", "--yes", fails=True).stderr
    command("archive", "protect", "ten minutes", "--off")
    command("archive", "rename", "ten minutes", "stitching")

    refused = command("archive", "trim", "stitching", *TIMES, fails=True, answers="n\n")
    assert "nothing was removed" in refused.stderr
    trim = (*TIMES[:3], "2026-11-12T09:15:00Z")
    assert command("archive", "trim", "stitching", *trim, "--yes").stdout.endswith(" readings removed.\n")
    answer = json.loads(command("archive", "show", "stitching", "--json").stdout)
    assert (answer["ticks"], answer["notes"], answer["protected"]) == (300, "the stitching", False)

    command("archive", "delete", "stitching", answers="y\n")
    assert "unless restored" in command("archive", "show", "stitching").stdout
    command("archive", "restore", "stitching")
    assert json.loads(command("archive", "show", "stitching", "--json").stdout)["deleted"] is None
    assert json.loads(command("archive", "show", "stitch-01", "--json").stdout)["name"] == "2 archives as one"


def test_a_time_that_is_none_is_said(command):
    failed = command("archive", "trim", "Thursday morning", "--from", "nine", "--to", "ten", "--yes", fails=True)
    assert "RFC 3339" in failed.stderr


def test_measures_are_written_as_a_file_whole_or_not_at_all(command, tmp_path):
    target = tmp_path / "cores.csv"
    assert command("export", "Thursday morning", str(target), "cpu.busy", *TIMES).stdout.startswith(f"{target}: ")
    lines = target.read_text().splitlines()
    assert lines[:2] == ["time,cpu.busy", "RFC 3339,cores"]
    assert len(lines) == 602
    refused = command("export", "Thursday morning", str(tmp_path / "x.csv"), "cpu.bisy", fails=True)
    assert "cpu.bisy" in refused.stderr
    assert (
        "has to end in one of" in command("export", "stitch-01", str(tmp_path / "x.doc"), "cpu.busy", fails=True).stderr
    )
    assert [path.name for path in tmp_path.iterdir()] == ["cores.csv"]
