"""`export`: measures of an archive as a file in an open format."""

from pathlib import Path
from typing import Annotated

import typer

from reditus.cli.client import Client
from reditus.cli.console import Failure, out
from reditus.cli.service import service, settings_of_environment

ENDINGS = {
    ".long.csv": "csv-long", ".csv": "csv", ".jsonl": "jsonl", ".ndjson": "jsonl", ".arrows": "arrow",
    ".parquet": "parquet",
}  # fmt: skip
"""The longest first."""


def export_table(
    archive: Annotated[str, typer.Argument(help="Id, beginning of an id, or name of an archive.")],
    file: Annotated[Path, typer.Argument(help=f"To write; its ending says how: {', '.join(ENDINGS)}.")],
    measures: Annotated[
        list[str],
        typer.Argument(help="NAME, NAME@DEVICE, or NAME@* for every device; the page lists them."),
    ],
    start: Annotated[str | None, typer.Option("--from", help="RFC 3339; else the archive's beginning.")] = None,
    end: Annotated[str | None, typer.Option("--to", help="RFC 3339; else the archive's end.")] = None,
) -> None:
    """Write measures tick by tick: as CSV, JSON lines, an Arrow IPC stream, or Parquet."""
    form = next((form for ending, form in ENDINGS.items() if file.name.lower().endswith(ending)), None)
    if form is None:
        raise Failure(f"{file}: the name has to end in one of {', '.join(ENDINGS)}, which says what is written")
    with service(settings_of_environment(), anywhere=True) as running, Client(running.url, running.token) as client:
        found = client.find_archive(archive)
        query = {"measure": measures, "format": form, "from": start, "to": end}
        path = f"/api/archives/{found['id']}/table"
        size = client.download(path, {key: value for key, value in query.items() if value}, file)
    out.print(f"{file}: {size:,} bytes", markup=False, highlight=False)
