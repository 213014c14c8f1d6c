"""Markers and device names on the command line."""

import json
from pathlib import Path
from typing import Annotated, get_args
from zoneinfo import ZoneInfo

import typer

from reditus.cli.client import Client, marker_as_json
from reditus.cli.console import Failure, err, out
from reditus.cli.service import service, settings_of_environment
from reditus.core.markers import MAX_LOG, SEVERITIES, in_log
from reditus.core.rfc3339 import TimeError, parse_time, spell_bounded
from reditus.exchange.log_reading import LogRead, LogTimes, ZoneError, read_any, zone_named
from reditus.server.marker_schemas import MOST_AT_ONCE, DeviceKind

markers = typer.Typer(help="Markers: log lines, gaps with their reasons, remarks.", no_args_is_help=True)
Archive = Annotated[str, typer.Argument(help="Id, beginning of an id, or name of an archive.")]
LARGEST_BYTES = 256 << 20
MOST_REPORTED, PREVIEWED = 20, 20
KINDS: tuple[str, ...] = get_args(DeviceKind)


@markers.command("list")
def list_markers(
    archive: Archive,
    start: Annotated[str | None, typer.Option("--from", help="RFC 3339.")] = None,
    end: Annotated[str | None, typer.Option("--to", help="RFC 3339.")] = None,
    severity: Annotated[str, typer.Option("--severity", help="Lines as bad as this, or worse.")] = "debug",
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON.")] = False,
) -> None:
    """List what is marked in an archive."""
    _check_severity(severity)
    window = {key: value for key, value in (("from", start), ("to", end)) if value}
    with service(settings_of_environment(), anywhere=True) as running, Client(running.url, running.token) as client:
        found = client.markers(client.find_archive(archive)["id"], {**window, "severity": severity, "limit": "2000"})
    if as_json:
        print(json.dumps(found, indent=1))
        return
    for match in found["markers"]:
        at = match["at"][:23]
        what = (
            f"{match['severity'] or match['kind']:<13} {match['source']}: "
            if match["source"]
            else f"{match['kind']:<13} "
        )
        out.print(f"{at:<24}{what}{match['text']}", markup=False, highlight=False)
    if found["total"] > len(found["markers"]):
        out.print(
            f"{found['total'] - len(found['markers'])} more of lower severity; narrow it with --from, --to, --severity"
        )
    if not found["markers"]:
        out.print("Nothing is marked there.")


@markers.command("import")
def import_lines(
    archive: Archive,
    file: Annotated[Path, typer.Argument(help="Any text log; RFC 5424; or the journal's export format.")],
    severity: Annotated[str, typer.Option("--severity", help="Keep lines as bad as this, or worse.")] = "debug",
    zone: Annotated[
        str, typer.Option("--zone", help="Of times without one: UTC, or a place such as Europe/Berlin.")
    ] = "UTC",
    year: Annotated[
        int | None,
        typer.Option(
            "--year", min=1990, max=2199, help="Of the first line, where years are left out; else by the file's age."
        ),
    ] = None,
    boot: Annotated[
        str | None, typer.Option("--boot", help="When the machine started, RFC 3339, for the kernel's own times.")
    ] = None,
    preview: Annotated[bool, typer.Option("--preview", help="Show how lines are read, and keep none.")] = False,
    log: Annotated[str | None, typer.Option("--as", help="What the log is called; else as the file is.")] = None,
) -> None:
    """Keep a log's lines as markers of an archive. The same file again changes nothing."""
    _check_severity(severity)
    try:
        boot_ns = None if boot is None else parse_time(boot)
    except TimeError as why:
        raise Failure(f"--boot: {why}") from why
    lines = _read(file, LogTimes(_zone(zone), year, boot_ns)).lines
    if preview:
        for marker in lines.markers[:PREVIEWED]:
            words = (spell_bounded(marker.at_ns), f"{marker.severity:<13}", marker.source, marker.text)
            out.print(" ".join(filter(None, words)), markup=False, highlight=False)
        return
    for line, problem in lines.problems[:MOST_REPORTED]:
        err.print(f"{file}:{line}: {problem}" if line else f"{file}: {problem}", markup=False)
    if len(lines.problems) > MOST_REPORTED:
        err.print(f"{file}: and {len(lines.problems) - MOST_REPORTED} more", markup=False)
    worst = SEVERITIES.index(severity)
    wanted = [marker for marker in lines.markers if SEVERITIES.index(marker.severity or severity) <= worst]
    wanted = in_log(wanted, (log or file.name)[:MAX_LOG])
    with service(settings_of_environment(), anywhere=True) as running, Client(running.url, running.token) as client:
        found = client.find_archive(archive)
        for start in range(0, len(wanted), MOST_AT_ONCE):
            client.add_markers(found["id"], [marker_as_json(key) for key in wanted[start : start + MOST_AT_ONCE]])
    out.print(f"{len(wanted)} lines kept with {found['name']}.", markup=False)


