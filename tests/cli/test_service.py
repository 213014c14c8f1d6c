"""Starting and stopping: at any moment, on folders and ports of any kind, with logs that do not grow for ever."""

import os
import random
import signal
import stat
import subprocess
import sys
import time
from pathlib import Path

import pytest

from reditus.cli.child_processes import LOG_BYTES, LOGS_KEPT, open_log, rotate
from reditus.cli.data_folder import write_private

CLI = [sys.executable, "-m", "reditus.cli"]
TIMEOUT_S = 120


@pytest.fixture
def data(tmp_path_factory):
    """A folder that the database's own user can get through to."""
    folder = tmp_path_factory.mktemp("service")
    folder.chmod(0o755)
    for above in list(folder.parents)[:3]:
        if "pytest" in above.name or "popen" in above.name:
            above.chmod(0o755)
    return folder / "data"


def left_over(data: Path) -> list[str]:
    """Processes that still have to do with a data folder."""
    found = []
    for entry in Path("/proc").iterdir():
        if entry.name.isdigit():
            try:
                words = (entry / "cmdline").read_bytes().replace(b"\0", b" ").decode("utf-8", "replace")
            except OSError:
                continue
            if str(data) in words:
                found.append(words)
    return found


def serve(data: Path, **more) -> "subprocess.Popen[str]":
    env = {**os.environ, "REDITUS_DATA": str(data), "REDITUS_PORT": "0"}
    return subprocess.Popen([*CLI, "serve"], env=env, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True, **more)


@pytest.mark.alone
@pytest.mark.parametrize("number", [signal.SIGTERM, signal.SIGINT])
def test_a_start_that_is_broken_off_leaves_nothing_running(data, number):
    whole = serve(data)
    assert whole.stdout
    assert any("Reditus is at" in line for line in whole.stdout)  # left alone, it does start
    whole.send_signal(number)
    whole.communicate(timeout=TIMEOUT_S)
    assert not left_over(data)
    rng = random.Random(int(number))
    for _ in range(4):
        process = serve(data)
        time.sleep(rng.uniform(0.2, 4.0))  # any moment of a start is right
        process.send_signal(number)
        process.communicate(timeout=TIMEOUT_S)
        assert not left_over(data)


@pytest.mark.alone
def test_signals_from_a_shell_s_background_are_obeyed(data):
    """A shell without job control hands SIGINT down ignored to what it runs in the background."""
    env = {**os.environ, "REDITUS_DATA": str(data), "REDITUS_PORT": "0"}
    script = f"{' '.join(CLI)} serve > {data.parent}/out 2>&1 & echo $!; wait"
    shell = subprocess.Popen(["sh", "-c", script], env=env, stdout=subprocess.PIPE, text=True)
    assert shell.stdout
    pid = int(shell.stdout.readline())
    out = data.parent / "out"
    deadline_s = time.monotonic() + TIMEOUT_S
    while "Reditus is at" not in (out.read_text() if out.exists() else ""):
        assert time.monotonic() < deadline_s
        time.sleep(0.05)
    os.kill(pid, signal.SIGINT)
    shell.communicate(timeout=TIMEOUT_S)
    assert not left_over(data)


def run(data: Path, *words: str, **env: str) -> "subprocess.CompletedProcess[str]":
    whole = {**os.environ, "REDITUS_DATA": str(data), **env}
    return subprocess.run([*CLI, *words], env=whole, capture_output=True, text=True, timeout=TIMEOUT_S, check=False)


def test_a_data_folder_that_cannot_be_written_is_said(tmp_path):
    (tmp_path / "file").write_text("")
    done = run(tmp_path / "file" / "data", "archives")
    assert done.returncode == 2
    assert "cannot be written" in done.stderr
    assert "REDITUS_DATA" in done.stderr
    assert "Traceback" not in done.stderr


@pytest.mark.parametrize(
    ("name", "value", "says"),
    [
        ("REDITUS_HOST", "0.0.0.0", "loopback only"),
        ("REDITUS_TOKEN", "short", "REDITUS_TOKEN"),
        ("REDITUS_MEMORY_MIB", "1", "256"),
    ],
)
def test_settings_that_will_not_do_are_said(tmp_path, name, value, says):
    done = run(tmp_path / "data", "archives", **{name: value})
    assert done.returncode == 2
    assert says in done.stderr
    assert "Traceback" not in done.stderr


def test_a_port_that_is_taken_is_said_without_what_was_logged_before(data, database_url):
    import socket

    data.mkdir()
    (data / "logs").mkdir()
    (data / "logs" / "server.log").write_text("Traceback (most recent call last):\nan old story\n")
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = str(taken.getsockname()[1])
        done = run(data, "serve", REDITUS_PORT=port, REDITUS_DATABASE_URL=database_url)
    assert done.returncode == 2
    assert "address already in use" in done.stderr
    assert "an old story" not in done.stderr


def test_logs_are_put_aside_before_they_grow_too_long(tmp_path):
    log = tmp_path / "server.log"
    with open_log(log) as writer:
        for number in range(6):
            writer.write(bytes([65 + number]) * (LOG_BYTES + 1))
            writer.flush()
            rotate(log)
            writer.write(b"x")  # the writer goes on at the beginning
            writer.flush()
            assert log.stat().st_size == 1
            os.truncate(log, 0)
    kept = sorted(path.name for path in tmp_path.iterdir())
    assert kept == ["server.log", *(f"server.log.{number}" for number in range(1, LOGS_KEPT + 1))]
    assert [(tmp_path / name).read_bytes()[:1] for name in kept[1:]] == [b"F", b"E", b"D"]


def test_none_else_reads_logs_and_addresses(tmp_path):
    with open_log(tmp_path / "logs" / "server.log"):
        write_private(tmp_path / "service.json", "{}")
    for path in (tmp_path / "logs" / "server.log", tmp_path / "service.json"):
        assert stat.S_IMODE(path.stat().st_mode) == 0o600
    assert stat.S_IMODE((tmp_path / "logs").stat().st_mode) == 0o700


@pytest.mark.alone
def test_a_recorder_that_is_killed_under_record_is_started_again(data):
    env = {**os.environ, "REDITUS_DATA": str(data)}
    process = subprocess.Popen(
        [*CLI, "record", "--every", "200ms", "--name", "killed", "--for", "12s"], env=env, stdout=subprocess.PIPE,
        stderr=subprocess.PIPE, text=True,
    )  # fmt: skip
    deadline_s = time.monotonic() + TIMEOUT_S
    while not (pids := recorders(data)):
        assert time.monotonic() < deadline_s
        time.sleep(0.1)
    while not list(data.glob("spool/*/archive.json")):
        time.sleep(0.1)
    os.kill(pids[0], signal.SIGKILL)
    out, err = process.communicate(timeout=TIMEOUT_S)
    assert process.returncode == 0, err
    assert "The recorder was ended by signal 9; starting it again." in err
    assert "ticks" in out
    assert not left_over(data)


def recorders(data: Path) -> list[int]:
    found = []
    for entry in Path("/proc").iterdir():
        if entry.name.isdigit():
            try:
                words = (entry / "cmdline").read_bytes().split(b"\0")
            except OSError:
                continue
            if b"reditus.recorder" in words and any(str(data).encode() in word for word in words):
                found.append(int(entry.name))
    return found
