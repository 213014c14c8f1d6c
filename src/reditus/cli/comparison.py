"""`compare`: what is different between two windows, of archives, hosts or field captures."""

import json
from pathlib import Path
from typing import Annotated, Any

import typer
from rich.console import Console
from rich.table import Table

from reditus.cli.client import Client
from reditus.cli.console import Failure, out
from reditus.cli.reports import spell_value
from reditus.cli.service import service, settings_of_environment
from reditus.core.durations import spell_duration

MOST_SHOWN = 25


def compare_windows(
    archive: Annotated[str, typer.Argument(help="Id, beginning of an id, or name of an archive; or a field capture.")],
    reference: Annotated[str | None, typer.Argument(help="What it is compared with; else the same archive.")] = None,
    start: Annotated[str | None, typer.Option("--from", help="Of the window, RFC 3339.")] = None,
    end: Annotated[str | None, typer.Option("--to", help="RFC 3339.")] = None,
    with_start: Annotated[str | None, typer.Option("--with-from", help="Of the reference, RFC 3339.")] = None,
    with_end: Annotated[str | None, typer.Option("--with-to", help="RFC 3339.")] = None,
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON.")] = False,
) -> None:
    """Say what is different: more work or slower work, and every measure that differs beyond chance."""
    if Path(archive).is_file():
        if reference is None or not Path(reference).is_file():
            raise Failure(f"{archive} is a file; give the file of the reference, too, or import both")
        from reditus.cli.file_comparison import of_files  # SciPy takes a second or two; no other command waits for it

        answer = of_files((Path(archive), start, end), (Path(reference), with_start, with_end))
    else:
        answer = _of_archives(archive, reference, (start, end), (with_start, with_end))
    if as_json:
        print(json.dumps(answer, indent=1))
    else:
        show_comparison(answer, out)


def _of_archives(
    archive: str, reference: str | None, window: tuple[str | None, str | None], other: tuple[str | None, str | None]
) -> dict[str, Any]:
    with service(settings_of_environment(), anywhere=True) as running, Client(running.url, running.token) as client:
        found = client.find_archive(archive)
        query = dict(zip(("from", "to", "with_from", "with_to"), (*window, *other), strict=True))
        if reference is not None:
            query["with"] = client.find_archive(reference)["id"]
        return client.comparison(found["id"], {key: value for key, value in query.items() if value})


def show_comparison(answer: dict[str, Any], console: Console) -> None:
    """The sentence first, then what differs, ranked."""
    console.print(answer["sentence"], markup=False, highlight=False)
    for sentence in (*answer["because"], *answer["gaps"]):
        console.print(f"  {sentence}", markup=False, highlight=False)
    for side, title in ((answer["window"], "window"), (answer["reference"], "reference")):
        console.print(
            f"{title:<10}{side['host']}  {side['start'][:19]} to {side['end'][:19]}", markup=False, highlight=False
        )
    rows = answer["differences"]
    console.print(
        f"{len(rows)} of {answer['compared']} measures differ beyond chance, in means of "
        f"{spell_duration(answer['window']['bin_s'])}.",
        markup=False, highlight=False,
    )  # fmt: skip
    if rows:
        console.print(_table(rows[:MOST_SHOWN]))
    if len(rows) > MOST_SHOWN:
        console.print(f"{len(rows) - MOST_SHOWN} more with --json")
    for title, sentences in (
        ("What changed about the machine", answer["changes"]),
        ("Not matched", answer["unmatched"]),
    ):
        if sentences:
            console.print(f"{title}:", highlight=False)
            for sentence in sentences:
                console.print(f"  {sentence}", markup=False, highlight=False)
    for program in (answer["programs"] or [])[:MOST_SHOWN]:
        now, before = program["window"], program["reference"]
        console.print(
            f"{program['what']}: {program['name']}, {before['cores']:.2f} → {now['cores']:.2f} cores, "
            f"{spell_value(before['memory_bytes'], 'bytes')} → {spell_value(now['memory_bytes'], 'bytes')}",
            markup=False, highlight=False,
        )  # fmt: skip


def _table(rows: list[dict[str, Any]]) -> Table:
    table = Table(box=None, pad_edge=False)
    for title in ("measure", "of", "reference", "window", "", "delta"):
        table.add_column(title, justify="left" if title in ("measure", "of") else "right")
    for row in rows:
        also = f" and {len(row['likewise'])} more" if row["likewise"] else ""
        table.add_row(
            row["title"],
            (row["device"] or "") + also,
            spell_value(row["reference"]["median"], row["unit"]),
            spell_value(row["window"]["median"], row["unit"]),
            _times(row["ratio"]),
            f"{row['delta']:+.2f}",
        )
    return table


def _times(ratio: float) -> str:
    if ratio >= 2:
        return f"× {ratio:.3g}" if ratio < 60 else "× 60 and more"
    return f"{100 * (ratio - 1):+.0f} %"
