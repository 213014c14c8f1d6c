"""Plans and recorders on the command line, with a recorder at work."""

import json
import os
import subprocess
import sys
import time

import httpx
import pytest

from databases import new_database
from reditus.cli.child_processes import Child
from reditus.cli.client import Client
from reditus.cli.service import service
from reditus.exchange.simulated import as_recording
from reditus.server.settings import Settings
from reditus.simulator import simulated
from reditus.simulator.fernhold import STITCH_01_MORNING

WAIT_S = 30


@pytest.fixture(scope="module")
def running(cluster, tmp_path_factory):
    settings = Settings(data=tmp_path_factory.mktemp("planning"), database_url=new_database(cluster))
    with service(settings, anywhere=True) as running:
        yield running


@pytest.fixture
def command(running):
    """Run a command beside the running server; it has to succeed, or to fail."""

    def run(*words, fails=False):
        env = {**os.environ, "REDITUS_DATA": str(running.data)}
        line = [sys.executable, "-m", "reditus.cli", *words]
        done = subprocess.run(line, env=env, capture_output=True, text=True, timeout=WAIT_S, check=False)
        assert (done.returncode != 0) == fails, done.stderr
        return done

    return run


def until(holds):
    deadline_s = time.monotonic() + WAIT_S
    while not (found := holds()):
        assert time.monotonic() < deadline_s, "what was waited for did not come about"
        time.sleep(0.2)
    return found


def test_a_plan_from_file_to_recorder(running, command, tmp_path):
    file = tmp_path / "plan.json"
    file.write_text(json.dumps({"name": "lean", "every": "500ms", "groups": {"process": {"record": False}}}))
    assert "is kept" in command("plan", "put", str(file)).stdout
    assert json.loads(command("plan", "show", "lean").stdout)["every"] == "500ms"

    arguments = ["--server", running.url, "--spool", str(running.spool), "--name", "directed", "--every", "1s"]
    recorder = Child("reditus.recorder", arguments, log=running.logs / "recorder.log")

    def report():
        found = [
            item
            for item in httpx.get(f"{running.url}/api/recorders", trust_env=False).json()
            if item["name"] == "directed"
        ]
        return found[0] if found else None

    try:
        until(lambda: report() and report()["state"] == "recording")
        assert report()["report"]["interval_s"] == 1.0
        assert "plan lean" in command("direct", "directed", "--plan", "lean").stdout
        until(lambda: report()["report"]["interval_s"] == 0.5)
        command("direct", "directed", "--burst", "60s")
        until(lambda: report()["state"] == "burst")
        command("direct", "directed", "--burst", "0s", "--stop")
        until(lambda: report()["state"] == "stopped")
        listed = command("recorders").stdout
        assert "directed" in listed
        assert "lean" in listed
        assert "followed by 'directed'" in command("plan", "remove", "lean", fails=True).stderr
    finally:
        assert recorder.stop() == 0
    assert report()["state"] == "ended"
    assert "lean: every 500ms" in command("plan", "list").stdout


def test_a_log_and_remarks_are_kept_with_an_archive(running, command, tmp_path):
    with Client(running.url) as client:
        for host in simulated():
            client.load(as_recording(host))
    name, log = STITCH_01_MORNING.name, tmp_path / "lab.log"
    lines = [
        "<28>1 2026-11-12T09:17:40Z stitch-01 imaging 812 - - 212 plates queued",
        "Nov 12 09:20:00 an older form",
        "<30>1 2026-11-12T09:33:50Z stitch-01 imaging 812 - - done",
    ]
    log.write_text("\n".join(lines))
    done = command("markers", "import", name, str(log))
    assert "2 lines kept" in done.stdout
    assert f"{log}:2: not a line of RFC 5424" in done.stderr
    assert "1 lines kept" in command("markers", "import", name, str(log), "--severity", "warning").stdout
    command("markers", "note", name, "2026-11-12T09:25:00Z", "curators call")
    listed = command("markers", "list", name).stdout.splitlines()
    assert [line.split()[-1] for line in listed] == ["queued", "call", "done"]
    assert listed[0].startswith("2026-11-12T09:17:40Z    warning       imaging[812]:")
    assert "is none of" in command("markers", "list", name, "--severity", "dire", fails=True).stderr
    log.write_text("neither\n")
    assert "no time is recognised" in command("markers", "import", name, str(log), fails=True).stderr


