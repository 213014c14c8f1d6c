"""Plans and recorders on the command line."""

import json
import sys
from pathlib import Path
from typing import Annotated, Any

import typer
from rich.table import Table
from rich.text import Text

from reditus.cli.client import Client
from reditus.cli.console import Failure, out
from reditus.cli.service import service, settings_of_environment
from reditus.core.batches import read_batch
from reditus.core.durations import counted, parse_duration, spell_duration
from reditus.core.errors import BlockError
from reditus.core.outside import OutsideError, strict_json
from reditus.core.plan import Plan, PlanError
from reditus.core.types import NS_PER_S

planning = typer.Typer(
    help="Plans: what recorders record, how often, when, and how long it is kept.", no_args_is_help=True
)
AsJson = Annotated[bool, typer.Option("--json", help="Print JSON.")]


@planning.command("list")
def list_plans(as_json: AsJson = False) -> None:
    """List the plans, and who follows them."""
    with service(settings_of_environment(), anywhere=True) as running, Client(running.url, running.token) as client:
        every = client.plans()
    if as_json:
        print(json.dumps(every, indent=1))
        return
    for entry in every:
        content = entry["plan"]
        keep = f"kept {content['keep']}" if content.get("keep") else "kept for ever"
        followers = ", ".join(entry["recorders"]) or "no recorder follows it"
        out.print(f"{entry['name']}: every {content.get('every', '1s')}, {keep}; {followers}", markup=False)
    if not every:
        out.print("No plans yet. `./reditus plan put FILE` makes one; docs/plans.md says what may stand in it.")


@planning.command("show")
def show_plan(name: Annotated[str, typer.Argument(help="Its name.")]) -> None:
    """Print a plan as JSON, ready to be changed and put back."""
    with service(settings_of_environment(), anywhere=True) as running, Client(running.url, running.token) as client:
        print(json.dumps(_plan(client, name)["plan"], indent=1))


@planning.command("put")
def put_plan(file: Annotated[Path, typer.Argument(help="JSON; - reads the standard input.")]) -> None:
    """Make or change a plan. Recorders that follow it do so within seconds."""
    plan = _read(file)
    with service(settings_of_environment(), anywhere=True) as running, Client(running.url, running.token) as client:
        kept = client.put_plan(plan.source)
        out.print(f"Plan {kept['name']!r} is kept; {len(kept['recorders'])} recorders follow it.", markup=False)


@planning.command("remove")
def remove_plan(name: Annotated[str, typer.Argument(help="Its name.")]) -> None:
    """Remove a plan that no recorder follows."""
    with service(settings_of_environment(), anywhere=True) as running, Client(running.url, running.token) as client:
        client.remove_plan(name)
        out.print(f"Plan {name!r} is removed.", markup=False)


recorders = typer.Typer(help="Recorders: what they do, what they missed, what they cost.", invoke_without_command=True)


@recorders.callback()
def list_recorders(context: typer.Context, as_json: AsJson = False) -> None:
    """List the recorders: what they do, what they missed, what they cost. `show` says more of one."""
    if context.invoked_subcommand is not None:
        return
    with service(settings_of_environment(), anywhere=True) as running, Client(running.url, running.token) as client:
        every = client.recorders()
    if as_json:
        print(json.dumps(every, indent=1))
        return
    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0))
    for title in ("recorder", "host", "name", "plan", "state", "last tick"):
        table.add_column(title, no_wrap=True)
    for title in ("every", "ticks", "missed", "late", "cost", "memory", "spool"):
        table.add_column(title, justify="right", no_wrap=True)
    for entry in every:
        report = entry["report"]
        table.add_row(
            entry["id"][:8],
            Text(entry["host"]["name"]),
            Text(entry["name"]),
            Text(entry["plan"] or "–"),
            entry["state"],
            _clock(report["last_tick"]),
            "–" if report["interval_s"] is None else spell_duration(report["interval_s"]),
            f"{report['ticks']:,}",
            f"{report['missed']:,}",
            "–" if report["late_s"] is None else f"{1_000 * report['late_s']:.1f} ms",
            "–" if report["cost_share"] is None else f"{report['cost_share']:.2%}",
            f"{report['memory_bytes'] / (1 << 20):.0f} MiB",
            f"{report['spool_bytes'] / max(report['spool_limit_bytes'], 1):.0%}",
        )
    out.print(table if every else "No recorder has reported yet. `./reditus record` starts one.")
    for item in every:
        for why, ticks in item["report"]["missed_why"].items():
            out.print(f"{item['name']}: {counted(ticks, 'tick')} missed: {why}", markup=False)
        for gap in item["report"]["dropped"]:
            span = f"{_clock(gap['start'])} to {_clock(gap['end'])}"
            out.print(f"{item['name']}: nothing from {span}: {gap['reason']}", markup=False)
        if item["report"]["aside"]:
            many = len(item["report"]["aside"])
            out.print(f"{item['name']}: {many} batches laid aside; `recorders show {item['id'][:8]}`", markup=False)


