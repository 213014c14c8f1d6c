"""What comes from Debian's packages: PostgreSQL, Chromium, Python's venv module."""

import os
import shutil
from pathlib import Path

from bootstrap.steps import StepFailed, run, step

# Debian makes and starts a cluster of its own when it installs PostgreSQL. Reditus keeps a private one, so the
# machine's own is not needed; the file is taken away again afterwards.
CLUSTER_CONF = Path("/etc/postgresql-common/createcluster.d/reditus-bootstrap.conf")


def has_postgresql() -> bool:
    return any(Path("/usr/lib/postgresql").glob("*/bin/initdb"))


def has_chromium() -> bool:
    return shutil.which("chromium") is not None


def has_libatomic() -> bool:
    return any(Path("/usr/lib").glob("*/libatomic.so.1"))


def ensure_postgresql() -> None:
    if has_postgresql():
        return
    with step("Installing PostgreSQL from Debian's packages"):
        if CLUSTER_CONF.parent.is_dir() or os.geteuid() == 0:
            _as_root(["mkdir", "-p", str(CLUSTER_CONF.parent)])
            _as_root(["sh", "-c", f"echo 'create_main_cluster = false' > {CLUSTER_CONF}"])
        try:
            _apt_install("postgresql")
        finally:
            _as_root(["rm", "-f", str(CLUSTER_CONF)])


def ensure_chromium() -> None:
    missing = [name for name, there in (("chromium", has_chromium()), ("libatomic1", has_libatomic())) if not there]
    if missing:
        with step(f"Installing {' and '.join(missing)} from Debian's packages"):
            _apt_install(*missing)


PANGO = {
    "libpango-1.0-0": "libpango-1.0.so.0",
    "libpangoft2-1.0-0": "libpangoft2-1.0.so.0",
    "libharfbuzz-subset0": "libharfbuzz-subset.so.0",
}


def ensure_pango() -> None:
    """What PDF is set with."""
    missing = [name for name, file in PANGO.items() if not any(Path("/usr/lib").glob(f"*/{file}"))]
    if missing:
        with step("Installing Pango from Debian's packages"):
            _apt_install(*missing)


def ensure_poppler() -> None:
    """For tests that read PDF back as pictures."""
    if shutil.which("pdftoppm") is None:
        with step("Installing poppler-utils from Debian's packages"):
            _apt_install("poppler-utils")


def ensure_faketime() -> None:
    """For tests that step a recorder's clock."""
    if not any(Path("/usr/lib").glob("*/faketime/libfaketime.so.1")):
        with step("Installing libfaketime from Debian's packages"):
            _apt_install("libfaketime")


def ensure_venv_module() -> None:
    try:
        import ensurepip  # noqa: F401 - only its presence matters
    except ImportError:
        with step("Installing Python's venv module from Debian's packages"):
            _apt_install("python3-venv")


def _apt_install(*packages: str) -> None:
    if shutil.which("apt-get") is None:
        raise StepFailed(
            f"{', '.join(packages)} missing, and there is no apt-get here. Install by hand, then start again."
        )
    _as_root(["apt-get", "update"])
    _as_root(["apt-get", "install", "-y", "--no-install-recommends", "-o", "DPkg::Lock::Timeout=300", *packages])


def _as_root(command: list[str]) -> None:
    env = {"DEBIAN_FRONTEND": "noninteractive"}
    if os.geteuid() == 0:
        run(command, env=env)
        return
    sudo = shutil.which("sudo")
    if sudo is None:
        raise StepFailed(f"'{' '.join(command)}' needs root, and there is no sudo here. Run it as root once.")
    run([sudo, "--preserve-env=DEBIAN_FRONTEND", *command], env=env)
