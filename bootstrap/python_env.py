"""The virtual environment, from locked and hashed requirements."""

import hashlib
import sys
import sysconfig
from pathlib import Path

from bootstrap.paths import REQUIREMENTS, ROOT, VENV, VENV_BIN
from bootstrap.steps import run, step
from bootstrap.system import ensure_venv_module


def ensure_python_packages(lock_name: str) -> None:
    """Install `requirements/<lock_name>.lock` unless this very file was installed already."""
    lock = REQUIREMENTS / f"{lock_name}.lock"
    stamp = VENV / f"{lock_name}.stamp"
    wanted = _fingerprint(lock)
    if stamp.is_file() and stamp.read_text() == wanted and (VENV_BIN / "python").exists():
        return
    if not (VENV_BIN / "python").exists():
        ensure_venv_module()
        with step("Making a virtual environment"):
            run([sys.executable, "-m", "venv", VENV])
    with step(f"Installing Python packages ({lock.name})"):
        pip = [VENV_BIN / "python", "-m", "pip", "install", "--disable-pip-version-check"]
        run([*pip, "--require-hashes", "-r", lock])
        _make_sources_importable()
    stamp.write_text(wanted)


def _make_sources_importable() -> None:
    version = f"python{sys.version_info.major}.{sys.version_info.minor}"
    (VENV / "lib" / version / "site-packages" / "reditus.pth").write_text(f"{ROOT / 'src'}\n")


def _fingerprint(lock: Path) -> str:
    parts = [lock.read_bytes(), sys.version.encode(), sysconfig.get_platform().encode(), str(ROOT).encode()]
    return hashlib.sha256(b"\0".join(parts)).hexdigest()
