"""The database's disk fills up under a recorder: it is said, nothing is lost, and all goes on once there is room."""

import os
import re
import subprocess
from pathlib import Path

import httpx
import pytest

from e2e_helpers import wait_until
from reditus.cli.child_processes import Child
from reditus.cli.service import service
from reditus.server.settings import Settings

DISK = "size=220m"


@pytest.fixture
def small_disk(open_folder):
    """A disk of its own, small enough to fill."""
    if os.geteuid():
        pytest.skip("only root may mount a file system")
    folder = open_folder.parent / "disk"
    folder.mkdir()
    mounted = subprocess.run(["mount", "-t", "tmpfs", "-o", DISK, "tmpfs", folder], capture_output=True, check=False)
    if mounted.returncode:
        pytest.skip(f"no file system can be mounted here: {mounted.stderr.decode().strip()}")
    folder.chmod(0o755)
    yield folder
    subprocess.run(["umount", "--lazy", folder], check=True)


def filled(folder: Path) -> Path:
    ballast = folder / "ballast"
    with ballast.open("wb", buffering=0) as file:
        try:
            while file.write(bytes(1 << 16)):
                pass
        except OSError:
            return ballast
    raise AssertionError("the disk took everything")


def test_a_full_disk_is_said_and_survived(small_disk, tmp_path, page):
    spool = tmp_path / "spool"
    with service(Settings(data=small_disk / "data"), anywhere=True) as running:
        arguments = ["--server", running.url, "--spool", str(spool), "--name", "full", "--every", "100ms"]
        recorder = Child("reditus.recorder", arguments, log=tmp_path / "recorder.log")
        try:
            wait_until(lambda: (archive(running) or {"ticks": 0})["ticks"] > 20, 40)
            page.goto(running.url)
            ballast = filled(small_disk)
            wait_until(lambda: state(running) in ("disk full", "database away"), 60)
            page.get_by_text("The disk of the database is full").or_(page.get_by_text("Database unavailable")).wait_for(
                timeout=90_000
            )
            wait_until(lambda: len(list(spool.glob("*/*.batch"))) >= 3, 60)
            if state(running) == "disk full":
                assert archive(running)["ticks"] > 20
            ballast.unlink()
            wait_until(lambda: state(running) == "ok", 90)
            page.get_by_text("The disk of the database is full").wait_for(state="detached", timeout=90_000)
            wait_until(lambda: len(list(spool.glob("*/*.batch"))) <= 1, 60)
        finally:
            recorder.stop()
        # The recorder's own count is what was there to lose: on a starved machine it may have come late to some ticks.
        taken = int(re.findall(r"ended .*ticks=(\d+)", recorder.log_tail())[-1])
        assert archive(running)["ticks"] == taken, recorder.log_tail()


def archive(running):
    answer = httpx.get(f"{running.url}/api/archives", trust_env=False, timeout=30)
    return answer.json()[0] if answer.status_code == 200 and answer.json() else None


def state(running):
    running.restart_dead_children()
    try:
        return httpx.get(f"{running.url}/api/health", trust_env=False, timeout=10).json()["status"]
    except httpx.HTTPError:
        return "server away"