def test_any_text_log_is_kept_once_its_times_are_known(running, command, tmp_path):
    with Client(running.url) as client:
        for host in simulated():
            client.load(as_recording(host))
    name, log = STITCH_01_MORNING.name, tmp_path / "door.log"
    log.write_text("Nov 12 10:30:00 stitch-01 door[7]: error: jammed\nNov 12 10:31:00 stitch-01 door[7]: free\n")
    words = ("markers", "import", name, str(log), "--zone", "Europe/Berlin", "--year", "2026")
    shown = command(*words, "--preview")
    assert "times as in RFC 3164" in shown.stderr
    assert "the times have no zone; taken for those of Europe/Berlin" in shown.stderr.replace("\n", " ")
    assert shown.stdout.startswith("2026-11-12T09:30:00Z error")
    assert "door[7]" not in command("markers", "list", name).stdout
    assert "2 lines kept" in command(*words).stdout
    (listed,) = [line for line in command("markers", "list", name).stdout.splitlines() if "jammed" in line]
    assert listed.startswith("2026-11-12T09:30:00Z    error         door[7]:")
    for nowhere in ("Nowhere", "Europe", "../../etc/passwd"):
        assert "is no place" in command(*words[:4], "--zone", nowhere, fails=True).stderr.replace("\n", " ")
    log.write_text("0001-01-01 00:00:00 before all clocks\n9999-12-31 23:59:59 after them\n")
    assert "0 lines kept" in command("markers", "import", name, str(log), "--zone", "Asia/Tokyo").stdout
    log.write_text("[    1.500000] usb 1-1: error -71\n")
    assert "say when that was" in command("markers", "import", name, str(log), fails=True).stderr
    assert "1 lines kept" in command("markers", "import", name, str(log), "--boot", "2026-11-12T09:10:00Z").stdout


def test_a_device_is_called_by_its_name_wherever_it_is_printed(running, command):
    with Client(running.url) as client:
        for host in simulated():
            client.load(as_recording(host))
    name = STITCH_01_MORNING.name
    assert "is called 'photo store' now" in command("name", name, "disk", "nvme0n1", "photo store").stdout
    shown = command("watch", "disk.queue@nvme0n1", "--archive", name, "--count", "1").stdout
    assert "disk.queue@photo store (nvme0n1)" in shown
    command("name", name, "disk", "nvme0n1", "--remove")
    assert "photo store" not in command("watch", "disk.queue@nvme0n1", "--archive", name, "--count", "1").stdout
    assert "is no kind of device" in command("name", name, "tape", "st0", "spare", fails=True).stderr


def test_a_finding_is_dismissed_with_a_reason_and_shown_so(running, command):
    with Client(running.url) as client:
        for host in simulated():
            client.load(as_recording(host))
    name = STITCH_01_MORNING.name
    assert "dismissed" in command("verdict", name, "cpu.saturated", "--dismiss", "the nightly run").stdout
    assert "dismissed: the nightly run" in command("diagnose", name).stdout
    assert "open again" in command("verdict", name, "cpu.saturated", "--clear").stdout
    assert "the nightly run" not in command("diagnose", "stitch-01").stdout
    assert "begins 2 findings" in command("verdict", name, "cpu", "--confirm", fails=True).stderr
    assert "say one of --confirm" in command("verdict", name, "cpu.saturated", fails=True).stderr


def test_what_is_wrong_is_reported_with_its_place(command, tmp_path):
    file = tmp_path / "bad.json"
    file.write_text('{"name": "p", "every": "10ms", "devices": {"disk": {"only": 3}}}')
    refused = command("plan", "put", str(file), fails=True).stderr
    assert "every: a duration of at least 0.1 s" in refused
    assert "devices.disk.only: a list" in refused
    file.write_text("{")
    assert "is no JSON" in command("plan", "put", str(file), fails=True).stderr
    assert "cannot be read" in command("plan", "put", str(tmp_path / "no.json"), fails=True).stderr
    assert "no plan is called 'x'" in command("record", "--plan", "x", "--for", "1s", fails=True).stderr
    assert "say what it is to do" in command("direct", "any", fails=True).stderr
    assert "no recorder is called" in command("direct", "nobody", "--stop", fails=True).stderr
