"""The command line, as a person types it: real processes, the run's real database."""

import json
import os
import re
import signal
import subprocess
import sys
from functools import partial

import pytest

from databases import new_database
from reditus.cli.data_folder import prepare_data_folder
from reditus.server.settings import Settings

TIMEOUT_S = 120


@pytest.fixture(scope="module")
def env(cluster, tmp_path_factory):
    """A data folder and a database of this module's own."""
    data = tmp_path_factory.mktemp("data")
    return {**os.environ, "REDITUS_DATA": str(data), "REDITUS_DATABASE_URL": new_database(cluster), "REDITUS_PORT": "0"}


def run_in(env, *words):
    command = [sys.executable, "-m", "reditus.cli", *words]
    done = subprocess.run(command, env=env, capture_output=True, text=True, timeout=TIMEOUT_S, check=False)
    print(words, done.returncode, done.stderr[-2_000:])  # shown where a test fails
    return done


@pytest.fixture(scope="module")
def command(env):
    """Run a command beside a running server; return its result."""
    serving = subprocess.Popen(
        [sys.executable, "-m", "reditus.cli", "serve"],
        env=env,
        stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
        text=True,
    )
    assert serving.stdout
    for line in serving.stdout:
        if "Reditus is at" in line:
            break
    yield partial(run_in, env)
    serving.send_signal(signal.SIGINT)
    serving.stdout.close()
    assert serving.wait(TIMEOUT_S) == 0


def test_without_a_server_a_command_starts_one_for_itself(env):
    """Runs before the module's server does."""
    done = run_in(env, "archives")
    assert done.returncode == 0, done.stderr
    assert "No archives yet" in done.stdout
    assert "Starting the server" in done.stderr


def test_record_list_and_diagnose(command):
    recorded = command("record", "--for", "6s", "--every", "500ms", "--name", "trial run")
    assert recorded.returncode == 0, recorded.stderr
    (archive,) = json.loads(command("archives", "--json").stdout)
    assert archive["name"] == "trial run"
    # A busy machine lets ticks be missed; what the recorder counted is what there is.
    counted = re.search(r"ended .*ticks=(\d+)", recorded.stderr + recorded.stdout)
    assert counted
    assert 2 <= archive["ticks"] == int(counted[1]) <= 13
    assert archive["interval_s"] == 0.5
    assert archive["columns"] > 100
    assert archive["id"][:8] in recorded.stdout

    readable = command("diagnose", "trial run").stdout
    assert "Findings" in readable
    assert "Ruled out" in readable
    diagnosis = json.loads(command("diagnose", archive["id"][:8], "--json").stdout)
    assert set(diagnosis) == {"host", "window", "findings", "ruled_out", "unjudged"}
    assert 0 < diagnosis["window"]["coverage"] <= 1


def test_a_field_capture_is_made_imported_and_judged(command, tmp_path):
    script, capture = tmp_path / "field.sh", tmp_path / "field.txt"
    script.write_text(command("field-script").stdout)
    capture.write_bytes(subprocess.run(["sh", str(script), "0.5", "4"], capture_output=True, check=True).stdout)

    alone = command("diagnose", str(capture), "--json")
    judged = json.loads(alone.stdout)
    assert "Starting" not in alone.stderr  # no server, no database

    first = command("import", str(capture), "--name", "from the field")
    assert first.returncode == 0, first.stderr
    assert "4 ticks" in first.stdout
    assert "was here already" in command("import", str(capture)).stdout
    # What this machine was at just then is the same with the database and without.
    assert answer(json.loads(command("diagnose", "from the field", "--json").stdout)) == answer(judged)
    past = command("watch", "cpu.busy", "disk.read.rate", "--archive", "from the field").stdout.splitlines()
    assert past[0].split() == ["time", "(UTC)", "cpu.busy", "cores", "disk.read.rate", "bytes/s"]
    # A line a tick; where the machine was too busy to capture in time, a gap has a line of its own, without values.
    gaps = [line for line in past[2:] if line.split()[1:] == ["-", "-"]]
    assert len(past) == 5 + len(gaps)


