"""`backup` and `restore` beside a running server."""

import os
import subprocess
import sys

import pytest

from cases import SHORT
from databases import new_database
from reditus.cli.client import Client
from reditus.cli.service import service
from reditus.exchange.simulated import SimulatedArchive
from reditus.server.settings import Settings


@pytest.fixture
def command():
    """Run a command with a data folder and a database; it has to end with a code."""

    def run(data, database, *words, code=0):
        env = {**os.environ, "REDITUS_DATA": str(data), "REDITUS_DATABASE_URL": database}
        line = [sys.executable, "-m", "reditus.cli", *words]
        done = subprocess.run(line, env=env, capture_output=True, text=True, timeout=120, check=False)
        assert done.returncode == code, done.stdout + done.stderr
        return done

    return run


def test_a_drill(cluster, tmp_path, command):
    first, second = (new_database(cluster) for _ in range(2))
    folder = str(tmp_path / "backup")
    settings = Settings(data=tmp_path / "one", database_url=first)
    with service(settings, anywhere=True) as running, Client(running.url) as client:
        client.load(SimulatedArchive(SHORT))
        done = command(settings.data, first, "backup", folder)
        assert f"{SHORT.machine.name}: {SHORT.name}" in done.stdout
        assert "1 file written" in done.stdout
        assert "1 archive unchanged" in command(settings.data, first, "backup", folder).stdout
        refused = command(settings.data, first, "backup", folder, "--host", "nope", code=2)
        assert f"no hosts are called 'nope'. There are: {SHORT.machine.name}" in refused.stderr
    assert "1 file checked" in command(settings.data, first, "backup", "--check", folder).stdout
    # Nothing runs on the second data folder: the command starts what it needs.
    assert "1 file put back" in command(tmp_path / "two", second, "restore", folder).stdout
    assert SHORT.name in command(tmp_path / "two", second, "archives").stdout
    spoilt = next((tmp_path / "backup" / "archives").glob("*/*.zip"))
    spoilt.write_bytes(spoilt.read_bytes()[:-1])
    assert "only a part of one" in command(tmp_path / "two", second, "restore", folder, code=1).stderr
    assert "is no backup of Reditus" in command(tmp_path / "two", second, "restore", str(tmp_path), code=2).stderr
