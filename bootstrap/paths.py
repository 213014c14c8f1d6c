"""Where things lie in this checkout."""

from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
VENV = ROOT / ".venv"
VENV_BIN = VENV / "bin"
WEB = ROOT / "web"
WEB_DIST = WEB / "dist"
REQUIREMENTS = ROOT / "requirements"
LOG = ROOT / ".logs" / "bootstrap.log"
