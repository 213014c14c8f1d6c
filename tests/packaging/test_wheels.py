"""Both wheels, built here and installed in clean virtual environments outside any checkout."""

import json
import os
import signal
import subprocess
import sys
import tempfile
import venv
from importlib.metadata import version as installed_version
from pathlib import Path
from zipfile import ZipFile

import grimp
import httpx
import pytest
from packaging.requirements import Requirement

from e2e_helpers import wait_until
from hatch_build import RECORDER_MODULES
from reditus import __version__

ROOT = Path(__file__).resolve().parents[2]
RECORDER_NEEDS = ("numpy", "numpy.libs", "structlog", "xxhash", "zstandard")
pytestmark = pytest.mark.alone


@pytest.fixture(scope="module")
def outside():
    """A folder that others may enter, as PostgreSQL's own user has to."""
    with tempfile.TemporaryDirectory() as folder:
        Path(folder).chmod(0o755)
        yield Path(folder)


@pytest.fixture(scope="module")
def wheels(outside):
    """The server's wheel and the recorder's, by `python -m build`."""
    build = [sys.executable, "-m", "build", "--no-isolation", "--outdir", str(outside / "dist"), str(ROOT)]
    subprocess.run(build, check=True, capture_output=True)
    recorder, server = sorted((outside / "dist").glob("*.whl"), key=lambda wheel: "recorder" not in wheel.name)
    return server, recorder


def environment(outside, name, wheels, dependencies):
    """A clean virtual environment with the wheels in it, and of all other packages just these, as they are installed
    here.
    """
    folder = outside / name
    venv.create(folder, with_pip=False)
    (site,) = folder.glob("lib/python*/site-packages")
    packages = folder / "dependencies"
    packages.mkdir()
    here = Path(pytest.__file__).parent.parent
    for package in here.iterdir():
        if (dependencies is None and not package.name.startswith("reditus")) or package.name.split("-")[0] in (
            dependencies or ()
        ):
            (packages / package.name).symlink_to(package)
    (site / "dependencies.pth").write_text(f"{packages}\n")
    pip = [sys.executable, "-m", "pip", "--python", str(folder / "bin" / "python"), "install"]
    subprocess.run(
        [*pip, "--no-deps", "--no-index", "--disable-pip-version-check", *map(str, wheels)],
        check=True,
        capture_output=True,
    )
    return folder / "bin"


def clean_env(outside, **more):
    kept = {name: os.environ[name] for name in ("PATH", "LANG", "HOME") if name in os.environ}
    return {**kept, "XDG_STATE_HOME": str(outside / "state"), **more}


def names_in(wheel):
    return set(ZipFile(wheel).namelist())


def metadata_of(wheel):
    with ZipFile(wheel) as opened:
        (name,) = (name for name in opened.namelist() if name.endswith(".dist-info/METADATA"))
        lines = opened.read(name).decode().split("\n\n")[0].splitlines()
    return [line.partition(": ")[::2] for line in lines]


def test_no_file_is_in_both(wheels):
    server, recorder = (names_in(wheel) for wheel in wheels)
    shared = {name for name in server & recorder if ".dist-info/" not in name}
    assert shared == set()
    assert {"reditus/__init__.py", "reditus/py.typed", "reditus/recorder/__main__.py"} <= recorder
    assert {"reditus/web/index.html", "reditus/exchange/field_script.sh"} <= server
    assert "reditus/store/database/migrations/script.py.mako" in server
    sources = {path.relative_to(ROOT / "src").as_posix() for path in (ROOT / "src" / "reditus").rglob("*.py")}
    assert sources <= server | recorder


def test_recorder_wheel_has_what_it_imports():
    graph = grimp.build_graph("reditus")
    recorder = {name for name in graph.modules if name.startswith("reditus.recorder")}
    imported = set().union(*(graph.find_upstream_modules(name) for name in recorder)) - recorder
    # A package is imported before its modules.
    imported |= {name.rpartition(".")[0] for name in imported if "." in name}
    files = {name.removeprefix("reditus").lstrip(".").replace(".", "/") for name in imported}
    packaged = {name.removesuffix("/__init__").removesuffix("__init__") for name in RECORDER_MODULES}
    assert files == packaged


def test_dependencies_are_declared(wheels):
    server, recorder = (metadata_of(wheel) for wheel in wheels)
    for metadata in (server, recorder):
        assert dict(metadata)["Version"] == __version__
        needed = [Requirement(value) for key, value in metadata if key == "Requires-Dist"]
        for requirement in needed:
            if requirement.marker is None and requirement.name != "reditus-recorder":
                assert requirement.specifier.contains(installed_version(requirement.name)), requirement
    assert f"reditus-recorder=={__version__}" in [value for key, value in server if key == "Requires-Dist"]
    names = {Requirement(value).name for key, value in recorder if key == "Requires-Dist"}
    assert names == {name for name in RECORDER_NEEDS if "." not in name}


def test_demo_runs_when_installed(wheels, outside):
    programs = environment(outside, "server", wheels, None)
    env = clean_env(outside, REDITUS_PORT="0")
    script = subprocess.run(
        [programs / "reditus", "field-script"], env=env, cwd=outside, capture_output=True, text=True, check=True
    )
    assert script.stdout.startswith("#!/bin/sh")
    log = outside / "demo.log"
    with log.open("wb") as output:
        demo = subprocess.Popen([programs / "reditus", "demo"], env=env, cwd=outside, stdout=output, stderr=output)
    try:
        wait_until(lambda: "Reditus is at" in log.read_text() or demo.poll() is not None, 300)
        assert demo.poll() is None, log.read_text()
        url = json.loads((outside / "state" / "reditus" / "service.json").read_text())["url"]
        assert "<title>Reditus" in httpx.get(url, trust_env=False).text
        assert httpx.get(f"{url}/api/health", trust_env=False).json()["version"] == __version__
        with ZipFile(wheels[0]) as opened:
            assert httpx.get(url, trust_env=False).content == opened.read("reditus/web/index.html")
        record_with_recorder_alone(wheels, outside, url)
    finally:
        demo.send_signal(signal.SIGINT)
        assert demo.wait(60) == 0


def record_with_recorder_alone(wheels, outside, url):
    """Where there is nothing but the recorder's wheel and what that needs; all options come from a file."""
    programs = environment(outside, "recorder", wheels[1:], RECORDER_NEEDS)
    without = subprocess.run(
        [programs / "python", "-c", "import reditus.store"], cwd=outside, capture_output=True, check=False
    )
    assert without.returncode != 0
    config = outside / "recorder.toml"
    config.write_text(
        f'server = "{url}"\nname = "alone"\nevery = "200ms"\nfor = "2s"\nspool = "{outside / "spool"}"\nlog = []\n'
    )
    env = clean_env(outside)
    recorded = subprocess.run(
        [programs / "reditus-recorder", "--config", config],
        env=env,
        cwd=outside,
        capture_output=True,
        text=True,
        check=False,
    )
    assert recorded.returncode == 0, recorded.stderr
    (archive,) = (
        entry for entry in httpx.get(f"{url}/api/archives", trust_env=False).json() if entry["name"] == "alone"
    )
    assert archive["ticks"] >= 2
    assert archive["interval_s"] == 0.2
