"""The commands."""

import json
import logging
import os
import sys
import time
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from datetime import UTC, datetime
from pathlib import Path
from typing import Annotated
from uuid import UUID

import structlog
import typer

from reditus.cli.archives import archiving
from reditus.cli.backups import backup, restore
from reditus.cli.captures import capture_of
from reditus.cli.check import check
from reditus.cli.child_processes import Child
from reditus.cli.client import Client
from reditus.cli.comparison import compare_windows
from reditus.cli.console import Failure, err, out, say, step
from reditus.cli.imports import import_file
from reditus.cli.investigations import investigating
from reditus.cli.markers import markers, name
from reditus.cli.plans import check_plan_exists, direct, planning, recorders
from reditus.cli.reports import counter_as_json, holds, show_archives, show_counters, show_diagnosis
from reditus.cli.service import Service, service, settings_of_environment
from reditus.cli.tables import export_table
from reditus.cli.verdicts import verdict
from reditus.cli.watch import live_lines, past_lines
from reditus.cli.weeks import weeks_of_host
from reditus.core.binning import MAX_BINS
from reditus.core.blocks import MAX_INTERVAL_NS, MIN_INTERVAL_NS
from reditus.core.counters import COUNTERS
from reditus.core.diagnosis import diagnose as judge
from reditus.core.diagnosis.contributors import contributors_to, is_attributed, named_contributors
from reditus.core.durations import counted, parse_duration
from reditus.core.errors import UnknownMeasure, WindowError
from reditus.core.rfc3339 import TimeError, spell_time
from reditus.core.types import NS_PER_MS, NS_PER_S
from reditus.core.window import parse_window
from reditus.exchange import field_script
from reditus.recorder.stopping import StopSwitch, handling
from reditus.server.schemas import DiagnosisOut

app = typer.Typer(
    name="reditus",
    help="Record a machine's counters, replay them, and be reported what ran out.",
    no_args_is_help=True,
    pretty_exceptions_enable=False,
    add_completion=False,
)
LIVE_NAME = "this machine"
WATCH_EVERY_S = 2.0
RECORDER_LOOK_S = 0.5


def main() -> None:
    """Run the command line; a Failure is one line and exit code 2."""
    structlog.configure(
        wrapper_class=structlog.make_filtering_bound_logger(logging.WARNING),
        logger_factory=structlog.PrintLoggerFactory(sys.stderr),
    )
    try:
        app()
    except Failure as why:
        err.print(f"reditus: {why}", markup=False)
        sys.exit(2)


@app.command()
def demo() -> None:
    """Start everything: database, server, the made-up lab of Fernhold, and a recording of this machine."""
    from reditus.exchange.simulated import SimulatedArchive
    from reditus.simulator import fernhold, sample  # SciPy takes a second or two; no other command should wait for it

    with service(settings_of_environment()) as running:
        if not running.owned:
            out.print(f"Reditus is running already at {running.url}")
            return
        with step("Beginning to record this machine"):
            arguments = recorder_arguments(running, name=LIVE_NAME, every="1s")
            running.children["recorder"] = Child("reditus.recorder", arguments, log=running.logs / "recorder.log")
        every = [SimulatedArchive.of(registration) for registration in (*fernhold.ARCHIVES, *fernhold.EARLIER)]
        with Client(running.url, running.token) as client:
            titles = [
                f"Fernhold, {number} of {len(every)}: {own['host']['name']}, {own['name']}"
                for number, own in enumerate((archive.registration for archive in every), 1)
            ]
            with step(titles[0]):
                client.load(every[0])

            def load_others(stopped: Callable[[], bool]) -> None:
                for archive, title in zip(every[1:], titles[1:], strict=True):
                    if not stopped():
                        with step(title):
                            client.load(archive, stopped)
                    if not stopped() and archive.archive == fernhold.SWAPPED.scenario.archive:
                        with step("Fernhold: a finished investigation of leafdb"):
                            own = archive.archive
                            client.load_investigation(
                                str(sample.INVESTIGATION), sample.fields(own), sample.exhibits(own)
                            )

            # The story begins with the first; who reads it need not wait for the others.
            _announce_and_wait(running, _story(every[0].archive), load_others)


@app.command()
def serve() -> None:
    """Start the database and the server, and nothing else."""
    with service(settings_of_environment()) as running:
        if not running.owned:
            out.print(f"Reditus is running already at {running.url}")
            return
        _announce_and_wait(running)


