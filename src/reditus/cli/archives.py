"""The life of archives on the command line."""

import json
from typing import Annotated, Any

import typer

from reditus.cli.client import Client
from reditus.cli.console import Failure, out
from reditus.cli.reports import show_archive
from reditus.cli.service import service, settings_of_environment
from reditus.core.durations import counted
from reditus.core.outside import terminal_text

archiving = typer.Typer(help="One archive: what it holds, notes, protection, trim, copy, delete.", no_args_is_help=True)
Archive = Annotated[str, typer.Argument(help="Id, beginning of an id, or name of an archive.")]
From = Annotated[str, typer.Option("--from", help="RFC 3339, as in 2026-11-12T09:00:00Z.")]
To = Annotated[str, typer.Option("--to", help="RFC 3339; not included.")]
AsJson = Annotated[bool, typer.Option("--json", help="Print JSON.")]


@archiving.command("show")
def show(archive: Archive, as_json: AsJson = False) -> None:
    """Coverage, gaps with their reasons, size, ticks and counters. A host's name shows all of its archives as one."""
    with service(settings_of_environment(), anywhere=True) as running, Client(running.url, running.token) as client:
        found = client.find_archive(archive)
        gaps = client.gaps(found["id"])
    if as_json:
        print(json.dumps(found | {"gaps": gaps}, indent=1))
    else:
        show_archive(found, gaps, out)


@archiving.command("note")
def note(
    archive: Archive, text: Annotated[str, typer.Argument(help="What to remember of it; takes the old notes' place.")]
) -> None:
    """Keep notes with an archive."""
    _describe(archive, {"notes": text}, "Noted with {name}.")


@archiving.command("rename")
def rename(archive: Archive, name: Annotated[str, typer.Argument(help="Its new name.")]) -> None:
    """Give an archive another name."""
    _describe(archive, {"name": name}, "It is called {name!r} now.")


@archiving.command("protect")
def protect(
    archive: Archive, off: Annotated[bool, typer.Option("--off", help="Take the protection away.")] = False
) -> None:
    """Protect an archive: nothing is removed from it."""
    _describe(
        archive,
        {"protected": not off},
        "Protection of {name} removed." if off else "Nothing is removed from {name} now.",
    )


@archiving.command("trim")
def trim(
    archive: Archive, start: From, end: To, yes: Annotated[bool, typer.Option("--yes", help="Do not ask.")] = False
) -> None:
    """Keep a stretch, and remove what lies outside. That cannot be taken back."""
    with service(settings_of_environment(), anywhere=True) as running, Client(running.url, running.token) as client:
        found = client.find_archive(archive)
        _confirm(yes, f"Remove everything of {found['name']!r} outside {start} to {end}, for good?")
        removed = client.trim(found["id"], start, end)["removed_ticks"]
    out.print(f"{removed:,} readings removed.", markup=False)


@archiving.command("copy")
def copy(
    archive: Annotated[str, typer.Argument(help="An archive, or a host: all its archives as one.")],
    start: From,
    end: To,
    name: Annotated[str, typer.Option("--name", help="Name of the copy.")],
) -> None:
    """Copy a stretch to an archive of its own, which no plan expires."""
    with service(settings_of_environment(), anywhere=True) as running, Client(running.url, running.token) as client:
        fresh = client.copy_stretch(client.find_archive(archive)["id"], start, end, name)
    out.print(f"Archive {fresh['id'][:8]}: {counted(fresh['ticks'], 'tick')}.", markup=False)


@archiving.command("delete")
def delete(archive: Archive, yes: Annotated[bool, typer.Option("--yes", help="Do not ask.")] = False) -> None:
    """Delete an archive. For about a minute that can be taken back."""
    with service(settings_of_environment(), anywhere=True) as running, Client(running.url, running.token) as client:
        found = client.find_archive(archive)
        _confirm(yes, f"Delete {found['name']!r} of {found['host']['name']}, {counted(found['ticks'], 'tick')}?")
        client.delete_archive(found["id"])
    out.print(f"Deleted. For about a minute: ./reditus archive restore {found['id'][:8]}", markup=False)


@archiving.command("restore")
def restore(archive: Archive) -> None:
    """Take a deletion back."""
    with service(settings_of_environment(), anywhere=True) as running, Client(running.url, running.token) as client:
        found = client.find_archive(archive)
        client.restore_archive(found["id"])
    out.print(f"{found['name']} is there again.", markup=False)


def _describe(archive: str, changes: dict[str, Any], says: str) -> None:
    with service(settings_of_environment(), anywhere=True) as running, Client(running.url, running.token) as client:
        found = client.describe(client.find_archive(archive)["id"], changes)
    out.print(says.format(name=found["name"]), markup=False)


def _confirm(yes: bool, question: str) -> None:
    if not yes and not typer.confirm(terminal_text(question)):
        raise Failure("nothing was removed")
