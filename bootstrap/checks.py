"""`./reditus test`: every gate, in the order from quick to slow, closing with pytest's summary."""

import json
import os
import subprocess
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from bootstrap.front_end import ensure_built, ensure_node, ensure_npm_packages, node_env
from bootstrap.paths import ROOT, VENV_BIN, WEB
from bootstrap.python_env import ensure_python_packages
from bootstrap.steps import step
from bootstrap.system import (
    ensure_chromium,
    ensure_faketime,
    ensure_pango,
    ensure_poppler,
    ensure_postgresql,
)

# name, words, folder, what mends it
PYTHON_GATES = [
    ("Python format", ["ruff", "format", "--check", "."], "run: .venv/bin/ruff format ."),
    ("Python lint", ["ruff", "check", "."], "run: .venv/bin/ruff check --fix . and mend the rest by hand"),
    ("Python types", ["mypy"], "mend the types; settings are in pyproject.toml"),
    ("Vocabulary", ["python", "scripts/vocabulary.py"], "say it in the words of docs/glossary.md"),
    (
        "Layer contracts",
        ["lint-imports"],
        "an import points the wrong way; see docs of the layers in CONTRIBUTING.md",
    ),
]
MOST_FLAKY = 2
LAST_FAILED = ROOT / ".pytest_cache" / "v" / "cache" / "lastfailed"
WEB_GATES = [
    ("Front-end format", "format:check", "run: npm run format (in web/)"),
    ("Front-end lint", "lint", "mend what eslint names"),
    ("TypeScript types", "types", "mend the types"),
    ("Front-end unit tests", "test", "mend the code, or the test if the rule changed"),
]


def prepare_for_tests() -> None:
    """Debian's packages beside those of Python and npm: each mostly waits for its registry."""
    with ThreadPoolExecutor(1) as beside:
        debian = beside.submit(_ensure_debian_packages)
        ensure_python_packages("dev")
        ensure_npm_packages()
        ensure_built()
        debian.result()


def _ensure_debian_packages() -> None:
    ensure_postgresql()
    ensure_chromium()
    ensure_faketime()
    ensure_pango()
    ensure_poppler()


def run_tests(arguments: list[str]) -> int:
    """Without arguments everything; with arguments only pytest, with just these."""
    prepare_for_tests()
    pytest = [str(VENV_BIN / "python"), "-m", "pytest"]
    if arguments:
        return _call([*pytest, *arguments], ROOT)
    LAST_FAILED.unlink(missing_ok=True)
    with ThreadPoolExecutor(1) as beside:
        of_python = beside.submit(_python_gates)
        failed = [*_web_gates(), *of_python.result()]
    # Two at a time, but for those that drive a browser or measure what the machine does: they want it for themselves.
    codes = [
        _call([*pytest, "-m", "not alone and not e2e", "-n", "2", "--dist", "loadfile"], ROOT),
        _browser_tests(pytest),
    ]
    for gate in failed:
        print(f"FAILED gate: {gate}", flush=True)
    return max(codes) or (1 if failed else 0)


def _browser_tests(pytest: list[str]) -> int:
    """Those that drive a browser, and those that measure. A browser test that fails is run once more and shown as
    flaky; more than MOST_FLAKY of them, or one that fails again, fail the run.
    """
    code = _call([*pytest, "-m", "alone or e2e"], ROOT)
    failed = _last_failed()
    if code != 1 or not 0 < len(failed) <= MOST_FLAKY or not all(name.startswith("tests/e2e/") for name in failed):
        return code
    print(f"Run once more: {', '.join(failed)}", flush=True)
    again = _call([*pytest, *failed], ROOT)
    if again == 0:
        print(f"FLAKY, passed the second time: {', '.join(failed)}", flush=True)
    return again


def _last_failed() -> list[str]:
    """What failed in pytest's last run, as it wrote it down."""
    try:
        return sorted(json.loads(LAST_FAILED.read_text()))
    except FileNotFoundError:
        return []


def _python_gates() -> list[str]:
    return [
        f"{name} ({mend})"
        for name, words, mend in PYTHON_GATES
        if _gate(name, [str(VENV_BIN / words[0]), *words[1:]], ROOT)
    ]


def _web_gates() -> list[str]:
    npm = str(ensure_node() / "npm")
    return [
        f"{name} ({mend})" for name, script, mend in WEB_GATES if _gate(name, [npm, "run", "--silent", script], WEB)
    ]


def _gate(name: str, command: list[str], folder: Path) -> int:
    with step(name):
        return _call(command, folder)


def _call(command: list[str], folder: Path) -> int:
    env = {**os.environ, **node_env()}
    return subprocess.run(command, cwd=folder, env=env, stdin=subprocess.DEVNULL, check=False).returncode