@app.command()
def record(
    duration: Annotated[str | None, typer.Option("--for", help="How long, as in 60s or 2h; else until Ctrl-C.")] = None,
    every: Annotated[str, typer.Option("--every", help="Interval, 100ms to 1h.")] = "1s",
    name: Annotated[
        str | None, typer.Option("--name", help="Name of the archive; the same name goes on with it.")
    ] = None,
    plan: Annotated[str | None, typer.Option("--plan", help="Follow this plan instead of --every.")] = None,
    logs: Annotated[
        list[Path] | None,
        typer.Option("--log", help="Keep what is appended to this file: RFC 5424 or journal export."),
    ] = None,
) -> None:
    """Record this machine into an archive."""
    _check_interval(every)
    if duration is not None and _duration(duration, "--for") <= 0:
        raise Failure("--for 0 would record nothing; give a length such as 60s")
    title = name or datetime.now(UTC).strftime("recorded %Y-%m-%d %H:%M:%S")
    if not 0 < len(title.strip()) <= 120 or not title.isprintable():
        raise Failure(f"--name {title!r} is not a printable text of 1 to 120 characters")
    with service(settings_of_environment(), anywhere=True) as running:
        arguments = recorder_arguments(running, name=title, every=every)
        if plan is not None:
            with Client(running.url, running.token) as client:
                check_plan_exists(client, plan)
            arguments += ["--plan", plan]
        for log in logs or []:
            arguments += ["--log", str(log.absolute())]
        out.print(f"Recording this machine as {title!r}" + (f" for {duration}." if duration else ". Ctrl-C ends it."))
        code = _recorded(running, arguments, None if duration is None else _duration(duration, "--for"))
        if code:
            raise Failure(f"the recorder ended with {code}")
        with Client(running.url, running.token) as client:
            archive = client.find_archive(title)
            out.print(
                f"Archive {archive['id'][:8]}: {counted(archive['ticks'], 'tick')}. "
                f"`./reditus diagnose {archive['id'][:8]}`"
            )


@app.command()
def archives(as_json: Annotated[bool, typer.Option("--json", help="Print JSON.")] = False) -> None:
    """List what there is."""
    with service(settings_of_environment(), anywhere=True) as running, Client(running.url, running.token) as client:
        every = client.archives()
        if as_json:
            print(json.dumps(every, indent=1))
        else:
            show_archives(every, out)


@app.command()
def counters(
    search: Annotated[
        str | None, typer.Option("--search", help="Only those whose name, title or help holds this.")
    ] = None,
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON.")] = False,
) -> None:
    """List every counter that is recorded: name, unit, kind, what it means, and where it comes from."""
    found = [item for item in COUNTERS.values() if search is None or holds(item, search)]
    if not found:
        raise Failure(f"no counter's name, title or help holds {search!r}; without --search all are listed")
    if as_json:
        print(json.dumps([counter_as_json(match) for match in found], indent=1))
    else:
        show_counters(found, out)


@app.command()
def watch(
    names: Annotated[
        list[str],
        typer.Argument(help="Measures: NAME, NAME@DEVICE, NAME@* for every device; or counters, as in system.disk.io."),
    ],
    every: Annotated[str, typer.Option("--every", help="Interval, 100ms to 1h.")] = "1s",
    count: Annotated[int | None, typer.Option("--count", min=1, help="How many lines; else until Ctrl-C.")] = None,
    archive: Annotated[
        str | None, typer.Option("--archive", help="Print an archive's past instead of this machine.")
    ] = None,
    start: Annotated[str | None, typer.Option("--from", help="RFC 3339, with --archive.")] = None,
    end: Annotated[str | None, typer.Option("--to", help="RFC 3339, with --archive.")] = None,
) -> None:
    """Print measures as columns: of this machine as it goes, or of an archive's past."""
    _check_interval(every)
    if archive is None and (start or end):
        raise Failure("--from and --to belong to the past; say which with --archive")
    if archive is None:
        lines = live_lines(names, _duration(every, "--every"), count)
    else:
        with service(settings_of_environment(), anywhere=True) as running, Client(running.url, running.token) as client:
            found = client.find_archive(archive)
            window = {key: value for key, value in (("from", start), ("to", end)) if value}
            lines = past_lines(client.series(found["id"], names, window, MAX_BINS), count, client.names(found["id"]))
    try:
        for line in lines:
            say(line)
    except UnknownMeasure as why:
        raise Failure(str(why)) from why
    except KeyboardInterrupt:
        return


app.add_typer(archiving, name="archive")
app.add_typer(planning, name="plan")
app.add_typer(markers, name="markers")
app.add_typer(investigating, name="investigation")
app.command()(name)
app.command()(verdict)
app.command("compare")(compare_windows)
app.command("export")(export_table)
app.command("import")(import_file)
app.command()(backup)
app.command()(restore)
app.command("weeks")(weeks_of_host)
app.add_typer(recorders, name="recorders")
app.command()(check)
app.command()(direct)


@app.command("field-script")
def print_field_script() -> None:
    """Print a shell script that captures raw kernel text where nothing may be installed."""
    print(field_script(), end="")


