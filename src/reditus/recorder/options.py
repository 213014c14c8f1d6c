"""What the recorder is to do: options of its command line, over those of a settings file, over defaults.

The file is TOML (https://toml.io). Its keys are the options' names:

    server = "http://127.0.0.1:8460"
    name = "the database"
    every = "1s"
    log = ["/var/log/postgresql/postgresql.log"]
"""

import argparse
import os
import tomllib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from reditus.core.blocks import MAX_INTERVAL_NS, MIN_INTERVAL_NS
from reditus.core.durations import parse_duration
from reditus.core.types import NS_PER_S
from reditus.recorder.errors import OptionsError
from reditus.recorder.host import host_name

SYSTEM_FILE = Path("/etc/reditus/recorder.toml")
SYSTEM_SPOOL = Path("/var/lib/reditus/recorder")
MAX_FILE_BYTES = 64 * 1024
KEYS = ("server", "spool", "name", "plan", "every", "for", "log", "otlp", "otlp-every")
OTLP_EVERY = "10s"


@dataclass(frozen=True, slots=True)
class Options:
    """Everything that a recorder is configured with at its start."""

    server: str
    """Address of the Reditus server."""
    spool: Path
    """Folder for what is not acknowledged yet."""
    name: str
    """Name of the archive."""
    plan: str | None = None
    """Name of the server's plan to follow; None: record everything at `every_ns`."""
    every_ns: int = NS_PER_S
    for_ns: int | None = None
    """How long to record; None: until stopped."""
    logs: Sequence[Path] = field(default_factory=tuple)
    """Log files whose lines are kept as markers."""
    otlp: str | None = None
    """Address of a receiver of OTLP/HTTP that gets the newest ticks besides; None: none."""
    otlp_every_ns: int = 10 * NS_PER_S
    """How often it gets them."""


def read_options(arguments: Sequence[str] | None = None) -> Options:
    """Options from the command line, a settings file, and defaults. Raise OptionsError; exit for a misspelt command
    line.
    """
    given = vars(_parser().parse_args(arguments))
    config: Path | None = given.pop("config")
    values = read_file(config) if config is not None else _read_default_file()
    values |= {key.replace("_", "-"): value for key, value in given.items() if value is not None}
    return options_of(values)


def options_of(values: Mapping[str, Any]) -> Options:
    """Check values as a settings file has them, and fill in defaults. Raise OptionsError."""
    unknown = sorted(values.keys() - set(KEYS))
    if unknown:
        raise OptionsError(f"{unknown[0]!r} is no option of the recorder; there are {', '.join(KEYS)}")
    for key in ("server", "spool", "name", "plan", "every", "for", "otlp", "otlp-every"):
        if not isinstance(values.get(key, ""), str) or values.get(key) == "":
            raise OptionsError(f"{key} has to be a text, not {values[key]!r}")
    logs = values.get("log", [])
    if not isinstance(logs, list) or not all(isinstance(path, str) and path for path in logs):
        raise OptionsError(f"log has to be a list of paths, not {logs!r}")
    if "server" not in values:
        raise OptionsError(
            'no server is named; give --server http://HOST:PORT, or write server = "..." in a file and name that '
            "with --config"
        )
    server = values["server"].rstrip("/")
    if not server.startswith("http://"):
        raise OptionsError(f"server has to be an address such as http://127.0.0.1:8460, not {server!r}")
    return Options(
        server=server,
        spool=Path(values["spool"]) if "spool" in values else default_spool(),
        name=values.get("name", host_name()),
        plan=values.get("plan"),
        every_ns=_interval_ns("every", values.get("every", "1s")),
        for_ns=_duration_ns("for", values["for"]) if "for" in values else None,
        logs=tuple(Path(path) for path in logs),
        otlp=_receiver(values.get("otlp")),
        otlp_every_ns=_interval_ns("otlp-every", values.get("otlp-every", OTLP_EVERY)),
    )


def _receiver(url: str | None) -> str | None:
    if url is not None and not url.startswith(("http://", "https://")):
        raise OptionsError(f"otlp has to be an address such as http://127.0.0.1:4318, not {url!r}")
    return url


def read_file(path: Path) -> dict[str, Any]:
    """The values of a settings file. Raise OptionsError where it cannot be read or is not TOML."""
    try:
        with path.open("rb") as file:
            content = file.read(MAX_FILE_BYTES + 1)
        if len(content) > MAX_FILE_BYTES:
            raise OptionsError(f"{path} has more than {MAX_FILE_BYTES // 1024} KiB; it is no settings file")
        return tomllib.loads(content.decode())
    except OSError as why:
        raise OptionsError(f"{path} cannot be read: {why.strerror}") from why
    except (tomllib.TOMLDecodeError, UnicodeDecodeError) as why:
        raise OptionsError(f"{path} is not TOML: {why}") from why


def default_spool() -> Path:
    """For root a folder of the system, for others one in the XDG state folder."""
    if os.geteuid() == 0:
        return SYSTEM_SPOOL
    state = os.environ.get("XDG_STATE_HOME", "")
    return (Path(state) if state.startswith("/") else Path.home() / ".local" / "state") / "reditus" / "recorder"


def _read_default_file() -> dict[str, Any]:
    return read_file(SYSTEM_FILE) if SYSTEM_FILE.is_file() else {}


def _duration_ns(key: str, text: str) -> int:
    try:
        return parse_duration(text)
    except ValueError as why:
        raise OptionsError(f"{key}: {why}") from why


def _interval_ns(key: str, text: str) -> int:
    interval_ns = _duration_ns(key, text)
    if not MIN_INTERVAL_NS <= interval_ns <= MAX_INTERVAL_NS:
        raise OptionsError(f"{key}: an interval is 100ms to 1h, not {text}")
    return interval_ns


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="reditus-recorder", description="Record this machine.")
    parser.add_argument(
        "--config", type=Path, help=f"settings file with these options as keys; else {SYSTEM_FILE} where there is one"
    )
    parser.add_argument("--server", help="address of the Reditus server")
    parser.add_argument("--spool", help="folder for what is not acknowledged yet")
    parser.add_argument("--name", help="name of the archive; else the host's")
    parser.add_argument("--plan", help="name of the server's plan to follow; else --every holds")
    parser.add_argument("--every", help="interval, 100ms to 1h; else 1s")
    parser.add_argument("--for", help="how long; else until stopped")
    parser.add_argument(
        "--log",
        action="append",
        help="text log, or journal export, to keep the new lines of; may be given several times",
    )
    parser.add_argument("--otlp", help="address of a receiver of OTLP/HTTP that gets the newest ticks besides")
    parser.add_argument("--otlp-every", help=f"how often it gets them; else {OTLP_EVERY}")
    return parser