def answer(diagnosis):
    return [(item["kind"], item["start"], item["end"]) for item in [*diagnosis["findings"], *diagnosis["ruled_out"]]]


def test_watching_this_machine(command):
    lines = command("watch", "cpu.busy", "cpu.busy@*", "--every", "200ms", "--count", "3").stdout.splitlines()
    assert len(lines) == 4
    assert len(lines[1].split()) == 2 + os.cpu_count()


def test_counters_are_watched_live_and_in_the_past_alike(command):
    live = command(
        "watch", "system.disk.pending_operations", "system.cpu.context_switches", "--every", "200ms", "--count", "2"
    )
    assert "system.disk.pending_operations{system.device=" in live.stdout
    past = command("watch", "system.cpu.time{cpu.mode=user}", "--archive", "trial run").stdout.splitlines()
    assert past[0].split()[2:] == ["system.cpu.time{cpu.mode=user}", "share"]
    values = [float(line.split()[-1]) for line in past[1:] if not line.endswith("-")]  # none where ticks were missed
    assert values
    assert all(0 <= value <= os.cpu_count() for value in values)


def test_counters_are_listed_and_searched(command):
    entries = json.loads(command("counters", "--json").stdout)
    assert len(entries) > 40
    assert {"name", "title", "unit", "kind", "help", "source", "attributes", "charted_in", "resource"} == set(
        entries[0]
    )
    assert "system.disk.weighted_io_time" in command("counters", "--search", "in flight").stdout


@pytest.mark.parametrize(
    ("words", "says"),
    [
        (["record", "--every", "0s"], "an interval is 100ms to 1h"),
        (["record", "--every", "soon"], "is no duration"),
        (["record", "--for", "0s"], "would record nothing"),
        (["record", "--name", "two\nlines"], "printable"),
        (["diagnose", "nothing-like-it"], "no archive is called"),
        (["diagnose", "/etc/hostname"], "A field capture has a line"),
        (["import", "/nowhere/at/all"], "cannot be read"),
        (["watch", "cpu.bussy"], "did you mean"),
        (["watch", "cpu.busy", "--from", "2026-11-12T09:00:00Z"], "--archive"),
        (["counters", "--search", "flux"], "no counter"),
    ],
)
def test_bad_words_are_answered_in_a_sentence(command, words, says):
    done = command(*words)
    assert done.returncode == 2
    assert says in done.stderr.replace("\n", " ")
    assert "Traceback" not in done.stderr


def test_a_bad_setting_is_named(tmp_path):
    env = {**os.environ, "REDITUS_DATA": str(tmp_path), "REDITUS_PORT": "many"}
    done = run_in(env, "archives")
    assert done.returncode == 2
    assert "REDITUS_PORT" in done.stderr


def test_help_lists_the_commands(command):
    said = command("--help").stdout
    for name in ("demo", "serve", "record", "archives", "diagnose", "test"):
        assert name in said


@pytest.mark.skipif(os.geteuid() != 0, reason="only root hands the database to another user")
def test_a_closed_checkout_keeps_its_data_elsewhere(tmp_path, monkeypatch, capsys):
    closed = tmp_path / "closed"
    closed.mkdir(mode=0o700)
    monkeypatch.setattr("reditus.cli.data_folder.SYSTEM_FOLDER", tmp_path / "system")
    settings = Settings()
    monkeypatch.setattr(settings, "data", closed / ".data")
    settings.model_fields_set.discard("data")
    folder = prepare_data_folder(settings)
    assert folder.parent == tmp_path / "system"
    assert "closed to the database's user" in capsys.readouterr().err.replace("\n", " ")


def test_no_command_waits_for_what_only_the_server_needs():
    """SciPy, SQLAlchemy and FastAPI together take two seconds to import."""
    requested = (
        "import sys, reditus.cli.commands; print({'scipy', 'sqlalchemy', 'psycopg', 'fastapi'} & set(sys.modules))"
    )
    answer = subprocess.run([sys.executable, "-c", requested], capture_output=True, text=True, check=True)
    assert answer.stdout.strip() == "set()"
