"""`import`: any file that can be read, sent to the server and followed until it is in an archive."""

import json
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Annotated, Any
from uuid import uuid4

import typer
from rich.progress import BarColumn, Progress, TextColumn

from reditus.cli.captures import capture_of
from reditus.cli.client import Client
from reditus.cli.console import Failure, err, out
from reditus.cli.service import service, settings_of_environment
from reditus.core.durations import counted
from reditus.exchange.formats import endings

PART_BYTES = 16 << 20
LOOK_S = 0.2
MOST_SHOWN, CELLS = 40, 4
ENDED = ("done", "failed", "cancelled")


def import_file(
    file: Annotated[
        Path, typer.Argument(help=f"To read: {', '.join(endings(reads=True))}, or anybody's table of text.")
    ],
    name: Annotated[str | None, typer.Option("--name", help="Name of the archive; else the file's.")] = None,
    host: Annotated[str | None, typer.Option("--host", help="Whose a table is; else its own name.")] = None,
    mapping: Annotated[
        Path | None,
        typer.Option("--mapping", help="JSON that says what a table's columns mean; else they are guessed."),
    ] = None,
    layout: Annotated[
        Path | None, typer.Option("--layout", help="JSON that says how printed text is laid out; else it is guessed.")
    ] = None,
    look: Annotated[
        bool,
        typer.Option("--look", help="Print how a text would be read, as JSON for these two; read nothing."),
    ] = False,
) -> None:
    """Turn a file into an archive. The same file read the same way again is the same archive."""
    if not look and mapping is None and layout is None and host is None and _is_capture(file):
        _import_capture(file, name)
        return
    options = {"name": name, "host": host, "mapping": None if mapping is None else _json(mapping)} | {
        "layout": None if layout is None else _json(layout)
    }
    with service(settings_of_environment(), anywhere=True) as running, Client(running.url, running.token) as client:
        wanted = _send(client, file)
        if look:
            seen = client.look_at_import(wanted, options["mapping"], options["layout"])
            client.remove_import(wanted)
            _say_doubts(seen)
            print(json.dumps(seen["mapping"] or seen["layout"], indent=1))
            return
        try:
            client.start_import(wanted, {key: value for key, value in options.items() if value is not None})
        except Failure:
            client.remove_import(wanted)
            raise
        item = _follow(client, wanted)
        client.remove_import(wanted)
        for remark in item["remarks"]:
            err.print(f"{file}: {remark}", markup=False)
        if item["state"] != "done":
            raise Failure(f"{file}: {item['problem'] or 'cancelled'}")
        found = client.find_archive(item["archive"])
        out.print(
            f"{found['name']} of {found['host']['name']} imported: {counted(item['ticks'], 'tick')}.", markup=False
        )
        out.print(f"`./reditus diagnose {found['id'][:8]}`")


def _is_capture(file: Path) -> bool:
    from reditus.exchange.incoming.mapping import MappingError
    from reditus.exchange.incoming.readers import recognised

    try:
        return recognised(file, file.name) == "capture"
    except OSError as why:
        raise Failure(f"{file} cannot be read: {why.strerror}") from why
    except MappingError as why:
        raise Failure(f"{file}: {why}") from why


def _import_capture(file: Path, name: str | None) -> None:
    capture = capture_of(file, name)
    with service(settings_of_environment(), anywhere=True) as running, Client(running.url, running.token) as client:
        recording = capture.recording
        fresh = client.load(recording)
        found = client.find_archive(str(recording.archive))
        what = "imported" if fresh else "was here already"
        out.print(
            f"{found['name']} of {recording.host_name} {what}: {counted(found['ticks'], 'tick')}, "
            f"{counted(found['columns'], 'counter')}."
        )
        out.print(f"`./reditus diagnose {found['id'][:8]}`")


def _json(path: Path) -> Any:
    try:
        return json.loads(path.read_text())
    except OSError as why:
        raise Failure(f"{path} cannot be read: {why.strerror}") from why
    except ValueError as why:
        raise Failure(f"{path} is no JSON: {why}") from why


def _parts(file: Path) -> Iterator[tuple[int, bytes]]:
    with file.open("rb") as opened:
        offset = 0
        while part := opened.read(PART_BYTES):
            yield offset, part
            offset += len(part)


def _send(client: Client, file: Path) -> str:
    wanted, size = str(uuid4()), file.stat().st_size
    if size == 0:
        raise Failure(f"{file} is empty")
    client.begin_import(wanted, file.name, size)
    with _bar() as bar:
        task = bar.add_task("sending", total=size)
        for offset, part in _parts(file):
            client.send_part(wanted, offset, part)
            bar.update(task, completed=offset + len(part))
    return wanted


def _follow(client: Client, wanted: str) -> dict[str, Any]:
    with _bar() as bar:
        task = bar.add_task("waiting", total=None)
        while (item := client.import_state(wanted))["state"] not in ENDED:
            bar.update(task, description=item["state"], completed=item["done"], total=item["total"] or None)
            time.sleep(LOOK_S)
    return item


def _bar() -> Progress:
    return Progress(TextColumn("· {task.description}"), BarColumn(), TextColumn("{task.completed:,.0f}"), console=err,
                    transient=True)  # fmt: skip


def _say_doubts(seen: dict[str, Any]) -> None:
    """What a file would be read as, beside the JSON that goes to standard output: to be put right there."""
    if seen["mapping"] is None and seen["layout"] is None:
        raise Failure(seen["problem"] or f"{seen['title']} says itself what its numbers mean; nothing is mapped")
    for doubt in seen["doubts"]:
        err.print(f"· {doubt}", markup=False)
    shown = [f"{column['name']}: {', '.join(column['cells'][:CELLS])}{meant}" for column, meant in _meant(seen)]
    for line in shown[:MOST_SHOWN]:
        err.print(f"  {line}", markup=False)
    if len(shown) > MOST_SHOWN:
        err.print(f"  and {len(shown) - MOST_SHOWN} more", markup=False)
    if seen["problem"]:
        err.print(f"· {seen['problem']}", markup=False)


def _meant(seen: dict[str, Any]) -> Iterator[tuple[dict[str, Any], str]]:
    """Columns or names, each with which counter it is, or that it is left out."""
    if seen["names"]:
        for item in seen["names"]:
            name = " of ".join(filter(None, (item["name"], item["device"])))
            yield {**item, "name": name}, _said(item["meaning"], item["name"])
        return
    mapping = seen["mapping"] or {"columns": [], "time": {"places": []}}
    meanings = {item["place"]: item for item in mapping["columns"]}
    for column in seen["columns"]:
        is_time = column["place"] in mapping["time"]["places"]
        yield column, "" if is_time else _said(meanings.get(column["place"]), column["name"])


def _said(meaning: dict[str, Any] | None, name: str) -> str:
    if meaning is None:
        return " (left out)"
    return "" if meaning["counter"] == name else f" ({meaning['counter']})"