@markers.command("note")
def note(
    archive: Archive,
    at: Annotated[str, typer.Argument(help="When: RFC 3339, as in 2026-11-12T09:00:00Z.")],
    text: Annotated[str, typer.Argument(help="The remark.")],
    until: Annotated[str | None, typer.Option("--until", help="The end of a stretch, RFC 3339.")] = None,
) -> None:
    """Put a remark at a time, or over a stretch."""
    with service(settings_of_environment(), anywhere=True) as running, Client(running.url, running.token) as client:
        found = client.find_archive(archive)
        client.add_markers(found["id"], [{"at": at, "end": until, "kind": "note", "text": text}])
    out.print(f"Noted with {found['name']}.", markup=False)


def name(
    archive: Archive,
    kind: Annotated[str, typer.Argument(help="core, disk, interface, filesystem, cgroup, sensor or log.")],
    device: Annotated[str, typer.Argument(help="As the machine calls it, such as sda.")],
    called: Annotated[str | None, typer.Argument(help="What people call it.")] = None,
    remove: Annotated[bool, typer.Option("--remove", help="Take the name away.")] = False,
) -> None:
    """Give a device of the archive's host a readable name, shown wherever the device is."""
    if kind not in KINDS:
        raise Failure(f"{kind!r} is no kind of device; there are {', '.join(KINDS)}")
    if (called is None) != remove:
        raise Failure("give a name, or --remove")
    with service(settings_of_environment(), anywhere=True) as running, Client(running.url, running.token) as client:
        found = client.find_archive(archive)
        client.name_device(found["id"], kind, device, called)
    host = found["host"]["name"]
    out.print(
        f"{device} of {host} is called {called!r} now."
        if called
        else f"{device} of {host} has no other name any more.",
        markup=False,
    )


def labelled(names: dict[str, dict[str, str]], measure: str, device: str | None) -> str:
    """A measure's device as people call it, with what the machine calls it."""
    called = names.get(_KIND_OF.get(measure.partition(".")[0], ""), {}).get(device or "")
    return f"{called} ({device})" if called else (device or "")


_KIND_OF = {"cpu": "core", "disk": "disk", "net": "interface"}


def _check_severity(severity: str) -> None:
    if severity not in SEVERITIES:
        raise Failure(f"--severity {severity!r} is none of {', '.join(SEVERITIES)}")


def _read(file: Path, times: LogTimes) -> LogRead:
    """How its times were recognised is said, and what of that is in doubt."""
    try:
        if file.stat().st_size > LARGEST_BYTES:
            raise Failure(f"{file} is larger than {LARGEST_BYTES >> 20} MiB; import it in parts")
        text, written_ns = file.read_bytes(), file.stat().st_mtime_ns
    except OSError as why:
        raise Failure(f"{file} cannot be read: {why.strerror}") from why
    try:
        found = read_any(text, times, written_ns)
    except ValueError as why:
        raise Failure(f"{file}: {why}") from why
    err.print(f"{file}: times as in {found.format}", markup=False, highlight=False)
    for doubt in found.doubts:
        err.print(f"  not sure: {doubt} (--zone, --year)", markup=False, highlight=False)
    return found


def _zone(name: str) -> ZoneInfo:
    try:
        return zone_named(name)
    except ZoneError as why:
        raise Failure(f"--zone {why}") from why