@app.command()
def diagnose(
    archive: Annotated[str, typer.Argument(help="Id, beginning of an id, or name of an archive; or a field capture.")],
    start: Annotated[str | None, typer.Option("--from", help="RFC 3339, as in 2026-11-12T09:00:00Z.")] = None,
    end: Annotated[str | None, typer.Option("--to", help="RFC 3339.")] = None,
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON.")] = False,
) -> None:
    """Say what ran out, since when, and what only looks like it."""
    if Path(archive).is_file():
        _diagnose_file(Path(archive), start, end, as_json=as_json)
        return
    window = {key: value for key, value in (("from", start), ("to", end)) if value}
    with service(settings_of_environment(), anywhere=True) as running, Client(running.url, running.token) as client:
        found = client.find_archive(archive)
        diagnosis = client.diagnosis(found["id"], window)
        if as_json:
            print(json.dumps(diagnosis, indent=1))
        else:
            show_diagnosis(found, diagnosis, out, client.names(found["id"]))


@app.command(add_help_option=False, context_settings={"allow_extra_args": True, "ignore_unknown_options": True})
def test() -> None:
    """Run every check and test of the project (`./reditus test [PYTEST ARGUMENTS]`)."""
    raise Failure("`test` is run by the start script: ./reditus test")


def _diagnose_file(file: Path, start: str | None, end: str | None, *, as_json: bool) -> None:
    """Judge a field capture directly: no server, no database."""
    recording = capture_of(file, None).recording
    try:
        extent = recording.window()
        window = parse_window(start, end, (extent.start_ns, extent.end_ns))
    except (WindowError, TimeError) as why:
        raise Failure(f"{file}: {why}") from why
    frame = recording.frame()
    diagnosis = judge(frame, window)
    names = {(item.pid, item.start): item.name for item in recording.identities}
    processes = {
        finding.id: named_contributors(contributors_to(frame, finding), names)
        for finding in diagnosis.findings
        if recording.identities and is_attributed(finding.kind)
    }
    judged = DiagnosisOut.of(recording.host_name, diagnosis, processes).model_dump(mode="json", by_alias=True)
    if as_json:
        print(json.dumps(judged, indent=1))
    else:
        show_diagnosis({"name": recording.name}, judged, out)


def recorder_arguments(running: Service, *, name: str, every: str) -> list[str]:
    """Options of a recorder that runs under this command."""
    # The settings of a recorder that runs as a service are not those of one that runs under this command.
    own = ["--config", os.devnull]
    return [*own, "--server", running.url, "--spool", str(running.spool), "--name", name, "--every", every]


def _story(archive: UUID) -> str:
    """Where the made-up story begins, as a place of the page."""
    from reditus.simulator import fernhold

    begin_ns = fernhold.MIDNIGHT_NS + round(fernhold.STORY_BEGINS_S * NS_PER_S)
    end_ns = begin_ns + round(fernhold.STORY_SHOWS_S * NS_PER_S)
    return f"/archives/{archive}?from={spell_time(begin_ns)}&to={spell_time(end_ns)}"


def _announce_and_wait(
    running: Service, place: str = "", meanwhile: Callable[[Callable[[], bool]], None] | None = None
) -> None:
    """Say where it is, and wait for the end. `meanwhile` is called with what says whether to stop."""
    switch = StopSwitch()
    with handling(switch.take), ThreadPoolExecutor(1) as aside:
        out.print(f"\nReditus is at  [bold]{running.url}{place}[/bold]\nCtrl-C stops everything.")
        if meanwhile is not None:
            aside.submit(meanwhile, switch.is_set).add_done_callback(_report)
        while not switch.wait(WATCH_EVERY_S):
            running.restart_dead_children()
        err.print("\n· Stopping")


def _report(done: "Future[None]") -> None:
    why = done.exception()
    if why is not None:
        err.print(f"reditus: {why}", markup=False)


def _recorded(running: Service, arguments: list[str], for_ns: int | None) -> int:
    """Run a recorder to its end, and start it again if it is killed. Return its exit code."""
    switch = StopSwitch()
    end_s = None if for_ns is None else time.monotonic() + for_ns / NS_PER_S
    with handling(switch.take):
        first = [] if for_ns is None else ["--for", f"{for_ns // NS_PER_MS}ms"]
        recorder = Child("reditus.recorder", [*arguments, *first])
        while True:
            stopped = switch.wait(RECORDER_LOOK_S)
            if stopped:
                return recorder.stop()
            if recorder.ended is None:
                running.restart_dead_children()
                continue
            if recorder.ended >= 0 or (end_s is not None and time.monotonic() >= end_s):
                return recorder.ended
            err.print(f"· The recorder was ended by signal {-recorder.ended}; starting it again.")
            recorder = Child("reditus.recorder", [*arguments, *_for(end_s)])


def _for(end_s: float | None) -> list[str]:
    return [] if end_s is None else ["--for", f"{max(round((end_s - time.monotonic()) * 1000), 100)}ms"]


def _duration(text: str, option: str) -> int:
    try:
        return parse_duration(text)
    except ValueError as why:
        raise Failure(f"{option}: {why}") from why


def _check_interval(text: str) -> None:
    if not MIN_INTERVAL_NS <= _duration(text, "--every") <= MAX_INTERVAL_NS:
        raise Failure(f"--every {text}: an interval is 100ms to 1h")
