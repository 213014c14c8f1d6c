"""`reditus check`: read and verify everything, and say what to restore."""

import json
from typing import Annotated, Any

import typer

from reditus.cli.client import Client
from reditus.cli.console import Failure, err, out, step
from reditus.cli.service import service, settings_of_environment

REMEDY = "Restore the database from a backup (docs/operation.md, Restoring); everything else stays readable meanwhile."


def check(
    archive: Annotated[
        str | None, typer.Argument(help="Id, beginning of an id, or name of an archive or host; else everything.")
    ] = None,
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON.")] = False,
) -> None:
    """Verify every block, checksum and table on demand. Ends with 1 where something is damaged."""
    with service(settings_of_environment(), anywhere=True) as running, Client(running.url, running.token) as client:
        wanted = _archives(client, archive)
        checked = size_bytes = 0
        flaws: list[dict[str, Any]] = []
        for key in wanted:
            with step(f"{key['host']['name']}: {key['name']}"):
                blocks, read_bytes = _check_archive(client, key["id"])
            checked, size_bytes = checked + blocks, size_bytes + read_bytes
            flaws += [{**flaw, "archive": key["id"]} for flaw in client.check_rollups(key["id"])]
        if archive is None:
            with step("All other tables"):
                flaws += client.check_tables()
        ids = {key["id"] for key in wanted}
        damage = [item for item in client.damage(None) if item["archive"] in ids]
    if as_json:
        print(json.dumps({"checked": checked, "size_bytes": size_bytes, "damage": damage, "flaws": flaws}, indent=1))
    else:
        _show(checked, size_bytes, len(wanted), damage, flaws)
    if damage or flaws:
        raise typer.Exit(1)


def _archives(client: Client, wanted: str | None) -> list[dict[str, Any]]:
    every = client.archives()
    if wanted is None:
        return every
    found = client.find_archive(wanted)
    alike = [entry for entry in every if entry["id"] == found["id"] or entry["host"]["id"] == found["id"]]
    if not alike:
        raise Failure(f"{wanted!r} has no archive to check")
    return alike


def _check_archive(client: Client, archive_id: str) -> tuple[int, int]:
    """Blocks that were read, and their bytes."""
    place: dict[str, Any] | None = {}
    checked = size_bytes = 0
    while place is not None:
        found = client.check_part(archive_id, place)
        checked, size_bytes = checked + found["checked"], size_bytes + found["size_bytes"]
        place = found["next"]
    return checked, size_bytes


def _show(
    checked: int, size_bytes: int, archives: int, damage: list[dict[str, Any]], flaws: list[dict[str, Any]]
) -> None:
    for item in damage:
        what = "all columns" if item["columns"] is None else f"{item['columns']} columns"
        out.print(
            f"DAMAGED {item['host']}: {item['archive_name']}, {item['start']} to {item['end']}, {what} of "
            f"{item['group']}: {item['reason']}",
            markup=False,
        )
    for flaw in flaws:
        out.print(f"DAMAGED {flaw['where']}: {flaw['reason']}. {flaw['remedy'].capitalize()}.", markup=False)
    what = f"{checked:,} blocks ({size_bytes / 1e6:,.1f} MB) of {archives} archives read and decoded"
    if not damage and not flaws:
        out.print(f"{what}: all as it was written.")
    elif damage:
        err.print(f"{what}. {REMEDY}", markup=False)
