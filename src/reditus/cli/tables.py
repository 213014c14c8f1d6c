"""`export`: measures of an archive as a file in an open format."""

from pathlib import Path
from typing import Annotated

import typer

from reditus.cli.client import Client
from reditus.cli.console import Failure, out
from reditus.cli.service import service, settings_of_environment
from reditus.exchange.formats import Writes, by_ending, endings


def export_table(
    archive: Annotated[str, typer.Argument(help="Id, beginning of an id, or name of an archive.")],
    file: Annotated[Path, typer.Argument(help=f"To write; its ending says how: {', '.join(endings())}.")],
    measures: Annotated[
        list[str] | None,
        typer.Argument(help="NAME, NAME@DEVICE, or NAME@* for every device; the page lists them. None for an archive."),
    ] = None,
    start: Annotated[str | None, typer.Option("--from", help="RFC 3339; else the archive's beginning.")] = None,
    end: Annotated[str | None, typer.Option("--to", help="RFC 3339; else the archive's end.")] = None,
) -> None:
    """Write measures tick by tick, or, without any, the whole archive; the ending of the file says how."""
    form = by_ending(file.name)
    if form is None:
        raise Failure(f"{file}: the name has to end in one of {', '.join(endings())}, which says what is written")
    whole = form.writes is Writes.ARCHIVE
    if whole and measures:
        raise Failure(f"{form.title} holds whole archives; leave the measures out, or name the file otherwise")
    if not whole and not measures:
        raise Failure(f"which measures? {form.title} holds those that are named; `archive.zip` files hold everything")
    with service(settings_of_environment(), anywhere=True) as running, Client(running.url, running.token) as client:
        found = client.find_archive(archive)
        query = {"measure": measures, "format": form.name, "from": start, "to": end}
        path = f"/api/archives/{found['id']}/{'file' if whole else 'table'}"
        size = client.download(path, {key: value for key, value in query.items() if value}, file)
    out.print(f"{file}: {size:,} bytes", markup=False, highlight=False)