@recorders.command("show")
def show_recorder(
    recorder: Annotated[str, typer.Argument(help="Name, id, or beginning of an id.")], as_json: AsJson = False
) -> None:
    """Everything that a recorder reports, and what the server would not take of what it sent."""
    with service(settings_of_environment(), anywhere=True) as running, Client(running.url, running.token) as client:
        one = client.find_recorder(recorder)
    if as_json:
        print(json.dumps(one, indent=1))
        return
    report = one["report"]
    out.print(
        f"{one['host']['name']}: {one['name']}, {one['state']}, last tick {_clock(report['last_tick'])}",
        markup=False,
    )
    spooled = f"{report['spool_bytes']:,} of {report['spool_limit_bytes']:,} bytes"
    trouble = f"; its disk: {report['spool_trouble']}" if report["spool_trouble"] else ""
    out.print(f"spool {spooled}{trouble}", markup=False)
    for path, why in sorted(report["unreadable"].items()):
        out.print(f"not readable: {path}: {why}", markup=False)
    for gap in report["dropped"]:
        out.print(f"nothing from {_clock(gap['start'])} to {_clock(gap['end'])}: {gap['reason']}", markup=False)
    if not report["aside"]:
        out.print("Nothing is laid aside: the server took all that was sent.")
    for laid in report["aside"]:
        span = f"{_clock(laid['start'])} to {_clock(laid['end'])}" if laid["start"] else "of an unknown time"
        out.print(f"laid aside: {laid['size_bytes']:,} bytes, {span}: {laid['reason']}", markup=False)
        out.print(f"  {laid['file']}{_contents(Path(laid['file']))}", markup=False)


def _contents(file: Path) -> str:
    """What a batch that was laid aside holds, where its file is on this machine."""
    try:
        batch = read_batch(file.read_bytes())
    except OSError:
        return " (on the recorder's own machine)"
    except BlockError as why:
        return f": it cannot be read: {why}"
    ticks = sum(block.ticks for block in batch.blocks)
    processes = sum(len(identity.processes) for identity in batch.identities)
    markers = sum(len(marker.markers) for marker in batch.markers)
    parts = (counted(len(batch.blocks), "block"), counted(ticks, "tick"), counted(markers, "marker"))
    return f": {', '.join(parts)}, {processes} {'process' if processes == 1 else 'processes'}"


def direct(
    recorder: Annotated[str, typer.Argument(help="Name, id, or beginning of an id.")],
    plan: Annotated[str | None, typer.Option("--plan", help="Follow this plan; `none`: as it was started.")] = None,
    stop: Annotated[bool, typer.Option("--stop", help="Record nothing until resumed.")] = False,
    resume: Annotated[bool, typer.Option("--resume", help="Record again.")] = False,
    burst: Annotated[str | None, typer.Option("--burst", help="Sample faster for so long; 0s ends it.")] = None,
) -> None:
    """Tell a recorder what to do; it hears of it within seconds."""
    if stop and resume:
        raise Failure("--stop and --resume contradict each other")
    orders: dict[str, Any] = {}
    if plan is not None:
        orders["plan"] = None if plan == "none" else plan
    if stop or resume:
        orders["recording"] = resume
    if burst is not None:
        try:
            orders["burst_s"] = parse_duration(burst) / NS_PER_S
        except ValueError as why:
            raise Failure(f"--burst: {why}") from why
    if not orders:
        raise Failure("say what it is to do: --plan, --stop, --resume or --burst")
    with service(settings_of_environment(), anywhere=True) as running, Client(running.url, running.token) as client:
        found = client.find_recorder(recorder)
        content = client.direct(found["id"], orders)
        doing = "records" if content["recording"] else "is to stop"
        out.print(
            f"{content['name']}: {doing}, {'plan ' + content['plan'] if content['plan'] else 'no plan'}.", markup=False
        )


def check_plan_exists(client: Client, name: str) -> None:
    """Raise Failure, naming those that there are."""
    _plan(client, name)


def _plan(client: Client, name: str) -> dict[str, Any]:
    every = client.plans()
    for entry in every:
        if entry["name"] == name:
            return entry
    there = ", ".join(repr(entry["name"]) for entry in every) or "none yet"
    raise Failure(f"no plan is called {name!r}. There are: {there}")


def _read(file: Path) -> Plan:
    try:
        text = sys.stdin.read() if str(file) == "-" else file.read_text(encoding="utf-8")
        return Plan.from_json(strict_json(text))
    except (OSError, UnicodeDecodeError) as why:
        raise Failure(f"{file} cannot be read: {why}") from why
    except OutsideError as why:
        raise Failure(f"{file} cannot be taken: {why}") from why
    except PlanError as why:
        reasons = "\n".join(f"  {where}: {what}" for where, what in why.problems)
        raise Failure(f"{file} is no plan that can be followed:\n{reasons}") from why


def _clock(at: str | None) -> str:
    return "–" if at is None else at.replace("T", " ")[:19] + "Z"
