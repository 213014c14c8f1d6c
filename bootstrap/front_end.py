"""Node.js, npm packages, and the built front end."""

import hashlib
import os
import re
import shutil
import subprocess
from collections.abc import Iterator
from pathlib import Path

from bootstrap.paths import VENV_BIN, WEB, WEB_DIST
from bootstrap.python_env import ensure_python_packages
from bootstrap.steps import run, step

NODE_MAJOR = 24  # vite 8 and vitest 5 want a current one; the wheel in requirements/node.in is of this line
NOT_SOURCES = {"node_modules", "dist", "coverage"}


def ensure_npm_packages() -> None:
    node_bin = ensure_node()
    stamp = WEB / "node_modules" / ".reditus-stamp"
    wanted = _digest([WEB / "package.json", WEB / "package-lock.json"])
    if stamp.is_file() and stamp.read_text() == wanted:
        return
    with step("Installing npm packages"):
        run([node_bin / "npm", "ci", "--no-audit", "--no-fund"], cwd=WEB, env=node_env())
    stamp.write_text(wanted)


def ensure_built() -> None:
    """Build the front end if a source changed since the last build; without a change, Node is not even started."""
    stamp = WEB_DIST / ".reditus-stamp"
    wanted = _digest(_sources())
    if stamp.is_file() and stamp.read_text() == wanted:
        return
    ensure_npm_packages()
    with step("Building the front end"):
        run([ensure_node() / "npm", "run", "build"], cwd=WEB, env=node_env())
    stamp.write_text(wanted)


def ensure_node() -> Path:
    """The folder with a `node` new enough: the machine's own, or the one from the PyPI wheel."""
    own = shutil.which("node")
    if own and shutil.which("npm") and _major(own) >= NODE_MAJOR:
        return Path(own).parent
    ensure_python_packages("node")
    return VENV_BIN


def node_env() -> dict[str, str]:
    return {"PATH": f"{ensure_node()}:{os.environ['PATH']}"}


def _major(node: str) -> int:
    said = subprocess.run([node, "--version"], capture_output=True, text=True, check=False).stdout
    found = re.match(r"v(\d+)\.", said)
    return int(found[1]) if found else 0


def _sources() -> Iterator[Path]:
    for folder, folders, files in os.walk(WEB):
        folders[:] = sorted(set(folders) - NOT_SOURCES)
        yield from (Path(folder) / name for name in sorted(files))


def _digest(files: list[Path] | Iterator[Path]) -> str:
    total = hashlib.sha256()
    for file in files:
        total.update(str(file.relative_to(WEB)).encode() + b"\0" + file.read_bytes() + b"\0")
    return total.hexdigest()
