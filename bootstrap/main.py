"""Which command needs what installed, and then the command itself."""

import os
import sys

from bootstrap.checks import run_tests
from bootstrap.front_end import ensure_built
from bootstrap.paths import ROOT, VENV_BIN
from bootstrap.python_env import ensure_python_packages
from bootstrap.steps import StepFailed
from bootstrap.system import ensure_pango, ensure_postgresql

WITH_PAGE = {"demo", "serve"}
WITH_DATABASE = WITH_PAGE | {
    "record",
    "archives",
    "archive",
    "diagnose",
    "import",
    "check",
    "recorders",
    "plan",
    "markers",
    "name",
    "verdict",
    "direct",
    "compare",
    "weeks",
    "investigation",
    "export",
}


def main(arguments: list[str]) -> int:
    command = arguments[0] if arguments else "--help"
    wants_help = "--help" in arguments
    try:
        if command == "test" and not wants_help:
            return run_tests(arguments[1:])
        ensure_python_packages("runtime")
        if command in WITH_DATABASE and not wants_help:
            ensure_postgresql()
        if command in WITH_PAGE and not wants_help:
            ensure_pango()
            ensure_built()
    except StepFailed as failure:
        print(f"reditus: {failure}", file=sys.stderr)
        return 1
    except KeyboardInterrupt:
        return 130
    # The command takes this process's place, so that Ctrl-C and the exit code are its own.
    os.chdir(ROOT)
    python = str(VENV_BIN / "python")
    return os.execv(python, [python, "-m", "reditus.cli", *(arguments or ["--help"])])
